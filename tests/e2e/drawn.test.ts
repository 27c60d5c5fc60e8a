/** Hair that is a plain mesh in a real browser: a chain drawn through it, joints made of it, painted, run, baked, handed over, received. */
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { unzipSync } from 'fflate';
import type { Browser, Page } from 'playwright-core';
import { afterAll, afterEach, beforeAll, expect, it } from 'vitest';
import { openBrowser, startTrial, type Trial } from '../../cli/trial';
import type { Drawn } from '../../src/core/drawn/drawn';
import { handsOn, watchedPage } from '../helpers/page';

let trial: Trial, browser: Browser, page: Page;
const errors: string[] = [], dir = mkdtempSync(path.join(tmpdir(), 'fine-comb-drawn-')), { saved, ask } = handsOn(() => page);
const settled = async (what: string, seconds = 120): Promise<void> => { for (const end = Date.now() + 1000 * seconds; !(await ask<boolean>(what)); await page.waitForTimeout(150)) if (Date.now() > end) throw new Error(`waited too long: ${what}`); };
const drawn = (): Promise<Drawn> => ask<Drawn>('f.session.document.drawn');
/** Where a place of the world is on the screen. */
const at = async (place: readonly number[]): Promise<[number, number]> => {
  const box = (await page.getByTestId('view').boundingBox())!, [x, y] = await page.evaluate((p) => { const { view } = (window as never as { fineComb: { view: { project: (v: unknown) => [number, number]; controls: { target: { clone: () => { set: (...n: number[]) => unknown } } } } } }).fineComb; return view.project(view.controls.target.clone().set(...p)); }, place as number[]);
  return [box.x + x, box.y + y];
};
/** The view from behind, all of the plait in it. */
const fromBehind = (): Promise<unknown> => ask('(f.view.controls.target.set(0, 0.7, -0.1), f.view.camera.position.set(0.02, 0.72, -1.5), f.view.controls.update(), f.view.touch(), 1)');

beforeAll(async () => {
  trial = await startTrial();
  browser = await openBrowser();
  page = await watchedPage(browser, errors);
  page.on('dialog', (d) => void d.accept());
});
afterAll(async () => { await browser?.close(); await trial?.stop(); trial?.remove(); rmSync(dir, { recursive: true, force: true }); });
afterEach(() => { expect(errors.splice(0)).toEqual([]); });

