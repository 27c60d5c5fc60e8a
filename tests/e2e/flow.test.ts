/** Which way hair lies, guides drawn anew, and maps as pictures, in the browser. */
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import type { Browser, Page } from 'playwright-core';
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest';
import { openBrowser, settle, startTrial, type Trial } from '../../cli/trial';
import type { GroomDocument } from '../../src/core/document/schema';
import { handsOn, takeIn, watchedPage } from '../helpers/page';

const dir = mkdtempSync(path.join(tmpdir(), 'fine-comb-flow-')), errors: string[] = [];
let trial: Trial, browser: Browser, page: Page, groomId: string;
const document = async (): Promise<GroomDocument> => ((await (await fetch(`${trial.url}/api/grooms/${groomId}`)).json()) as { document: GroomDocument }).document;
const { saved, planted, ask, drag } = handsOn(() => page);

beforeAll(async () => {
  trial = await startTrial();
  browser = await openBrowser();
  page = await watchedPage(browser, errors);
  const { productions } = (await (await fetch(`${trial.url}/api/overview`)).json()) as { productions: { assets: { name: string; grooms: { id: string; name: string }[] }[] }[] };
  groomId = productions[0].assets.find((a) => a.name === 'Bramble')!.grooms.find((g) => g.name === 'coat')!.id;
  await page.goto(`${trial.url}/groom/${groomId}`);
  await page.getByTestId('view').waitFor();
  await page.keyboard.press('2');
  await page.getByRole('button', { name: 'side', exact: true }).click();
  await settle(page);
});
afterAll(async () => { await browser?.close(); await trial?.stop(); trial?.remove(); rmSync(dir, { recursive: true, force: true }); });
afterEach(() => { expect(errors.splice(0)).toEqual([]); });

