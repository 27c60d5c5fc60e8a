/** The Fill stage in the browser: treatments in their list, partings, formulas, frozen filling, cards, planted meshes, stills. */
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { decode } from 'fast-png';
import { unzipSync } from 'fflate';
import validator from 'gltf-validator';
import type { Browser, Page } from 'playwright-core';
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest';
import { openBrowser, startTrial, type Trial } from '../../cli/trial';
import type { GroomDocument } from '../../src/core/document/schema';
import { handsOn, pick, watchedPage } from '../helpers/page';

const dir = mkdtempSync(path.join(tmpdir(), 'fine-comb-fill-')), errors: string[] = [];
let trial: Trial, browser: Browser, page: Page, groomId: string;
const { saved, ask, drag } = handsOn(() => page);
const stored = async (): Promise<GroomDocument> => ((await (await fetch(`${trial.url}/api/grooms/${groomId}`)).json()) as { document: GroomDocument }).document;
/** Waits until something is so in the page (`f`: its `fineComb`). */
const until = async (expression: string, timeout = 60_000): Promise<void> => { for (const end = Date.now() + timeout; ; await page.waitForTimeout(100)) { if (await ask<boolean>(`!!(${expression})`)) return; if (Date.now() > end) throw new Error(`not within ${timeout} ms: ${expression}`); } };
const filled = async (): Promise<void> => { await page.waitForTimeout(200); await until('!f.state().filling'); };
const type = async (testId: string, value: string | number): Promise<void> => { await page.getByTestId(testId).fill(String(value)); await page.getByTestId(testId).press('Enter'); };
const kinds = (): Promise<string[]> => page.locator('ol[aria-label=Treatments] > li').evaluateAll((rows) => rows.map((r) => (r as HTMLElement).dataset.testid!.replace('treatment-', '')));
/** Clicks and takes what is saved; its path. */
const download = async (click: () => Promise<void>, timeout = 60_000): Promise<string> => { const wait = page.waitForEvent('download', { timeout }); await click(); const file = await wait, to = path.join(dir, file.suggestedFilename()); await file.saveAs(to); return to; };

beforeAll(async () => {
  trial = await startTrial();
  browser = await openBrowser();
  page = await watchedPage(browser, errors);
  const { productions } = (await (await fetch(`${trial.url}/api/overview`)).json()) as { productions: { assets: { name: string; grooms: { id: string; name: string }[] }[] }[] };
  groomId = productions[0].assets.find((a) => a.name === 'Oda')!.grooms.find((g) => g.name === 'bob')!.id;
  await page.goto(`${trial.url}/groom/${groomId}`);
  await page.getByTestId('view').waitFor();
  await until('f?.session?.filled');
  await page.keyboard.press('4');
  await type('fill-preview', 1000);
  await filled();
});
afterAll(async () => { await browser?.close(); await trial?.stop(); trial?.remove(); rmSync(dir, { recursive: true, force: true }); });
afterEach(() => { expect(errors.splice(0)).toEqual([]); });