it('a chain is clicked through a mesh, moved, taken back, and made joints of', async () => {
  await page.goto(trial.url);
  await page.getByRole('link', { name: /^plait/ }).click();
  await page.getByTestId('view').waitFor();
  await page.getByTestId('stage-cast').click();
  await page.getByTestId('fold-meshHair').click();
  const from = page.url();
  await page.getByTestId('begin-drawn').click();
  await page.waitForURL((u) => u.href !== from && u.pathname.startsWith('/groom/'));
  await page.getByTestId('view').waitFor();
  await page.getByTestId('stage-plant').click();
  await page.getByText('No chain yet').waitFor();
  expect(await page.getByTestId('give-joints').isDisabled()).toBe(true);
  await fromBehind();
  await page.getByTestId('draw-chains').click();
  // down the plait: its middle at a few heights
  const heights = [0.83, 0.76, 0.68, 0.6, 0.52];
  const middles: { z: number; from: number; to: number }[] = [];
  for (const y of heights) {
    const middle = await ask<{ z: number; from: number; to: number }>(`(() => { const P = f.session.drawn.mesh().positions; let n = 0, s = 0, from = 9, to = -9; for (let v = 0; v < P.length; v += 3) if (Math.abs(P[v + 1] - ${y}) < 0.01) { n++; s += P[v + 2]; from = Math.min(from, P[v + 2]); to = Math.max(to, P[v + 2]); } return { z: s / n, from, to }; })()`);
    middles.push(middle);
    await page.mouse.click(...(await at([0, y, middle.z])));
  }
  await page.getByTestId('end-line').click();
  const { lines: [line] } = await drawn();
  expect(line.places.length).toBe(15);
  // through the mesh: its places lie in the middle of the plait, not on its back
  for (const [k, y] of heights.entries()) {
    const { from, to } = middles[k]!, z = line.places[3 * k + 2]!;
    expect(Math.abs(line.places[3 * k + 1]! - y)).toBeLessThan(0.006);
    expect(z).toBeGreaterThan(from + 0.2 * (to - from));
    expect(z).toBeLessThan(to - 0.2 * (to - from));
  }
  // a place is dragged, and the drag undone
  const [x, y] = await at(line.places.slice(6, 9));
  await page.mouse.move(x, y);
  await page.mouse.down();
  await page.mouse.move(x + 12, y, { steps: 4 });
  await page.mouse.up();
  expect(Math.abs((await drawn()).lines[0].places[6] - line.places[6])).toBeGreaterThan(0.005);
  await page.keyboard.press('Control+z');
  expect((await drawn()).lines[0].places).toEqual(line.places);
  await page.keyboard.press('Escape');
  await settled('f.session.drawn.influences().now !== null');
  await page.getByTestId('give-joints').click();
  await settled('f.state().history !== null && f.session.document.chains.length === 1 && !f.session.stale && f.session.document.guides !== null && f.session.guides !== null');
  expect(await ask('f.session.document.chains[0].joints')).toEqual(Array.from({ length: 8 }, (_, k) => `lock 1 ${k + 1}`));
  await page.getByText('The mesh hangs on these joints').waitFor();
});
it('what they move is computed in two ways, shown beside each other, and painted over', async () => {
  await page.getByText('both ways', { exact: true }).click();
  await page.getByTestId('difference').waitFor({ timeout: 60_000 });
  expect(await page.getByTestId('difference').innerText()).toMatch(/Between the two ways [\d.]+ %/);
  await page.getByText('who moves', { exact: true }).click();
  const share = (): Promise<number> => ask<number>('(() => { const { now } = f.session.drawn.influences(); if (!now) return -1; const n = now.weights.length / 4; let s = 0; for (let v = 0; v < n; v++) s += now.shares[v]; return s / n; })()');
  await settled('f.session.drawn.influences().now !== null');
  const before = await share();
  await page.getByTestId('share-still').click();
  await fromBehind();
  const [x, y] = await at([0, 0.62, -0.13]);
  await page.mouse.move(x, y - 20);
  await page.mouse.down();
  await page.mouse.move(x, y + 20, { steps: 6 });
  await page.mouse.up();
  await settled('f.session.document.drawn.painted.length === 1');
  await settled('f.session.drawn.influences().now !== null');
  expect(await share()).toBeGreaterThan(before + 0.005);
  await page.getByText('The drawing has changed since its joints were made.').waitFor();
  await page.getByRole('button', { name: 'As computed' }).click();
  await page.getByTestId('share-still').click();
  expect((await drawn()).painted).toEqual([]);
  await page.getByText('The mesh hangs on these joints').waitFor();
  await saved();
});
it('fewer joints make another character, and undo brings the first one back', async () => {
  const joints = page.getByTestId('joints-0');
  await joints.fill('5');
  await joints.press('Enter');
  await page.getByTestId('give-joints').click();
  await settled('f.state().history !== null && f.session.document.chains[0].joints.length === 5 && !f.session.stale && f.session.guides?.pointCount === 6');
  await settled(`f.state().save === 'saved' && f.state().history.done.length > 3`);
  await page.keyboard.press('Control+z');
  await settled('f.state().history !== null && f.session.document.chains[0].joints.length === 8 && !f.session.stale && f.session.guides?.pointCount === 9');
  expect(await ask('f.session.character.nodes.length - f.session.before.nodes.length')).toBe(8);
});
it('the plait swings, and is handed over skinned, with its keys, in the character’s own file', async () => {
  await page.getByTestId('stage-sway').click();
  await page.getByRole('button', { name: 'Run', exact: true }).click();
  await settled(`f.state().run.state === 'done'`);
  await page.getByTestId('stage-bake').click();
  await page.getByTestId('bake').click();
  await settled(`f.state().bakes[0]?.state === 'done' && f.session.bakes.frames.size > 0`, 240);
  await page.getByTestId('hand-over').click();
  await settled(`f.state().exports[0]?.state === 'done' || f.state().exports[0]?.state === 'failed'`);
  expect(await ask('f.state().exports[0].message')).toBeNull();
  const wait = page.waitForEvent('download');
  await page.getByTestId('download').first().click();
  const file = path.join(dir, 'keys.zip');
  await (await wait).saveAs(file);
  expect(Object.keys(unzipSync(readFileSync(file))).some((n) => n.endsWith('keys.glb'))).toBe(true);
  const id = await ask<string>('f.state().exports[0].id'), receiver = await watchedPage(browser, errors);
  await receiver.goto(`${trial.url}/receive/${id}`);
  await receiver.locator('[data-testid=checks][data-done=yes]').waitFor({ timeout: 120_000 });
  const found = await receiver.evaluate(() => [...document.querySelectorAll('[data-testid=checks] li')].map((li) => [(li as HTMLElement).dataset.passes, (li as HTMLElement).innerText]));
  expect(found.filter(([passes]) => passes !== 'true')).toEqual([]);
  expect(found.some(([, text]) => /Joints stand where the bake has them/.test(text!))).toBe(true);
  await receiver.close();
});
