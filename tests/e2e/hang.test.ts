/** Sheets, drops and cages in a real browser: lines laid over cloth from an edge that is clicked, sand that falls on what hangs, a box of points that swings. */
import type { Browser, Page } from 'playwright-core';
import { afterAll, afterEach, beforeAll, expect, it } from 'vitest';
import { openBrowser, startTrial, type Trial } from '../../cli/trial';
import type { Drawn } from '../../src/core/drawn/drawn';
import { handsOn, watchedPage } from '../helpers/page';

let trial: Trial, browser: Browser, page: Page;
const errors: string[] = [], { saved, ask } = handsOn(() => page);
const settled = async (what: string, seconds = 120): Promise<void> => { for (const end = Date.now() + 1000 * seconds; !(await ask<boolean>(what)); await page.waitForTimeout(150)) if (Date.now() > end) throw new Error(`waited too long: ${what}`); };
const drawn = (): Promise<Drawn> => ask<Drawn>('f.session.document.drawn');
const at = async (place: readonly number[]): Promise<[number, number]> => {
  const box = (await page.getByTestId('view').boundingBox())!, [x, y] = await page.evaluate((p) => { const { view } = (window as never as { fineComb: { view: { project: (v: unknown) => [number, number]; controls: { target: { clone: () => { set: (...n: number[]) => unknown } } } } } }).fineComb; return view.project(view.controls.target.clone().set(...p)); }, place as number[]);
  return [box.x + x, box.y + y];
};
/** From the coat-tails’ page to a groom of its own, in which a sheet may be laid through a mesh. */
async function beginSheet(mesh: string): Promise<void> {
  await page.getByTestId('stage-cast').click();
  await page.getByTestId('fold-meshHair').click();
  await page.getByLabel(`Draw chains through ${mesh}`, { exact: true }).click();
  const from = page.url();
  await page.getByTestId('begin-drawn').click();
  await page.waitForURL((u) => u.href !== from && u.pathname.startsWith('/groom/'));
  await page.getByTestId('view').waitFor();
  await page.getByTestId('stage-plant').click();
  await page.getByText('No chain yet').waitFor();
  await page.getByTestId('fold-sheet').click();
}
beforeAll(async () => { trial = await startTrial(); browser = await openBrowser(); page = await watchedPage(browser, errors); page.on('dialog', (d) => void d.accept()); });
afterAll(async () => { await browser?.close(); await trial?.stop(); trial?.remove(); });
afterEach(() => { expect(errors.splice(0)).toEqual([]); });

