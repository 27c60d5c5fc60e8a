/** Controls of the screen: what they show, what they store, and that none is dead. */
import { writeFileSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import type { Browser, Page } from 'playwright-core';
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest';
import { openBrowser, startTrial, type Trial } from '../../cli/trial';
import type { GroomDocument } from '../../src/core/document/schema';
import { takeIn, watchedPage } from '../helpers/page';
import { tubeGlb } from '../helpers/tube';

let trial: Trial, browser: Browser, page: Page, demo: string, fresh: string;
const dir = mkdtempSync(path.join(tmpdir(), 'fine-comb-screen-')), errors: string[] = [];
const document = async (id = demo): Promise<GroomDocument> => ((await (await fetch(`${trial.url}/api/grooms/${id}`)).json()) as { document: GroomDocument }).document;
const saved = async (): Promise<void> => { await page.waitForTimeout(450); await page.locator('[data-testid=save][data-state=saved]').waitFor(); };
const open = async (id: string): Promise<void> => { await page.goto(`${trial.url}/groom/${id}`); await page.getByTestId('view').waitFor(); };
const stage = (name: string): Promise<void> => page.getByTestId(`stage-${name}`).click();
const unfold = async (id: string): Promise<void> => { const title = page.getByTestId(`fold-${id}`); if ((await title.getAttribute('aria-expanded')) === 'false') await title.click(); };

beforeAll(async () => {
  trial = await startTrial();
  browser = await openBrowser();
  page = await watchedPage(browser, errors, true);
  demo = ((await (await fetch(`${trial.url}/api/overview`)).json()) as { productions: { assets: { grooms: { id: string }[] }[] }[] }).productions[0].assets[0].grooms[0].id;
  writeFileSync(path.join(dir, 'tube.glb'), await tubeGlb({ weightScale: 0.5 }));
});
afterAll(async () => { await browser?.close(); await trial?.stop(); trial?.remove(); rmSync(dir, { recursive: true, force: true }); });
afterEach(() => { expect(errors.splice(0)).toEqual([]); });

describe('a number', () => {
  it('can be typed, with a comma too; nonsense is dropped, too much is held at the limit', async () => {
    await open(demo);
    await stage('sway');
    // controls are looked at here, not hair: without it pictures are quick
    await page.keyboard.press('h');
    await unfold('holds');
    const field = page.getByTestId('sway-damping');
    await field.fill('7,5');
    await field.press('Enter');
    await saved();
    expect((await document()).sway.damping).toBe(7.5);
    await field.fill('a lot');
    await field.press('Enter');
    expect(await field.inputValue()).toBe('7.5');
    await field.fill('9999');
    await field.press('Enter');
    expect(await field.inputValue()).toBe('40.0');
  });
  it('can be dragged on its track and nudged by keys; a drag is one undo step', async () => {
    const slider = page.getByRole('slider', { name: 'Friction', exact: true });
    await slider.scrollIntoViewIfNeeded();
    const box = (await slider.boundingBox())!;
    await page.mouse.move(box.x + 10, box.y + 8);
    await page.mouse.down();
    await page.mouse.move(box.x + box.width / 2, box.y + 8, { steps: 6 });
    await page.mouse.up();
    await saved();
    const dragged = (await document()).sway.friction;
    expect(dragged).toBeGreaterThan(0.9);
    expect(dragged).toBeLessThan(1.1);
    await slider.press('ArrowRight');
    await saved();
    expect((await document()).sway.friction).toBeCloseTo(dragged + 0.01, 5);
    await page.getByRole('button', { name: /^Undo: Friction/ }).click();
    await page.getByRole('button', { name: /^Undo: Friction/ }).click();
    await saved();
    expect((await document()).sway.friction).toBe(0.3);
  });
  it('goes back to its usual value, and explains itself', async () => {
    const name = page.getByText('Damping', { exact: true });
    await name.hover();
    await page.getByText(/How fast movement against the head dies away.*In 1\/s/).waitFor();
    await page.getByRole('button', { name: 'Reset Damping' }).click();
    await saved();
    expect((await document()).sway.damping).toBe(2);
  });
});

describe('the strip', () => {
  it('shows profiles whose handles change the settings', async () => {
    await page.getByRole('radio', { name: 'Profile' }).click();
    const handle = page.getByRole('slider', { name: 'Hold at 45 %' }), box = (await handle.boundingBox())!;
    await page.mouse.move(box.x + 6, box.y + 6);
    await page.mouse.down();
    await page.mouse.move(box.x + 206, box.y - 24, { steps: 5 });
    await page.mouse.up();
    await saved();
    const { hold } = (await document()).sway.profiles;
    expect(hold[1][0]).toBeGreaterThan(0.55);
    expect(hold[1][1]).toBeGreaterThan(0.2);
    expect(hold[0]).toEqual([0, 1]);
    await page.getByRole('radio', { name: 'Width', exact: true }).click();
    await page.getByRole('slider', { name: 'Width at 100 %' }).press('ArrowUp');
    await saved();
    expect((await document()).fill.taper).toBeCloseTo(0.17, 5);
  });
  it('points of a curve are added, typed, removed and reset', async () => {
    await page.getByRole('radio', { name: 'Stiffness', exact: true }).click();
    const face = (await page.getByTestId('profile').boundingBox())!;
    await page.mouse.dblclick(face.x + face.width / 2, face.y + 60);
    await saved();
    let { stiffness } = (await document()).sway.profiles;
    expect(stiffness.length).toBe(3);
    expect(stiffness[1][1]).toBeGreaterThan(1.5);
    const place = page.getByLabel('Place of the point, % from the root'), value = page.getByLabel('Value at the point');
    await place.fill('30');
    await place.press('Enter');
    await value.fill('2,5');
    await value.press('Enter');
    await saved();
    ({ stiffness } = (await document()).sway.profiles);
    expect(stiffness[1]).toEqual([0.3, 2.5]);
    await page.getByRole('slider', { name: 'Stiffness at 30 %' }).press('Delete');
    await saved();
    expect((await document()).sway.profiles.stiffness).toEqual([[0, 1], [1, 1]]);
    await page.getByRole('radio', { name: 'Hold', exact: true }).click();
    await page.getByRole('button', { name: 'Reset the curve' }).click();
    await saved();
    expect((await document()).sway.profiles.hold).toEqual([[0, 1], [0.45, 0.08], [1, 0.08]]);
    await page.getByRole('radio', { name: 'Time' }).click();
  });
});

describe('material', () => {
  it('is chosen from a list, and the tray shows what it comes to', async () => {
    await page.getByTestId('sway-material').click();
    await page.getByRole('option', { name: /Horse tail 180/ }).click();
    await saved();
    expect((await document()).sway.material).toBe('horse tail');
    await page.getByRole('status').filter({ hasText: '180 µm' }).waitFor();
    const thickness = page.getByTestId('sway-thickness');
    await thickness.fill('0.5');
    await thickness.press('Enter');
    await page.getByRole('status').filter({ hasText: '90 µm' }).waitFor();
    await page.getByRole('button', { name: /^Undo: Thickness/ }).click();
    await page.getByRole('button', { name: /^Undo: Material/ }).click();
    await saved();
    expect((await document()).sway.material).toBe('scalp hair');
  });
  it('the start and the substeps have a switch each', async () => {
    await unfold('careful');
    await page.getByRole('radio', { name: 'unloaded' }).click();
    await page.getByRole('switch', { name: 'Choose substeps' }).click();
    await page.getByTestId('sway-substeps').waitFor();
    await saved();
    expect((await document()).sway).toMatchObject({ calmStart: false, chooseSubsteps: false });
    await page.getByRole('radio', { name: 'combed' }).click();
    await page.getByRole('switch', { name: 'Choose substeps' }).click();
    await saved();
    expect((await document()).sway).toMatchObject({ calmStart: true, chooseSubsteps: true });
  });
});

describe('the cast list', () => {
  it('hides a garment, which then does not collide either', async () => {
    const around = (name: string) => page.locator('aside[aria-label="Cast list"] button').filter({ hasText: name });
    await around('coatshell').waitFor();
    await page.getByLabel('Hide coat in this shot').click();
    await around('coatshell').waitFor({ state: 'detached' });
    await saved();
    expect((await document()).hidden).toEqual(['coat']);
    await page.getByLabel('Show coat in this shot').click();
    await around('coatshell').waitFor();
    await saved();
    expect((await document()).hidden).toEqual([]);
  });
});

describe('the theme', () => {
  it('changes, and is remembered in this browser', async () => {
    const theme = (): Promise<string | undefined> => page.evaluate(() => document_theme());
    await page.addInitScript(() => { Object.assign(window, { document_theme: () => globalThis.document.documentElement.dataset.theme }); });
    await page.getByRole('button', { name: 'Light theme' }).click();
    await open(demo);
    expect(await theme()).toBe('linen');
    await page.getByRole('button', { name: 'Dark theme' }).click();
    expect(await theme()).toBe('peat');
  });
});
describe('the grain of the view', () => {
  it('is chosen by a button: as many pixels are drawn as it says, the view stays as large, a place under the pointer the same; it is remembered', async () => {
    await open(demo);
    const drawn = (): Promise<number[]> => page.evaluate(() => { const c = globalThis.document.querySelector<HTMLCanvasElement>('[data-testid=view]')!; return [c.width, c.height, c.clientWidth, c.clientHeight]; });
    const under = (): Promise<number[]> => page.evaluate(() => { const { direction } = (window as never as { fineComb: { view: { ray: (x: number, y: number) => { direction: { toArray: () => number[] } } } } }).fineComb.view.ray(300, 200); return direction.toArray(); });
    const button = page.getByRole('button', { name: /of the view is drawn/ });
    for (let k = 0; k < 3 && !(await button.innerText()).includes('1:4'); k++) await button.click();
    const [w4, h4, width, height] = await drawn(), place = await under();
    expect([w4, h4]).toEqual([Math.round(width / 4), Math.round(height / 4)]);
    await button.click();
    expect(await drawn()).toEqual([width, height, width, height]);
    await button.click();
    expect(await drawn()).toEqual([Math.round(width / 2), Math.round(height / 2), width, height]);
    for (const [k, d] of (await under()).entries()) expect(d).toBeCloseTo(place[k], 9);
    await open(demo);
    expect((await drawn())[0]).toBe(Math.round(width / 2));
    await page.evaluate(() => { localStorage.setItem('fine-comb-grain', '4'); });
  });
});
declare function document_theme(): string | undefined;

describe('a character that has just arrived', () => {
  it('tells what was mended; every stage says what comes first and leads there', async () => {
    fresh = await takeIn(page, trial.url, [path.join(dir, 'tube.glb')]);
    await page.getByText(/weights of 208 vertices did not sum to 1/).first().waitFor();
    for (const [name, words] of [['comb', 'no guides to comb'], ['fill', 'no guides to fill between'], ['sway', 'no hair to move'], ['proof', 'no hair to prove'], ['bake', 'nothing to bake']]) {
      await stage(name);
      await page.getByText(new RegExp(words)).waitFor();
      await page.getByRole('button', { name: 'Go to Plant' }).click();
      expect(await page.getByTestId('stage-plant').getAttribute('aria-current')).toBe('step');
    }
    expect(await page.getByTestId('plant').isDisabled()).toBe(true);
    await page.getByTestId('plot-also').click();
    expect(await page.getByRole('option').count()).toBeGreaterThan(3);
    expect(await page.getByRole('option', { name: 'the file’s marks' }).count()).toBe(0); // this file has none
    await page.keyboard.press('Escape');
  });
  it('frames and rate of the shot are typed; a cyclic clip says so', async () => {
    await stage('cast');
    await page.getByTestId('shot-end').fill('12');
    await page.getByTestId('shot-end').press('Enter');
    await page.getByRole('switch', { name: 'Cyclic' }).click();
    await saved();
    expect((await document(fresh)).shot).toMatchObject({ clip: 'bend', start: 0, end: 12, cyclic: true });
    await page.getByTestId('shot-fps').fill('48');
    await page.getByTestId('shot-fps').press('Enter');
    await saved();
    expect((await document(fresh)).shot).toMatchObject({ end: 24, fps: 48 });
  });
  it('a file dropped on the first page is taken as well', async () => {
    await page.goto(trial.url);
    const bytes = Array.from(await tubeGlb({ keys: 31, walks: 1.2 }));
    const data = await page.evaluateHandle((b) => { const t = new DataTransfer(); t.items.add(new File([Uint8Array.from(b)], 'dropped.glb')); return t; }, bytes);
    await page.getByRole('button', { name: /Drop a character here/ }).dispatchEvent('drop', { dataTransfer: data });
    await page.getByTestId('take-in').click();
    await page.waitForURL(/\/groom\//);
    await page.getByTestId('view').waitFor();
    // it is keyed at 30 a second, and cut so; at another rate that is told, with the way back
    const id = page.url().split('/').pop()!, fps = page.getByTestId('shot-fps');
    await stage('cast');
    await expect.poll(() => fps.inputValue()).toBe('30');
    expect(await page.getByTestId('key-rate').count()).toBe(0);
    await fps.fill('24');
    await fps.press('Enter');
    await page.getByTestId('key-rate-take').click();
    expect(await page.getByTestId('key-rate').count()).toBe(0);
    await saved();
    expect((await document(id)).shot).toMatchObject({ start: 0, end: 30, fps: 30 });
    // it walks off, and the view with it, until it is told to stay
    const seen = (): Promise<number> => page.evaluate(() => (window as never as { fineComb: { view: { controls: { target: { x: number } } } } }).fineComb.view.controls.target.x), first = await seen();
    await page.keyboard.press('End');
    await expect.poll(seen).toBeCloseTo(first + 1.2, 5);
    await page.getByRole('button', { name: /goes along with/ }).click();
    await page.getByTestId('view').focus();
    await page.keyboard.press('Home');
    await expect.poll(() => page.getByTestId('frame').innerText()).toBe('0');
    await page.waitForTimeout(500);
    expect(await seen()).toBeCloseTo(first + 1.2, 5);
    await page.keyboard.press('Shift+V');
    await expect.poll(seen).toBeCloseTo(first, 5);
  });
});

describe('a groom that is not there', () => {
  it('is told, with a way back', async () => {
    await page.goto(`${trial.url}/groom/0000`);
    await page.getByText('This groom does not exist (any more).').waitFor();
    errors.splice(0); // the browser logs the 404 it was told about
    await page.getByRole('link', { name: 'Back to all grooms' }).click();
    await page.getByText('Slack Water').waitFor();
  });
});