describe('which way hair lies', () => {
  it('strokes over the pony’s side lead the guides that are planted then; Ctrl takes a stroke away; all can be undone', async () => {
    await page.getByTestId('flow').click();
    // from croup to shoulder, against the way it is combed
    await drag([0.34, 0.44], [0.4, 0.46], [0.45, 0.47]);
    await drag([0.58, 0.52], [0.62, 0.5], [0.66, 0.45]);
    await saved();
    expect((await document()).plot.flow).not.toBeNull();
    expect((await document()).plant.lie).toBe('lying');
    expect(await ask<number>('f.session.desk.flowStrokes')).toBe(2);
    await page.getByTestId('plant').click();
    await planted();
    // near the first stroke tips lie where it goes: to the pony’s front, +z
    const ahead = await ask<number>(`(() => { const { flow } = f.session.desk, { planting, offsets, pointCount } = f.session.guides; let sum = 0, n = 0; for (let g = 0; g < planting.faces.length; g++) { const w = [1 - planting.weights[2*g] - planting.weights[2*g+1], planting.weights[2*g], planting.weights[2*g+1]], p = f.session.restSurface.place(planting.faces[g], w); for (let o = 0; o < flow.length; o += 10) if (Math.hypot(p[0]-flow[o+1], p[1]-flow[o+2], p[2]-flow[o+3]) < 0.03) { const t = 3 * (pointCount * g + pointCount - 1), d = [offsets[t], offsets[t+1], offsets[t+2]], l = Math.hypot(...d); sum += (d[0]*flow[o+4] + d[1]*flow[o+5] + d[2]*flow[o+6]) / l; n++; break; } } return n > 3 ? sum / n : -2; })()`);
    expect(ahead).toBeGreaterThan(0.85);
    // the same strokes with what turns round in them left out: other guides, and back
    const lay = await ask<number[]>('Array.from(f.session.guides.offsets)');
    await page.getByLabel('Without whorls').click();
    expect(await ask<boolean>('f.state().history.document.plant.noWhorls')).toBe(true);
    await page.getByTestId('plant').click();
    await planted();
    const other = await ask<number[]>('Array.from(f.session.guides.offsets)'), unlike = other.reduce((n, v, k) => n + (Math.abs(v - lay[k]) > 1e-4 ? 1 : 0), 0);
    expect(unlike).toBeGreaterThan(0.05 * lay.length);
    await page.keyboard.press('Control+z');
    await page.keyboard.press('Control+z');
    expect(await ask<number[]>('Array.from(f.session.guides.offsets)')).toEqual(lay);
    expect(await ask<boolean>('f.state().history.document.plant.noWhorls === undefined')).toBe(true);
    await page.keyboard.down('Control');
    const box = (await page.getByTestId('view').boundingBox())!;
    await page.mouse.click(box.x + 0.4 * box.width, box.y + 0.46 * box.height);
    await page.keyboard.up('Control');
    expect(await ask<number>('f.session.desk.flowStrokes')).toBe(1);
    await page.keyboard.press('Control+z');
    expect(await ask<number>('f.session.desk.flowStrokes')).toBe(2);
    await page.getByRole('button', { name: 'Clear the flow' }).click();
    expect(await ask<number>('f.session.desk.flowStrokes')).toBe(0);
  });
  it('part of a guide is drawn anew, from where it is taken hold of', async () => {
    await page.getByTestId('redraw').click();
    const before = await ask<number[]>('Array.from(f.session.guides.offsets)'), box = (await page.getByTestId('view').boundingBox())!, n = await ask<number>('f.session.guides.pointCount');
    // the tip of some guide in the middle of the picture
    const grip = await ask<[number, number, number] | null>(`(() => { const P = f.session.shownGuides().points, n = f.session.guides.pointCount, v = f.view.camera.position.clone(); for (let g = 0; g < P.length / 3 / n; g++) { v.fromArray(P, 3 * (g * n + n - 2)); if (v.x < 0.1) continue; const [x, y] = f.view.project(v); if (x > 0.45 * ${box.width} && x < 0.6 * ${box.width} && y > 0.4 * ${box.height} && y < 0.6 * ${box.height}) return [x, y, g]; } return null; })()`);
    expect(grip).not.toBeNull();
    await page.mouse.move(box.x + grip![0], box.y + grip![1]);
    await page.mouse.down();
    await page.mouse.move(box.x + grip![0] + 30, box.y + grip![1] - 40, { steps: 8 });
    await page.mouse.up();
    await saved();
    const after = await ask<number[]>('Array.from(f.session.guides.offsets)'), changed = new Set<number>();
    before.forEach((v, k) => { if (Math.abs(v - after[k]) > 1e-6) changed.add(Math.floor(k / (3 * n))); });
    expect(changed.size).toBe(1);
    expect((await document()).guides!.combed).toBe(true);
  });
});

describe('a picture that is kept', () => {
  const counting = `(() => { const { hair, drawing } = f.view; if (!f.counts) { f.counts = { draws: 0, refreshes: 0 }; const p = hair.prepare.bind(hair), r = f.view.refresh.bind(f.view); hair.prepare = (...a) => { f.counts.draws++; return p(...a); }; f.view.refresh = (...a) => { f.counts.refreshes++; return r(...a); }; } f.counts.draws = f.counts.refreshes = 0; return drawing.frames; })()`;
  const counts = (): Promise<{ draws: number; refreshes: number }> => ask('f.counts');
  it('the brush and what is painted move over it: the character is drawn once, and again when the camera turns', async () => {
    await page.keyboard.press('3');
    // the coat's strands are many: without them pictures are quick
    await page.keyboard.press('h');
    await page.getByTestId('brush-comb').click();
    await settle(page);
    const box = (await page.getByTestId('view').boundingBox())!, at = (x: number, y: number): [number, number] => [box.x + x * box.width, box.y + y * box.height];
    expect(await ask<number>(counting)).toBe(await ask<number>('f.view.stillFrames'));
    // the ring over the flank: helpers alone
    for (let k = 0; k < 8; k++) await page.mouse.move(...at(0.45 + 0.01 * k, 0.5));
    await page.waitForTimeout(300);
    expect(await counts()).toEqual({ draws: 0, refreshes: 0 });
    expect(await ask<boolean>('f.view.brushRing.visible')).toBe(true);
    // a dab of a map: nothing else of the scene is looked at either
    await page.getByTestId('brush-paint').click();
    await settle(page);
    await ask(counting);
    await page.mouse.move(...at(0.5, 0.5));
    await page.mouse.down();
    const begun = await counts();
    for (let k = 0; k < 6; k++) await page.mouse.move(...at(0.5 + 0.01 * k, 0.5));
    expect(await counts()).toEqual(begun);
    expect(await ask<number>('f.session.desk.painting.dabs')).toBeGreaterThan(2);
    await page.mouse.up();
    await page.keyboard.press('Control+z');
    await settle(page);
    await ask(counting);
    await ask('(f.view.orbit(30, 0), f.view.touch(), 1)');
    await settle(page);
    expect((await counts()).draws).toBeGreaterThan(0);
    await page.keyboard.press('h');
    await page.keyboard.press('2');
    await settle(page);
  });
});