describe('treatments', () => {
  it('are added, put in another place with the pointer and with the keyboard, switched off, heard alone, removed; each is one step', async () => {
    await page.getByTestId('add-treatment').click();
    await page.getByTestId('add-curl').click();
    expect((await kinds()).at(-1)).toBe('curl1');
    await type('curl1-radiusMm', 9);
    await filled();
    const before = await kinds();
    const grip = (id: string) => page.getByTestId(`treatment-${id}`).getByRole('button', { name: /^Move / });
    // folded, so that rows are of one height
    await page.getByTestId('treatment-curl1').getByRole('button', { name: /^Curl/ }).first().click();
    const from = (await grip('curl1').boundingBox())!, to = (await grip('length').boundingBox())!;
    await page.mouse.move(from.x + 5, from.y + 8);
    await page.mouse.down();
    await page.mouse.move(to.x + 5, to.y - 6, { steps: 12 });
    await page.waitForTimeout(300);
    await page.mouse.up();
    await page.waitForTimeout(300);
    expect(await kinds()).toEqual(['curl1', ...before.filter((k) => k !== 'curl1')]);
    await grip('curl1').focus();
    // what is told to who cannot see it
    const told = (words: string): Promise<void> => until(`document.querySelector('[id^=DndLiveRegion]')?.textContent.includes(${JSON.stringify(words)})`);
    await page.keyboard.press('Space');
    await told('curl1 was moved over droppable area curl1');
    await page.keyboard.press('ArrowDown');
    await told('curl1 was moved over droppable area length');
    await page.keyboard.press('Space');
    await told('was dropped');
    expect((await kinds())[1]).toBe('curl1');
    await page.getByRole('button', { name: 'Only Curl' }).click();
    await filled();
    expect(await ask<string[]>('f.session.filled.strands.steps.map((s) => s.kind)')).toEqual(['curl']);
    await page.getByRole('button', { name: 'Switch Curl off' }).click();
    await filled();
    expect(await ask<string[]>('f.session.filled.strands.steps.map((s) => s.kind)')).not.toContain('curl');
    await saved();
    const { fill } = await stored(), curl = fill.treatments.find((t) => t.id === 'curl1')!;
    expect(fill.treatments[1].id).toBe('curl1');
    expect(curl).toMatchObject({ on: false, solo: true, numbers: { radiusMm: 9 } });
    for (let k = 0; k < 6; k++) await page.keyboard.press('Control+z');
    await saved();
    expect((await stored()).fill.treatments.map((t) => t.id)).toEqual(before.filter((k) => k !== 'curl1'));
  });
  it('a formula is read, shown over the plot, and where it is wrong it says what and where; nothing is lost', async () => {
    await page.getByTestId('treatment-frizz').getByRole('button', { name: /^Frizz/ }).first().click();
    const field = page.getByTestId('frizz-formula');
    await field.fill('0.2 + 0.8 * rndom');
    await field.press('Enter');
    await page.getByTestId('frizz-trouble').waitFor();
    expect(await page.getByTestId('frizz-trouble').innerText()).toContain('at rndom: rndom is not known here.');
    expect(await ask<number>('f.session.filled.strands.steps.length')).toBe(4);
    await field.fill('0.2 + 0.8 * random');
    await field.press('Enter');
    await page.getByTestId('frizz-trouble').waitFor({ state: 'detached' });
    await page.getByTestId('frizz-spread').waitFor();
    expect(await page.getByTestId('frizz-spread').getAttribute('aria-label')).toMatch(/from 0\.2\d to (0\.9\d|1\.00)/);
    await saved();
    expect((await stored()).fill.treatments.find((t) => t.id === 'frizz')!.driver.formula).toBe('0.2 + 0.8 * random');
    // a formula along the strand
    await field.fill('t ^ 2');
    await field.press('Enter');
    await filled();
    const table = await ask<number[]>('Array.from(f.session.filled.strands.steps.at(-1).table.slice(0, f.session.filled.strands.nodes))');
    table.forEach((v, k) => expect(v).toBeCloseTo(Math.pow(k / (table.length - 1), 2.8), 4));
    await page.getByTestId('treatment-frizz').getByRole('button', { name: /^Frizz/ }).first().click();
  });
});

describe('what divides hair', () => {
  it('a parting is drawn over the skin; guides across it are not heard', async () => {
    await page.getByTestId('fold-treated').click();
    await page.getByTestId('fold-divided').click();
    await page.getByRole('button', { name: 'top', exact: true }).click();
    await page.getByTestId('draw-parting').click();
    await page.waitForTimeout(400);
    await drag([0.5, 0.3], [0.5, 0.45], [0.5, 0.62]);
    await page.getByTestId('parting1').waitFor();
    await type('parting1-soft', 0);
    await filled();
    // the plane through the line, upright: strands and the guides they hear are on one side of it wherever it runs
    const wrong = await ask<number>(`(() => { const { places } = f.session.document.fill.partings[0], s = f.session.filled.strands, xs = [], zs = []; for (let o = 0; o < places.length; o += 6) { xs.push(places[o]); zs.push(places[o + 2]); }
      const z0 = Math.min(...zs), z1 = Math.max(...zs), x = xs[0], g = f.session.guides, w = []; f.session.motions;
      const at = (i) => f.session.restSurface.place(g.planting.faces[i], [1 - g.planting.weights[2 * i] - g.planting.weights[2 * i + 1], g.planting.weights[2 * i], g.planting.weights[2 * i + 1]]);
      let n = 0; for (let k = 0; k < s.count; k++) { const p = s.places.subarray(3 * k, 3 * k + 3); if (p[2] < z0 + 0.012 || p[2] > z1 - 0.012 || Math.abs(p[0] - x) < 0.004 || Math.abs(p[0] - x) > 0.02) continue;
        for (let q = 0; q < 4; q++) { const r = at(s.follow.guides[4 * k + q]); if (s.follow.weights[4 * k + q] > 0.01 && r[2] > z0 + 0.012 && r[2] < z1 - 0.012 && (r[0] - x) * (p[0] - x) < 0 && Math.abs(r[0] - x) > 0.004) n++; } } return n; })()`);
    expect(wrong).toBe(0);
    await saved();
    expect((await stored()).fill.partings).toMatchObject([{ id: 'parting1', on: true, softMm: 0 }]);
    await page.getByRole('button', { name: 'Remove Parting 1' }).click();
    await page.getByTestId('fold-divided').click();
  });
});

