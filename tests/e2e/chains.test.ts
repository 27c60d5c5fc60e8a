/** Joints as chains in a real browser: chosen in Cast, set up, run, baked, handed over as keys, received. */
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { unzipSync } from 'fflate';
import type { Browser, Page } from 'playwright-core';
import { afterAll, afterEach, beforeAll, expect, it } from 'vitest';
import { openBrowser, startTrial, type Trial } from '../../cli/trial';
import type { Chain } from '../../src/core/chain/chains';
import { handsOn, pick, watchedPage } from '../helpers/page';

let trial: Trial, browser: Browser, page: Page;
const errors: string[] = [], dir = mkdtempSync(path.join(tmpdir(), 'fine-comb-chains-')), { saved, ask } = handsOn(() => page);
const settled = async (what: string, seconds = 120): Promise<void> => { for (const end = Date.now() + 1000 * seconds; !(await ask<boolean>(what)); await page.waitForTimeout(150)) if (Date.now() > end) throw new Error(`waited too long: ${what}`); };

beforeAll(async () => {
  trial = await startTrial();
  browser = await openBrowser();
  page = await watchedPage(browser, errors);
  page.on('dialog', (d) => void d.accept());
});
afterAll(async () => { await browser?.close(); await trial?.stop(); trial?.remove(); rmSync(dir, { recursive: true, force: true }); });
afterEach(() => { expect(errors.splice(0)).toEqual([]); });

it('a groom of chains is made from what hangs on the joints of a character', async () => {
  await page.goto(trial.url);
  await page.getByRole('link', { name: /^coat in/ }).click();
  await page.getByTestId('view').waitFor();
  await page.getByTestId('stage-cast').click();
  await page.getByTestId('fold-chains').click();
  await page.getByRole('switch', { name: 'Move earR' }).click();
  const from = page.url();
  await page.getByTestId('begin-chains').click();
  await page.waitForURL((u) => u.href !== from && u.pathname.startsWith('/groom/'));
  await page.getByTestId('view').waitFor();
  expect(await ask<Chain[]>('f.session.document.chains.map((c) => c.joints)')).toEqual([['earL'], ['tail1', 'tail2']]);
  await page.getByTestId('stage-plant').click();
  expect(await page.getByTestId('chain').count()).toBe(2);
  // the small mesh of the roots is nobody's business
  expect(await page.getByText('roots of chains').count()).toBe(0);
});
it('joints stay with the animation or not, and what cannot be is told, with nothing changed', async () => {
  await pick(page, 'chain-tip', 'tail2');
  await page.getByRole('button', { name: 'tail2', exact: true }).click();
  await page.getByText(/The joint “tail2” is moved by “tail” and by “tail 2”|is moved by/).waitFor();
  expect(await ask('f.session.document.chains.length')).toBe(2);
  const number = page.getByTestId('kept-1');
  await number.fill('1');
  await number.press('Enter');
  await saved();
  expect(await ask<number[]>('f.session.document.chains.map((c) => c.kept)')).toEqual([0, 1]);
  expect(await ask('f.session.guides.planting.faces.length')).toBe(2);
  await page.keyboard.press('Control+z');
  await saved();
  expect(await ask<number[]>('f.session.document.chains.map((c) => c.kept)')).toEqual([0, 0]);
  for (const stage of ['comb', 'fill']) { await page.getByTestId(`stage-${stage}`).click(); await page.getByText('Not of chains').waitFor(); }
});
it('they move, the character with them, and what is baked comes back in a loader that is not ours', async () => {
  await page.getByTestId('stage-cast').click();
  await page.getByTestId('clip-trot').click();
  await page.getByTestId('stage-sway').click();
  await page.getByRole('button', { name: 'Run', exact: true }).click();
  await settled(`f.state().run.state === 'done'`);
  // joints of the pose that is shown are not those of the clip
  await page.evaluate(() => { (window as never as { fineComb: { session: { setFrame: (n: number) => void } } }).fineComb.session.setFrame(0); });
  const far = await ask<number>(`(() => { const c = f.session.character, n = c.nodes.findIndex((x) => x.name === 'tail2'), a = f.session.pose.slice(16 * n + 12, 16 * n + 15), b = f.session.chains.dressed(f.session.pose).slice(16 * n + 12, 16 * n + 15); return Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]); })()`);
  expect(far).toBeGreaterThan(1e-3);
  expect(far).toBeLessThan(0.3);
  await page.getByTestId('stage-bake').click();
  await page.getByTestId('bake').click();
  await settled(`f.state().bakes[0]?.state === 'done' && f.session.bakes.frames.size > 0`);
  await page.getByText('One clip for all of it').click();
  await page.getByTestId('hand-over').click();
  await settled(`f.state().exports[0]?.state === 'done'`);
  const wait = page.waitForEvent('download');
  await page.getByTestId('download').first().click();
  const file = path.join(dir, 'keys.zip');
  await (await wait).saveAs(file);
  const names = Object.keys(unzipSync(readFileSync(file)));
  expect(names.some((n) => n.endsWith('keys.glb'))).toBe(true);
  const id = await ask<string>('f.state().exports[0].id'), receiver = await watchedPage(browser, errors);
  await receiver.goto(`${trial.url}/receive/${id}`);
  await receiver.locator('[data-testid=checks][data-done=yes]').waitFor({ timeout: 120_000 });
  const found = await receiver.evaluate(() => [...document.querySelectorAll('[data-testid=checks] li')].map((li) => [(li as HTMLElement).dataset.passes, (li as HTMLElement).innerText]));
  expect(found.filter(([passes]) => passes !== 'true')).toEqual([]);
  expect(found.some(([, text]) => /Joints stand where the bake has them/.test(text!))).toBe(true);
  await receiver.close();
});
it('their movement is kept as a clip, in which the hair of the character moves', async () => {
  // where the bake has the last joint of the tail, half-way
  const wanted = await ask<{ frame: number; place: number[] }>(`(() => { const frame = f.state().bakes[0].startFrame + 6, n = f.session.document.guides.pointCount, g = f.session.document.chains.findIndex((c) => c.joints.includes('tail2')), o = 3 * (g * n + 1); return { frame, place: [...f.session.bakes.frames.get(frame).slice(o, o + 3)] }; })()`);
  await page.getByTestId('keep-clip').click();
  await page.getByTestId('kept-clip').waitFor();
  const name = /“(.+)”/.exec(await page.getByTestId('kept-clip').innerText())![1];
  await page.goto(trial.url);
  await page.getByRole('link', { name: /^coat in/ }).click();
  await page.getByTestId('view').waitFor();
  await page.getByTestId('stage-cast').click();
  const before = page.url(), versions = page.getByTestId('versions');
  await versions.getByRole('listitem').last().getByRole('button', { name: 'use it' }).click();
  await page.waitForFunction((clip) => (window as never as { fineComb?: { session?: { character: { clips: { name: string }[] } } } }).fineComb?.session?.character.clips.some((c) => c.name === clip), name);
  expect(page.url()).toBe(before);
  await page.getByTestId(`clip-${name}`).click();
  await settled(`f.session.document.shot.clip === ${JSON.stringify(name)}`);
  const is = await ask<number[]>(`(() => { const s = f.session; s.setFrame(${wanted.frame}); const n = s.character.nodes.findIndex((x) => x.name === 'tail2'); return [...s.pose.slice(16 * n + 12, 16 * n + 15)]; })()`);
  expect(Math.hypot(...is.map((v, c) => v - wanted.place[c]))).toBeLessThan(1e-4);
});