it('a line along an edge is clicked, and a sheet is laid from it; one undo takes it back', async () => {
  await page.goto(trial.url);
  await page.getByRole('link', { name: /^coat-tails/ }).click();
  await page.getByTestId('view').waitFor();
  await beginSheet('coat');
  expect(await page.getByTestId('lay-sheet').isDisabled()).toBe(true);
  await ask('(f.view.controls.target.set(0, 0.8, 0), f.view.camera.position.set(0, 0.9, -1.7), f.view.controls.update(), f.view.touch(), 1)');
  await page.getByTestId('draw-chains').click();
  for (const x of [0.1, 0.05, 0, -0.05, -0.1]) await page.mouse.click(...(await at([x, 0.93, -0.12])));
  await page.keyboard.press('Enter');
  expect((await drawn()).lines.map((l) => l.places.length)).toEqual([15]);
  for (const [id, v] of [['sheet-lines', '6'], ['sheet-joints', '5']]) { await page.getByTestId(id).fill(v); await page.getByTestId(id).press('Enter'); }
  await page.getByTestId('lay-sheet').click();
  await settled('f.session.document.drawn.lines.length === 6');
  const { lines, by } = await drawn();
  expect(by).toBe('along');
  // down the back of the coat to its hem, side by side
  for (const l of lines) { expect(l.joints).toBe(5); expect(l.places[1]).toBeGreaterThan(0.88); expect(l.places.at(-2)!).toBeLessThan(0.56); expect(l.places.at(-1)!).toBeLessThan(0); }
  const across = lines.map((l) => l.places.at(-3)!);
  expect([...across].sort((a, b) => b - a)).toEqual(across);
  await page.getByTestId('sheet-cloth').click();
  await page.getByRole('option', { name: /^Denim/ }).click();
  expect(await ask('f.session.document.sway.sheet')).toMatchObject({ cloth: 'denim', gsm: 420, bend: 60, around: false });
  await page.keyboard.press('Control+z');
  await page.keyboard.press('Control+z');
  expect((await drawn()).lines.length).toBe(1);
  expect(await ask('f.session.document.sway.sheet ?? null')).toBeNull();
  await page.keyboard.press('Control+y');
  expect((await drawn()).lines.length).toBe(6);
  await settled('f.session.drawn.influences().now !== null');
  await page.getByTestId('give-joints').click();
  await settled('f.state().history !== null && f.session.document.chains.length === 6 && !f.session.stale && f.session.guides !== null');
  await saved();
});
it('it moves as one sheet, and its cloth is told in Sway', async () => {
  await page.getByTestId('stage-sway').click();
  await page.getByTestId('sheet-gsm').waitFor();
  expect(await page.getByTestId('sway-thickness').count()).toBe(0);
  await page.getByRole('button', { name: 'Run', exact: true }).click();
  await settled(`f.state().run.state === 'done'`);
  // lines stay as long as they are
  expect(await ask<number>('Math.max(...f.state().run.proof.frames.map((m) => m.stretch))')).toBeLessThan(0.002);
});
it('sand falls on it, is seen, kept with the take, and taken away', async () => {
  await page.getByTestId('fold-drops').click();
  await page.getByTestId('add-sand').click();
  await settled('(f.session.document.sway.drops ?? []).length === 1');
  // over the back of the coat
  await page.getByRole('button', { name: 'where, and all else' }).waitFor({ state: 'detached', timeout: 2000 }).catch(() => undefined);
  for (const [id, v] of [['drop-0-rate', '1500'], ['drop-0-y', '1.6'], ['drop-0-z', '-0.25'], ['drop-0-wide', '0.1']]) { await page.getByTestId(id).fill(v); await page.getByTestId(id).press('Enter'); }
  await page.getByRole('button', { name: /^Run/ }).first().click();
  await settled(`f.state().run.state === 'done' && f.state().run.key === f.session.key`);
  await ask('(f.state().set({ playing: false }), f.state().set({ frame: 18, playing: false }), 1)');
  await settled('(f.session.shownDrops()?.length ?? 0) > 8 * 100');
  expect(Number((await page.getByTestId('drops-now').innerText()).replace(/\D/g, ''))).toBeGreaterThan(100);
  await page.getByRole('button', { name: 'Take sand away' }).click();
  expect(await ask('f.session.document.sway.drops ?? null')).toBeNull();
  await page.keyboard.press('Control+z');
  expect(await ask<number>('f.session.document.sway.drops.length')).toBe(1);
  await saved();
  // by hand too, and on while the pose stands still
  await page.getByTestId('live').click();
  await settled('f.session.hands.points !== null && f.state().live.rate > 0');
  await page.getByRole('radiogroup', { name: 'The clip' }).getByRole('radio', { name: 'pose stays' }).click();
  const frame = await ask<number>('f.state().frame');
  await settled('(f.session.shownDrops()?.length ?? 0) > 8 * 100');
  expect(await ask<number>('f.state().frame')).toBeLessThan(frame + 3);
  expect(Number((await page.getByTestId('drops-now').innerText()).replace(/\D/g, ''))).toBeGreaterThan(100);
  await page.getByTestId('live').click();
  await settled('f.session.hands.points === null');
});
it('hair lies on a sheet: what a bake of it pressed by is laid on the lines, moves them, and is taken off; where none lies, it is told', async () => {
  await page.goto(trial.url);
  await page.getByRole('link', { name: /^loose hair/ }).first().click();
  await page.getByTestId('view').waitFor();
  await settled('f.state().history !== null && f.session.guides !== null');
  await ask(`(f.state().set({ playing: false, stage: 'bake' }), f.state().edit('A short range', (d) => { d.shot.end = 16; d.bake.preRoll = 2; }), 1)`);
  await page.getByTestId('bake').click();
  await settled(`f.state().bakes.some((b) => b.state === 'done' && b.endFrame === 16)`, 240);
  await page.goto(trial.url);
  await page.getByRole('link', { name: /^coat-tails/ }).first().click();
  await page.getByTestId('view').waitFor();
  await page.getByTestId('stage-sway').click();
  await page.getByTestId('fold-load').click();
  await page.getByTestId('take-load').click();
  await page.getByText(/nothing of “loose hair” lies on this sheet: it never touches coat near these lines/).waitFor();
  expect(await ask('f.session.document.sway.load ?? null')).toBeNull();
  // that was a conflict, and said to be one
  expect(errors.splice(0).every((e) => e.includes('409'))).toBe(true);
  await beginSheet('collar');
  await ask('(f.view.controls.target.set(0, 1.45, 0), f.view.camera.position.set(0, 1.45, -1), f.view.controls.update(), f.view.touch(), 1)');
  await page.getByTestId('draw-chains').click();
  for (const x of [0.05, 0, -0.05]) await page.mouse.click(...(await at([x, 1.485, -0.13])));
  await page.keyboard.press('Enter');
  for (const [id, v] of [['sheet-lines', '4'], ['sheet-joints', '6']]) { await page.getByTestId(id).fill(v); await page.getByTestId(id).press('Enter'); }
  await page.getByTestId('lay-sheet').click();
  await settled('f.session.document.drawn.lines.length === 4');
  await settled('f.session.drawn.influences().now !== null');
  await page.getByTestId('give-joints').click();
  await settled('f.state().history !== null && f.session.document.chains.length === 4 && !f.session.stale && f.session.guides !== null');
  await ask(`(f.state().edit('The range of the hair', (d) => { d.shot = { ...d.shot, clip: 'look back', start: 0, end: 16 }; d.bake.preRoll = 2; d.sway.hold = 0; }), 1)`);
  await page.getByTestId('stage-sway').click();
  const tips = async (): Promise<number[]> => { await page.getByTestId('run').click(); await settled(`f.state().run.state === 'done' && f.state().run.key === f.session.key`); await ask('(f.state().set({ playing: false, frame: 16 }), 1)'); return ask<number[]>('[...f.session.runs.live.get(16)]'); };
  const alone = await tips();
  await page.getByTestId('take-load').click();
  await page.getByTestId('load-told').waitFor();
  expect(await page.getByTestId('load-told').innerText()).toMatch(/^It presses on the sheet with [0-9.]+ mN in the mean/);
  const load = await ask<{ from: string; lines: number; points: number; frames: number; first: number; fps: number }>('f.session.document.sway.load');
  expect(load).toMatchObject({ from: 'loose hair, look back', lines: 4, frames: 17, first: 0, fps: 24 });
  await page.getByTestId('load-share').fill('4');
  await page.getByTestId('load-share').press('Enter');
  const loaded = await tips(), moved = Math.max(...alone.map((v, k) => Math.abs(v - loaded[k])));
  expect(moved).toBeGreaterThan(1e-4);
  await saved();
  await page.getByRole('button', { name: 'Take this hair off the sheet' }).click();
  expect(await ask('f.session.document.sway.load ?? null')).toBeNull();
  expect(await tips()).toEqual(alone);
  await page.keyboard.press('Control+z');
  expect(await ask('f.session.document.sway.load.share')).toBe(4);
  await saved();
});
it('hair is put in a cage, which is dragged, run and measured; what holds nothing is told', async () => {
  await page.goto(trial.url);
  await page.getByRole('link', { name: /^bob/ }).first().click();
  await page.getByTestId('view').waitFor();
  await page.getByTestId('stage-sway').click();
  await page.getByTestId('fold-cages').click();
  expect(await page.getByTestId('fold-made').count()).toBe(1);
  await page.getByTestId('put-cage').click();
  await settled('f.session.document.sway.cages?.length === 1');
  const [cage] = await ask<{ x: number; y: number; z: number; wide: number; joint: string }[]>('f.session.document.sway.cages');
  expect(cage.joint).toBe('head');
  // what does not count in a cage is not there to be set
  expect(await page.getByTestId('fold-made').count()).toBe(0);
  expect(await page.getByTestId('fold-ties').count()).toBe(0);
  const [x, y] = await at([cage.x, cage.y, cage.z]);
  await page.mouse.move(x, y);
  await page.mouse.down();
  await page.mouse.move(x + 30, y, { steps: 5 });
  await page.mouse.up();
  const [moved] = await ask<{ x: number; y: number; z: number; wide: number }[]>('f.session.document.sway.cages');
  expect(Math.hypot(moved.x - cage.x, moved.y - cage.y, moved.z - cage.z)).toBeGreaterThan(0.01);
  expect(moved.wide).toBe(cage.wide);
  await page.keyboard.press('Control+z');
  expect(await ask('f.session.document.sway.cages[0]')).toEqual(cage);
  await page.getByTestId('run').click();
  await settled(`f.state().run.state === 'done'`);
  await ask('(f.state().set({ playing: false }), 1)');
  expect(await ask('f.state().run.proof.report.plan.because')).toBe('cages');
  const proof = await ask<{ stretch: number; own: number }>(`({ stretch: Math.max(...f.state().run.proof.frames.map((m) => m.stretch)), own: Math.max(...f.state().run.proof.frames.map((m) => m.own)) })`);
  expect(proof.stretch).toBeLessThan(1e-3);
  // it moves of itself
  expect(proof.own).toBeGreaterThan(0.01);
  await page.getByRole('button', { name: 'where, and all else' }).click();
  await page.getByTestId('cage-y').fill('30');
  await page.getByTestId('cage-y').press('Enter');
  await page.getByText(/“cage 1” holds no hair: nothing is moved by it/).waitFor();
  await page.getByRole('button', { name: 'Take cage 1 away' }).click();
  expect(await ask('f.session.document.sway.cages ?? null')).toBeNull();
  await page.getByTestId('fold-made').waitFor();
  await saved();
});
