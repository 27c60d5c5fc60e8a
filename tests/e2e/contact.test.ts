/** What is around the hair, tied to it, blown at it: set up in the browser as an artist would. */
import type { Browser, Page } from 'playwright-core';
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest';
import { openBrowser, settle, startTrial, type Trial } from '../../cli/trial';
import type { GroomDocument } from '../../src/core/document/schema';
import { watchedPage } from '../helpers/page';

let trial: Trial, browser: Browser, page: Page, groom: string;
const errors: string[] = [];
const document = async (): Promise<GroomDocument> => ((await (await fetch(`${trial.url}/api/grooms/${groom}`)).json()) as { document: GroomDocument }).document;
const saved = async (): Promise<void> => { await page.waitForTimeout(450); await page.locator('[data-testid=save][data-state=saved]').waitFor(); };
const unfold = async (id: string): Promise<void> => { const title = page.getByTestId(`fold-${id}`); if ((await title.getAttribute('aria-expanded')) === 'false') await title.click(); };
const type = async (id: string, value: number): Promise<void> => { const field = page.getByTestId(id); await field.fill(String(value)); await field.press('Enter'); };
const ask = <T,>(expression: string): Promise<T> => page.evaluate(`(() => { const f = window.fineComb; return ${expression} })()`);

beforeAll(async () => {
  trial = await startTrial();
  browser = await openBrowser();
  page = await watchedPage(browser, errors, true);
  groom = ((await (await fetch(`${trial.url}/api/overview`)).json()) as { productions: { assets: { grooms: { id: string }[] }[] }[] }).productions[0].assets[0].grooms[0].id;
  await page.goto(`${trial.url}/groom/${groom}`);
  await page.getByTestId('view').waitFor();
  await page.getByTestId('stage-sway').click();
  // the hair itself is for other tests to look at; without it pictures are quick
  await page.keyboard.press('h');
});
afterAll(async () => { await browser?.close(); await trial?.stop(); trial?.remove(); });
afterEach(() => { expect(errors.splice(0)).toEqual([]); });

describe('colliders', () => {
  it('meshes are shells by themselves; one is switched off, made pills, given a gap of its own', async () => {
    await page.getByTestId('collider-collar').waitFor();
    await page.getByRole('switch', { name: 'scarf collides' }).click();
    await page.getByTestId('collider-collar').click();
    await page.getByRole('radiogroup', { name: 'collar as' }).getByRole('radio', { name: 'shell' }).click();
    await type('own-gapMm', 2.5);
    await saved();
    const { sway } = await document();
    expect(sway.groupsOff).toEqual(['scarf']);
    expect(sway.meshes.collar).toMatchObject({ as: 'shell', gapMm: 2.5, friction: null });
    await page.getByTestId('collider-head').click();
    await page.getByRole('radiogroup', { name: 'head as' }).getByRole('radio', { name: 'pills' }).click();
    await page.getByRole('button', { name: /^Fitted pills/ }).click();
    await page.getByTestId('collider-skin/head/0').click();
    await saved();
    expect((await document()).sway.meshes.head.as).toBe('pills');
    for (const undo = page.getByRole('button', { name: /^Undo: / }); await undo.isVisible() && await undo.isEnabled();) await undo.click();
    await saved();
    expect((await document()).sway).toMatchObject({ groupsOff: [], meshes: {} });
  });
  it('a ball is added on the joint the hair hangs on, dragged by its grips, and is one undo step', async () => {
    await page.getByTestId('add-ball').click();
    await saved();
    const [before] = (await document()).sway.colliders;
    expect(before).toMatchObject({ kind: 'ball', node: 'head', on: true });
    await page.waitForFunction((id) => (window as never as { fineComb: { session: { colliders: () => { pills: { key: string }[] } } } }).fineComb.session.colliders().pills.some((p) => p.key === id), before.id);
    await settle(page);
    const canvas = (await page.getByTestId('view').boundingBox())!, grips = await ask<[number, number][]>('f.view.gripPlaces().map((g) => f.view.project(g))');
    expect(grips.length).toBe(2);
    // the rim outward: a wider ball
    await page.mouse.move(canvas.x + grips[1][0], canvas.y + grips[1][1]);
    await page.mouse.down();
    await page.mouse.move(canvas.x + grips[1][0] + 40, canvas.y + grips[1][1], { steps: 5 });
    await page.mouse.up();
    await saved();
    const [wider] = (await document()).sway.colliders;
    expect(wider.radiusA).toBeGreaterThan(before.radiusA + 0.01);
    expect(wider.a).toEqual(before.a);
    await page.getByRole('button', { name: /^Undo: Shape of/ }).click();
    await saved();
    expect((await document()).sway.colliders[0].radiusA).toBe(before.radiusA);
    await page.getByRole('button', { name: 'Remove', exact: true }).click();
    await saved();
    expect((await document()).sway.colliders).toEqual([]);
  });
});