describe('finished filling', () => {
  it('is counted, or so many to a square centimetre: one number seen two ways', async () => {
    // Source: the plot's faces, summed
    const cm2 = await ask<number>('1e4 * Array.from(f.session.plotFaces).reduce((sum, q) => sum + f.session.restSurface.area(q), 0)');
    await type('fill-density', 5);
    expect(await ask<number>('f.session.document.fill.count')).toBe(Math.round(5 * cm2));
    await type('fill-count', 4000);
    expect(Number(await page.getByTestId('fill-density').inputValue())).toBeCloseTo(4000 / cm2, 1);
  });
  it('is frozen with all its strands and the memory told; thaws by itself when something above it changes', async () => {
    await type('fill-count', 3000);
    await page.getByTestId('freeze').click();
    await page.getByText(/MB kept/).waitFor();
    expect(await ask<number>('f.state().fillCount')).toBe(3000);
    await until('f.settled()', 120_000);
    // what is shown is what was kept, turned with the head
    const differ = await ask<number>('(() => { const n = f.nodes(), X = f.session.filled.shapes, N = f.session.filled.strands.nodes; let worst = 0; for (let s = 0; s < 3000; s += 7) for (let k = 0; k < N; k++) { const o = 4 * (N * s + k), r = 4 * N * s; worst = Math.max(worst, Math.abs(Math.hypot(n[o] - n[r], n[o + 1] - n[r + 1], n[o + 2] - n[r + 2]) - Math.hypot(X[o], X[o + 1], X[o + 2]))); } return worst; })()');
    expect(differ).toBeLessThan(1e-5);
    await page.getByTestId('fold-treated').click();
    await page.getByRole('button', { name: 'Switch Locks off' }).click();
    await page.getByText('its filling is not frozen any more').waitFor();
    await filled();
    expect(await ask<number>('f.state().fillCount')).toBe(1000);
    await page.getByRole('button', { name: 'Switch Locks on' }).click();
    await page.getByTestId('fold-treated').click();
  });
});

describe('cards', () => {
  it('are made within their budget, shown, told to be out of date, made again, and saved so that others read them', async () => {
    await page.getByTestId('fold-cards').click();
    await type('fill-count', 20000);
    await type('cards-triangles', 2000);
    await page.getByTestId('make-cards').click();
    await page.getByTestId('cards-overlap').waitFor({ timeout: 90_000 });
    expect(await ask<boolean>('f.view.cardView.mesh.visible || f.state().cards.shown === "cards"')).toBe(true);
    await type('cards-segments', 6);
    await page.getByText('have changed since they were made').waitFor();
    expect(await page.getByTestId('save-cards').isDisabled()).toBe(true);
    await page.getByTestId('make-cards').click();
    await page.getByText('have changed since they were made').waitFor({ state: 'detached', timeout: 90_000 });
    const files = unzipSync(readFileSync(await download(() => page.getByTestId('save-cards').click()))), sheet = JSON.parse(new TextDecoder().decode(files['cards.json'])) as { levels: { triangles: number }[]; measured: Record<string, number> };
    expect(Object.keys(files).sort()).toEqual(['atlas-colour.png', 'atlas-looks.png', 'atlas-ways.png', 'cards.glb', 'cards.json']);
    expect(sheet.levels[0].triangles).toBeLessThanOrEqual(2000);
    expect(Object.values(sheet.measured)[0]).toBeGreaterThan(0.6);
    // Source: the glTF validator, and a PNG reader
    const report = (await validator.validateBytes(files['cards.glb'])) as { issues: { numErrors: number; numWarnings: number }; info: { totalTriangleCount: number } };
    expect(report.issues).toMatchObject({ numErrors: 0, numWarnings: 0 });
    expect(report.info.totalTriangleCount).toBe(sheet.levels.reduce((n, l) => n + l.triangles, 0));
    const png = decode(files['atlas-looks.png']);
    expect([png.width, png.height, png.channels]).toEqual([1024, 1024, 4]);
    await page.getByRole('radio', { name: 'Strands' }).click();
    await page.getByTestId('fold-cards').click();
  });
});