describe('maps as pictures', () => {
  it('a density map goes out as a PNG and comes in again the same; a mesh without texture coordinates says so', async () => {
    await page.getByTestId('paint-density').click();
    await page.getByText('This mesh has no texture coordinates').waitFor();
    // a bent hide of 40 cm, laid out over the whole picture
    const N = 12, grid = Array.from({ length: (N + 1) ** 2 }, (_, k): [number, number] => [(k % (N + 1)) / N, Math.floor(k / (N + 1)) / N]), lines = [...grid.map(([u, v]) => `v ${0.4 * (u - 0.5)} ${0.4 * v} ${0.05 * Math.sin(3 * u)}`), ...grid.map(([u, v]) => `vt ${0.05 + 0.9 * u} ${0.05 + 0.9 * v}`)];
    for (let j = 0; j < N; j++) for (let i = 0; i < N; i++) { const a = j * (N + 1) + i + 1, q = [a, a + 1, a + N + 2, a + N + 1]; lines.push(`f ${q.map((k) => `${k}/${k}`).join(' ')}`); }
    writeFileSync(path.join(dir, 'hide.obj'), lines.join('\n'));
    groomId = await takeIn(page, trial.url, [path.join(dir, 'hide.obj')]);
    await page.keyboard.press('2');
    await ask('(f.session.desk.all(), 0)');
    await page.getByRole('button', { name: 'front', exact: true }).click();
    await page.getByTestId('paint-length').click();
    await page.getByRole('radio', { name: 'Gradient' }).click();
    await settle(page);
    await drag([0.4, 0.4], [0.6, 0.6]);
    await saved();
    const map = await ask<number[]>(`Array.from(f.session.desk.map('length') ?? [])`);
    expect(new Set(map).size).toBeGreaterThan(20);
    const [download] = await Promise.all([page.waitForEvent('download'), page.getByTestId('map-png').click()]), file = path.join(dir, 'length.png');
    await download.saveAs(file);
    expect(readFileSync(file).subarray(1, 4).toString()).toBe('PNG');
    await page.getByRole('button', { name: 'Clear the length map' }).click();
    expect(await ask<boolean>(`f.session.desk.map('length') === null`)).toBe(true);
    await page.getByTestId('map-file').setInputFiles(file);
    await page.waitForFunction(() => (window as never as { fineComb: { session: { desk: { map: (n: string) => unknown } } } }).fineComb.session.desk.map('length') !== null);
    const again = await ask<number[]>(`Array.from(f.session.desk.map('length'))`);
    expect(again.length).toBe(map.length);
    const off = map.map((v, k) => Math.abs(v - again[k])).sort((a, b) => a - b);
    expect(off[Math.floor(0.95 * off.length)]).toBeLessThan(6);
  });
});