describe('ties, maps, air', () => {
  it('a tie begins with all guides; the brush leaves some out; it gets a snap force', async () => {
    await unfold('ties');
    await page.getByTestId('add-tie').click();
    await page.getByRole('radiogroup', { name: 'tie 1 to' }).getByRole('radio', { name: 'joint' }).click();
    await page.getByRole('switch', { name: 'Lets go' }).click();
    await type('tie-snap', 0.25);
    await type('tie-from', 80);
    await saved();
    const [tie] = (await document()).sway.ties;
    expect(tie).toMatchObject({ kind: 'joint', node: 'head', snap: 0.25, from: 0.8, guides: Array.from({ length: 420 }, (_, g) => g) });
    const canvas = (await page.getByTestId('view').boundingBox())!;
    await page.keyboard.down('Control');
    await page.mouse.move(canvas.x + 0.5 * canvas.width, canvas.y + 0.24 * canvas.height);
    await page.mouse.down();
    await page.mouse.move(canvas.x + 0.5 * canvas.width + 12, canvas.y + 0.24 * canvas.height, { steps: 3 });
    await page.mouse.up();
    await page.keyboard.up('Control');
    await saved();
    const fewer = (await document()).sway.ties[0].guides.length;
    expect(fewer).toBeLessThan(420);
    expect(fewer).toBeGreaterThan(200);
    await page.getByRole('button', { name: 'Remove', exact: true }).click();
  });
  it('a map is painted on the skin, and cleared', async () => {
    await unfold('holds');
    await page.getByTestId('paint-give').click();
    const canvas = (await page.getByTestId('view').boundingBox())!;
    await page.mouse.move(canvas.x + 0.5 * canvas.width, canvas.y + 0.24 * canvas.height);
    await page.mouse.down();
    await page.mouse.move(canvas.x + 0.5 * canvas.width + 20, canvas.y + 0.24 * canvas.height + 6, { steps: 4 });
    await page.mouse.up();
    await saved();
    expect((await document()).sway.maps.give).toMatch(/^[0-9a-f]{64}$/);
    const values = await ask<{ least: number; most: number }>('(() => { const { values, full } = f.session.desk.shown("give"), v = Array.from(values, (x) => x / full); return { least: v.reduce((a, b) => Math.min(a, b), 1), most: v.reduce((a, b) => Math.max(a, b), 0) } })()');
    expect(values.least).toBeLessThan(0.5);
    expect(values.most).toBe(1);
    await page.getByRole('button', { name: 'Clear', exact: true }).click();
    await saved();
    expect((await document()).sway.maps.give).toBeNull();
    await page.getByTestId('paint-give').click();
  });
  it('wind from a fan, a carrier and loft are set; the run takes them, and marks its contacts', async () => {
    await unfold('air');
    await type('sway-windSpeed', 3);
    // taken by its grip in the view it blows another way; one step
    await page.getByRole('button', { name: 'side', exact: true }).click();
    await settle(page);
    const canvas = (await page.getByTestId('view').boundingBox())!, [[x, y]] = await ask<[number, number][]>('f.view.gripPlaces().map((g) => f.view.project(g))'), before = (await document()).sway.windRise;
    await page.mouse.move(canvas.x + x, canvas.y + y);
    await page.mouse.down();
    await page.mouse.move(canvas.x + x, canvas.y + y + 70, { steps: 5 });
    await page.mouse.up();
    await saved();
    expect(Math.abs((await document()).sway.windRise - before)).toBeGreaterThan(5);
    await page.getByRole('button', { name: /^Undo: Turn the wind/ }).click();
    await saved();
    expect((await document()).sway.windRise).toBe(before);
    await page.getByRole('radio', { name: 'a fan' }).click();
    await unfold('loft');
    await type('sway-loft', 0.5);
    await unfold('carry');
    await page.getByTestId('sway-carrier').click();
    await page.getByRole('option', { name: 'root', exact: true }).click();
    // its shares are dragged in the view: along a bar for its travel, round half a ring for its turning
    const grip = async (back: number): Promise<[number, number]> => { const box = (await page.getByTestId('view').boundingBox())!, [x, y] = await ask<[number, number]>(`f.view.project(f.view.gripPlaces().at(${-back}))`); return [box.x + x, box.y + y]; };
    await ask('(f.view.look("top"), f.view.touch(), 1)');
    await settle(page);
    for (const [key, back] of [['carryTravel', 2], ['carryTurning', 1]] as const) {
      const to = await grip(back);
      await type(`sway-${key}`, 0.5);
      const from = await grip(back);
      expect(Math.hypot(to[0] - from[0], to[1] - from[1])).toBeGreaterThan(15);
      await page.mouse.move(...from);
      await page.mouse.down();
      await page.mouse.move((from[0] + to[0]) / 2, (from[1] + to[1]) / 2, { steps: 4 });
      const half = await ask<number>(`f.session.document.sway.${key}`);
      expect(half).toBeGreaterThan(0.55);
      expect(half).toBeLessThan(0.95);
      await page.mouse.move(...to, { steps: 4 });
      await page.mouse.up();
      expect(await ask<number>(`f.session.document.sway.${key}`)).toBeGreaterThan(0.96);
      await page.keyboard.press('Control+z');
      expect(await ask<number>(`f.session.document.sway.${key}`)).toBe(0.5);
    }
    await type('sway-carryTurning', 1);
    await type('sway-carryTravel', 0.5);
    await unfold('careful');
    await page.getByRole('switch', { name: 'Choose substeps' }).click();
    await type('sway-substeps', 16);
    await type('bake-preRoll', 2);
    await page.getByTestId('run').click();
    await page.waitForFunction(() => { const { run, set } = (window as never as { fineComb: { state: () => { run: { head: number }; set: (p: object) => void } } }).fineComb.state(); if (run.head >= 4) set({ playing: false, frame: 4 }); return run.head >= 4; }, undefined, { timeout: 180_000 });
    expect(await ask<number>('f.state().run.proof.report.bodies')).toBeGreaterThan(100);
    const measures = await ask<{ contacts: number; volume: number }>('f.state().run.proof.frames.find((x) => x.frame === 4)');
    expect(measures.volume).toBeGreaterThan(0.5);
    expect(await ask<number>('f.session.runs.marks.get(4).length / 8')).toBe(measures.contacts);
    await page.getByRole('button', { name: /^Contacts that press/ }).click();
    await settle(page);
    // a run that waits for others in step can be stopped, and begun anew
    await page.getByRole('button', { name: 'Stop' }).click();
    await saved();
    expect((await document()).sway).toMatchObject({ windKind: 'fan', windSpeed: 3, loft: 0.5, carrier: 'root', carryTravel: 0.5 });
  });
  it('a setting differs by a rule: what is wrong with it is told where it stands, what it comes to is shown, and it goes as it came', async () => {
    await unfold('formulas');
    await page.getByTestId('rule-add').click();
    await page.getByRole('option', { name: 'Hold', exact: true }).click();
    const rule = page.getByTestId('rule-hold-formula');
    await page.getByTestId('rule-hold-spread').waitFor();
    await rule.fill('0.5 + nothing');
    await rule.press('Enter');
    expect(await page.getByTestId('rule-hold-trouble').textContent()).toMatch(/at nothing: nothing is not known here/);
    await rule.fill('ramp(10, 30, length)');
    await rule.press('Enter');
    await page.getByTestId('rule-hold-spread').waitFor();
    await saved();
    expect((await document()).sway.formulas).toEqual({ hold: 'ramp(10, 30, length)' });
    await page.getByRole('button', { name: 'Hold without a formula' }).click();
    await saved();
    expect((await document()).sway.formulas).toBeUndefined();
    await page.keyboard.press('Control+z');
    await saved();
    expect((await document()).sway.formulas).toEqual({ hold: 'ramp(10, 30, length)' });
  });
});