describe('other things planted', () => {
  it('feathers, and a mesh from a file, lie along the strands and are saved; a file that holds none is refused', async () => {
    await page.getByTestId('fold-planted').click();
    await pick(page, 'planted-what', 'Feathers');
    await until('f.view.hair.planted.visible && !f.view.hair.mesh.visible');
    const file = await download(() => page.getByTestId('save-planted').click());
    expect(((await validator.validateBytes(readFileSync(file))) as { issues: { numErrors: number; numWarnings: number } }).issues).toMatchObject({ numErrors: 0, numWarnings: 0 });
    // a wedge, lying along x in centimetres, thick at its far end
    const own = path.join(dir, 'wedge.obj'), empty = path.join(dir, 'lines.obj');
    writeFileSync(own, 'v 0 0 0\nv 10 1 0\nv 10 -1 1\nv 10 -1 -1\nf 1 2 3\nf 1 3 4\nf 1 4 2\nf 2 4 3\n');
    writeFileSync(empty, 'v 0 0 0\nv 1 0 0\nl 1 2\n');
    await page.getByLabel('Mesh to be planted').setInputFiles(own);
    await until('f.session.document.planted.what === "own"');
    const mesh = await ask<number[]>('Array.from(f.session.fillDesk.smallMesh.positions)');
    // stood up, its thick end at the root
    expect([0, 1, 2, 3].map((v) => mesh[3 * v + 1])).toEqual([1, 0, 0, 0]);
    await page.getByLabel('Mesh to be planted').setInputFiles(empty);
    await page.getByRole('alert').filter({ hasText: 'lines' }).waitFor();
    expect(await ask<string>('f.session.document.planted.name')).toBe('wedge.obj');
    await saved();
    expect((await stored()).planted).toMatchObject({ what: 'own', name: 'wedge.obj' });
    await pick(page, 'planted-what', 'Strands');
    await page.getByTestId('fold-planted').click();
  });
});

describe('a still', () => {
  it('is saved with a clear backdrop, larger than the view, of all strands, and can be stopped', async () => {
    await page.getByRole('button', { name: 'three-quarter', exact: true }).click();
    await page.getByTestId('fold-lit').click();
    await page.getByRole('radio', { name: 'Evening' }).click();
    await type('fill-count', 3000);
    await filled();
    await page.getByTestId('save-still').click();
    await page.getByRole('button', { name: 'Stop', exact: true }).click();
    await page.getByTestId('save-still').waitFor();
    const size = await ask<number[]>('[f.view.width, f.view.height]'), file = await download(() => page.getByTestId('save-still').click(), 240_000), png = decode(readFileSync(file));
    expect([png.width, png.height]).toEqual([2 * size[0], 2 * size[1]]);
    expect(png.channels).toBe(4);
    const alpha = (x: number, y: number): number => (png.data as Uint8Array)[4 * (Math.round(y * png.height) * png.width + Math.round(x * png.width)) + 3];
    expect(alpha(0.02, 0.5)).toBe(0);
    expect(alpha(0.5, 0.45)).toBe(255);
    expect(await page.getByText(/pixels, 3,000 strands/).innerText()).toContain(`${png.width} × ${png.height} pixels`);
    // the preview is back
    await filled();
    expect(await ask<number>('f.state().fillCount')).toBe(1000);
  });
});
