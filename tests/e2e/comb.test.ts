/** Styling in a real browser: a pointer stroke of every brush, judged by the curves that are stored. */
import { readFileSync } from 'node:fs';
import type { Browser, Page } from 'playwright-core';
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest';
import { openBrowser, settle, startTrial, type Trial } from '../../cli/trial';
import { polylineLength } from '../../src/core/groom/polyline';
import { unpackPlanting } from '../../src/core/document/buffers';
import { strokesSchema } from '../../src/core/groom/comb/script';
import { readGlb } from '../../src/formats/gltf';
import { BOB } from '../../src/server/demo-oda';
import { restPositions } from '../../src/core/mesh/character';
import { SkinField } from '../../src/core/mesh/skin-field';
import { handsOn, pick, watchedPage } from '../helpers/page';

let trial: Trial, browser: Browser, page: Page, id: string;
const errors: string[] = [], { saved, ask, drag } = handsOn(() => page);

interface Stored { version: number; document: { guides: { count: number; pointCount: number; planting: string; offsets: string; style?: { base: string; layers: { name: string; amount: number; shapes: string }[] } }; sway: { maps: Record<string, string | null> } } }
const api = async <T>(url: string): Promise<T> => (await (await fetch(trial.url + url)).json()) as T;
const stored = async (groom = id): Promise<Stored['document']> => (await api<Stored>(`/api/grooms/${groom}`)).document;
const bytes = async (buffer: string): Promise<Uint8Array> => new Uint8Array(await (await fetch(`${trial.url}/api/buffers/${buffer}`)).arrayBuffer());
const floats = async (buffer: string): Promise<Float32Array> => new Float32Array((await bytes(buffer)).buffer);
const type = async (field: string, value: number): Promise<void> => { await page.getByTestId(field).fill(String(value)); await page.getByTestId(field).press('Enter'); };
const fold = async (name: string): Promise<void> => { const b = page.getByTestId(`fold-${name}`); if ((await b.getAttribute('aria-expanded')) === 'false') await b.click(); };
const brush = (tool: string): Promise<void> => page.getByTestId(`brush-${tool}`).click();
const view = async (name: string): Promise<void> => { await page.getByRole('button', { name, exact: true }).click(); await settle(page); };

let N = 16, count = 0, head: { check: SkinField; roots: number[][] };
/** Guides that are not alike in two sets of shapes. */
const moved = (a: Float32Array, b: Float32Array, stride = 3 * N): number[] => Array.from({ length: b.length / stride }, (_, g) => g).filter((g) => { for (let i = g * stride; i < (g + 1) * stride; i++) if (Math.abs(a[i] - b[i]) > 1e-4) return true; return false; });

beforeAll(async () => {
  trial = await startTrial();
  browser = await openBrowser();
  page = await watchedPage(browser, errors);
  const grooms = (await api<{ productions: { assets: { grooms: { id: string; name: string }[] }[] }[] }>('/api/overview')).productions[0].assets.flatMap((a) => a.grooms);
  id = grooms.find((g) => g.name === 'loose hair')!.id;
  await page.goto(`${trial.url}/groom/${id}`);
  await page.getByTestId('view').waitFor();
  await page.getByTestId('stage-comb').click();
  await page.keyboard.press('h'); // guides alone are quicker to draw
  const { guides } = await stored(), read = await readGlb(new Uint8Array(readFileSync('demo/cast/oda.glb')));
  if (!read.ok) throw new Error('no Oda');
  const mesh = read.value.meshes.find((m) => m.name === 'head')!, rest = restPositions(read.value, mesh), p = unpackPlanting(await bytes(guides.planting));
  N = guides.pointCount;
  count = guides.count;
  head = { check: new SkinField(rest, mesh.triangles, true, 1, 0.006), roots: Array.from(p.faces, (f, g) => [0, 1, 2].map((c) => [1 - p.weights[2 * g] - p.weights[2 * g + 1], p.weights[2 * g], p.weights[2 * g + 1]].reduce((s, w, k) => s + w * rest[3 * mesh.triangles[3 * f + k] + c], 0))) };
});
afterAll(async () => {
  await browser?.close();
  await trial?.stop();
  trial?.remove();
});
afterEach(() => { expect(errors.splice(0)).toEqual([]); });

describe('a stroke of every brush', () => {
  const over: [number, number][] = [[0.52, 0.42], [0.46, 0.6]];
  const strokes: Record<string, [number, number][]> = { comb: [[0.5, 0.5], [0.38, 0.52]], smooth: over, straighten: over, part: [[0.44, 0.29], [0.52, 0.28]], gather: over, spread: over, lift: over, press: over, twist: over, curl: over, longer: over, match: over };
  for (const [tool, path] of Object.entries(strokes)) it(`${tool}: hair moves, roots stay, lengths as they should, out of the skin; one undo takes it back`, async () => {
    if (tool === 'comb') await view('side');
    await brush(tool);
    await type('brush-radiusMm', 35);
    const before = (await stored()).guides.offsets, old = await floats(before);
    await drag(...path);
    await saved();
    const after = (await stored()).guides.offsets, now = await floats(after), which = moved(old, now), n = new Float64Array(3);
    expect(which.length).toBeGreaterThan(3);
    expect(which.length).toBeLessThan(count);
    for (const g of which) {
      const o = 3 * N * g;
      for (let c = 0; c < 3; c++) expect(now[o + c]).toBe(old[o + c]);
      for (let i = 1; i < N; i++) {
        const l = polylineLength(now, N * g + i - 1, 2), was = polylineLength(old, N * g + i - 1, 2);
        if (tool !== 'longer' && tool !== 'match') expect(Math.abs(l / was - 1)).toBeLessThan(1e-3);
        const at = (s: Float32Array): number => head.check.at(Float64Array.from(head.roots[g], (v, c) => v + s[o + 3 * i + c]), 0, n, 0, n);
        // below the collar the head's mesh is open: there is no inside
        if (at(old) > -1e-4 && head.roots[g][1] + now[o + 3 * i + 1] > 1.5) expect(at(now)).toBeGreaterThan(-1e-4);
      }
    }
    const whole = (s: Float32Array): number => which.reduce((sum, g) => sum + polylineLength(s, N * g, N), 0);
    if (tool === 'longer') expect(whole(now)).toBeGreaterThan(whole(old) + 0.01);
    await page.keyboard.press('Control+z');
    await saved();
    expect((await stored()).guides.offsets).toBe(before);
  });

  it('a curve of one’s own says how parts of a strand take the brush: it begins as the choice before it, and with nothing at the tip tips alone stay less far', async () => {
    await brush('straighten');
    await page.getByRole('radio', { name: 'Even', exact: true }).click();
    await page.getByRole('radio', { name: 'Curve', exact: true }).click();
    expect(await ask('f.state().comb.ownAlong')).toEqual([[0, 1], [1, 1]]);
    const knot = page.getByRole('slider', { name: 'The brush along the strand at 0 %' });
    await knot.focus();
    for (let k = 0; k < 50; k++) await page.keyboard.press('ArrowDown');
    await page.getByRole('slider', { name: 'The brush along the strand at 100 %' }).focus();
    for (let k = 0; k < 50; k++) await page.keyboard.press('ArrowDown');
    expect(await ask('f.state().comb.ownAlong')).toEqual([[0, 0], [1, 0]]);
    const before = (await stored()).guides.offsets;
    await drag([0.52, 0.42], [0.46, 0.6]);
    await saved();
    expect(moved(await floats(before), await floats((await stored()).guides.offsets))).toEqual([]);
    for (let k = 0; k < 50; k++) await page.keyboard.press('ArrowUp');
    const old = await floats((await stored()).guides.offsets);
    await drag([0.52, 0.42], [0.46, 0.6]);
    await saved();
    const now = await floats((await stored()).guides.offsets), which = moved(old, now);
    expect(which.length).toBeGreaterThan(3);
    await page.keyboard.press('Control+z');
    await page.getByRole('radio', { name: 'Even', exact: true }).click();
    await saved();
  });
  it('with Ctrl, longer shortens; cut leaves no hair beyond the brush, along a line none beyond the line', async () => {
    const whole = (s: Float32Array): number => polylineLength(s, 0, s.length / 3), start = (await stored()).guides.offsets, old = await floats(start);
    const lengths = (s: Float32Array): number => Array.from({ length: count }, (_, g) => polylineLength(s, N * g, N)).reduce((a, b) => a + b);
    expect(whole(old)).toBeGreaterThan(0);
    await brush('longer');
    await page.keyboard.down('Control');
    await drag(...over);
    await page.keyboard.up('Control');
    await saved();
    expect(lengths(await floats((await stored()).guides.offsets))).toBeLessThan(lengths(old) - 0.01);
    await page.keyboard.press('Control+z');
    await brush('cut');
    await drag([0.42, 0.6], [0.5, 0.6]);
    await saved();
    expect(lengths(await floats((await stored()).guides.offsets))).toBeLessThan(lengths(old) - 0.05);
    await page.keyboard.press('Control+z');
    await page.getByRole('radio', { name: 'Along a line' }).click();
    await drag([0.2, 0.6], [0.75, 0.58]);
    await saved();
    const now = await floats((await stored()).guides.offsets), cut = moved(old, now);
    expect(cut.length).toBeGreaterThan(40);
    // seen from the side the line is nearly level: what is left ends about there
    const tips = cut.map((g) => head.roots[g][1] + now[3 * N * g + 3 * N - 2]).sort((a, b) => a - b);
    expect(tips[Math.floor(0.95 * tips.length)] - tips[Math.floor(0.05 * tips.length)]).toBeLessThan(0.05);
    await page.keyboard.press('Control+z');
    await saved();
    expect((await stored()).guides.offsets).toBe(start);
  });
  it('adds guides under the brush, and takes them away again by their roots', async () => {
    await brush('add');
    await type('brush-radiusMm', 12);
    await drag([0.5, 0.3], [0.44, 0.34]);
    await saved();
    const more = (await stored()).guides.count;
    expect(more).toBeGreaterThan(count + 1);
    await brush('remove');
    await type('brush-radiusMm', 20);
    await drag([0.5, 0.3], [0.44, 0.34]);
    await saved();
    const { guides } = await stored();
    expect(guides.count).toBeLessThan(more);
    expect((await bytes(guides.planting)).length).toBe(12 * guides.count);
    expect((await bytes(guides.offsets)).length).toBe(12 * N * guides.count);
    await page.keyboard.press('Control+z');
    await page.keyboard.press('Control+z');
    await saved();
    expect((await stored()).guides.count).toBe(count);
  });
  it('settles hair with the solver, and paints a map', async () => {
    await brush('settle');
    await type('brush-radiusMm', 30);
    await type('brush-strength', 1);
    const old = await floats((await stored()).guides.offsets);
    await drag([0.5, 0.42], [0.47, 0.5]);
    await page.waitForFunction(() => !(window as never as { fineComb: { state: () => { settling: boolean } } }).fineComb.state().settling, null, { timeout: 120_000 });
    await saved();
    const now = await floats((await stored()).guides.offsets), which = moved(old, now), tip = (s: Float32Array, g: number): number => s[3 * N * g + 3 * N - 2];
    expect(which.length).toBeGreaterThan(3);
    for (const g of which) expect(Math.abs(polylineLength(now, N * g, N) / polylineLength(old, N * g, N) - 1)).toBeLessThan(1e-3);
    // on the whole it has come down
    expect(which.reduce((s, g) => s + tip(now, g) - tip(old, g), 0) / which.length).toBeLessThan(0.001);
    await page.keyboard.press('Control+z');
    await brush('paint');
    await pick(page, 'comb-map', 'Hold');
    await drag([0.5, 0.3], [0.44, 0.34]);
    await saved();
    expect((await stored()).sway.maps.hold).not.toBeNull();
    await page.keyboard.press('Control+z');
    await saved();
    expect((await stored()).sway.maps.hold).toBeNull();
  });
});

describe('chosen strands, both sides, layers', () => {
  it('works on the chosen strands alone; Esc and Undo leave all as it was', async () => {
    await view('side');
    await brush('choose');
    await type('brush-radiusMm', 15);
    await drag([0.46, 0.55], [0.46, 0.6]);
    const chosen = await ask<number>('f.state().chosen');
    expect(chosen).toBeGreaterThan(1);
    await fold('chosen');
    await page.getByTestId('choose-grow').click();
    const grown = await ask<number>('f.state().chosen');
    expect(grown).toBeGreaterThan(chosen);
    await brush('comb');
    await type('brush-radiusMm', 80);
    const before = await stored(), old = await floats(before.guides.offsets);
    await drag([0.5, 0.5], [0.36, 0.52]);
    await saved();
    const which = moved(old, await floats((await stored()).guides.offsets));
    expect(which.length).toBeGreaterThan(0);
    expect(which.length).toBeLessThanOrEqual(grown);
    await page.keyboard.press('Control+z');
    // a stroke that is broken off
    const box = (await page.getByTestId('view').boundingBox())!;
    await page.mouse.move(box.x + 0.5 * box.width, box.y + 0.5 * box.height);
    await page.mouse.down();
    await page.mouse.move(box.x + 0.4 * box.width, box.y + 0.5 * box.height, { steps: 5 });
    await page.keyboard.press('Escape');
    await page.mouse.up();
    await saved();
    expect((await stored()).guides.offsets).toBe(before.guides.offsets);
    await page.keyboard.press('Escape');
    expect(await ask<number>('f.state().chosen')).toBe(0);
  });
  it('combs both sides at once, and mirrors one side onto the other', async () => {
    await view('back');
    await page.keyboard.press('m');
    const old = await floats((await stored()).guides.offsets);
    await type('brush-radiusMm', 30);
    await drag([0.58, 0.5], [0.66, 0.5]);
    await saved();
    const which = moved(old, await floats((await stored()).guides.offsets)), left = which.filter((g) => head.roots[g][0] > 0.01).length, right = which.filter((g) => head.roots[g][0] < -0.01).length;
    expect(Math.min(left, right)).toBeGreaterThan(0.5 * Math.max(left, right));
    await page.keyboard.press('m');
    await fold('sides');
    await page.getByTestId('mirror-left').click();
    await saved();
    const now = await floats((await stored()).guides.offsets);
    expect(moved(old, now).filter((g) => head.roots[g][0] < -0.01).length).toBeGreaterThan(0.3 * count);
    // where the two sides hang is alike on the whole now
    const lean = (side: number): number => { const list = head.roots.map((_, g) => g).filter((g) => side * head.roots[g][0] > 0.02); return list.reduce((s, g) => s + now[3 * N * g + 3 * N - 3], 0) / list.length; };
    expect(Math.abs(lean(1) + lean(-1))).toBeLessThan(0.006);
    await page.keyboard.press('Control+z');
    await page.keyboard.press('Control+z');
    await saved();
  });
  it('a layer keeps what is combed on it; its amount blends, the base stays', async () => {
    await fold('layers');
    const base = (await stored()).guides.offsets;
    await page.getByTestId('add-layer').click();
    await brush('comb');
    await drag([0.58, 0.5], [0.68, 0.45]);
    await saved();
    const whole = await stored(), layer = whole.guides.style!.layers[0];
    expect(whole.guides.style!.base).toBe(base);
    expect(whole.guides.offsets).not.toBe(base);
    expect((await bytes(layer.shapes)).length).toBeLessThan((await bytes(base)).length);
    await type('amount-l1', 0.5);
    await saved();
    const half = await stored(), a = await floats(base), b = await floats(half.guides.offsets), c = await floats(whole.guides.offsets);
    for (const g of moved(a, c)) expect(Math.abs(polylineLength(b, N * g, N) / polylineLength(a, N * g, N) - 1)).toBeLessThan(1e-3);
    const far = (p: Float32Array): number => moved(a, c).reduce((s, g) => s + Math.hypot(...[0, 1, 2].map((k) => p[3 * N * (g + 1) - 3 + k] - a[3 * N * (g + 1) - 3 + k])), 0);
    expect(far(b)).toBeGreaterThan(0.2 * far(c));
    expect(far(b)).toBeLessThan(0.8 * far(c));
    await page.getByRole('button', { name: 'Hide layer 1' }).click();
    await saved();
    expect((await stored()).guides.offsets).toBe(base);
  });
  it('a cage moves what is in it; other points keep the shape; all is told and undone', async () => {
    await brush('cage');
    await page.getByTestId('cage-put').click();
    await page.getByRole('button', { name: 'All handles' }).click();
    await type('cage-turn-y', 10);
    await page.getByTestId('cage-move').click();
    await page.getByTestId('cage-take').click();
    await saved();
    expect(await ask<string>('f.state().history.done.at(-1).name')).toBe('Cage');
    await page.keyboard.press('Control+z');
    await fold('numbers');
    await type('set-points', 24);
    await page.getByTestId('repoint').click();
    await saved();
    const { guides } = await stored();
    expect(guides.pointCount).toBe(24);
    expect((await bytes(guides.offsets)).length).toBe(12 * 24 * count);
    expect((await bytes(guides.style!.base)).length).toBe(12 * 24 * count);
    await page.keyboard.press('Control+z');
    await saved();
    expect((await stored()).guides.pointCount).toBe(N);
  });
});

describe('steps', () => {
  it('are all there after a reload; any can be gone to and compared with', async () => {
    const now = (await stored()).guides;
    await brush('comb');
    for (const x of [0.3, 0.7]) { await drag([x === 0.3 ? 0.42 : 0.58, 0.5], [x, 0.5]); }
    await saved();
    const last = (await stored()).guides.offsets;
    await page.reload();
    await page.getByTestId('view').waitFor();
    await page.waitForFunction(() => (window as never as { fineComb: { state: () => { history: { done: unknown[] } } } }).fineComb.state().history.done.length > 4);
    const names = await ask<string[]>('f.state().history.done.map((s) => s.name)');
    expect(names.slice(-2)).toEqual(['Comb', 'Comb']);
    await page.keyboard.press('Control+z');
    await page.keyboard.press('Control+z');
    await saved();
    expect((await stored()).guides).toEqual(now);
    await page.keyboard.press('Control+Shift+Z');
    await page.keyboard.press('Control+Shift+Z');
    await saved();
    expect((await stored()).guides.offsets).toBe(last);
    await page.getByTestId('steps').click();
    await page.getByTestId('step-1').hover();
    await page.getByTestId('compare-1').click();
    await page.waitForFunction(() => (window as never as { fineComb: { session: { ghostPoints: () => unknown } } }).fineComb.session.ghostPoints() !== null);
    await page.getByTestId('step-1').click();
    await saved();
    expect(await ask<number>('f.state().history.done.length')).toBe(1);
    await page.getByTestId(`step-${names.length}`).click();
    await saved();
    expect((await stored()).guides.offsets).toBe(last);
    await page.keyboard.press('Escape');
  });
  it('a style is copied to another groom', async () => {
    await page.getByTestId('stage-comb').click();
    await fold('sides');
    await page.getByTestId('copy-style').click();
    await page.getByText('is remembered').waitFor();
    const grooms = (await api<{ productions: { assets: { grooms: { id: string; name: string }[] }[] }[] }>('/api/overview')).productions[0].assets.flatMap((a) => a.grooms), tail = grooms.find((g) => g.name === 'tail')!.id, before = (await stored(tail)).guides.offsets;
    await page.goto(`${trial.url}/groom/${tail}`);
    await page.getByTestId('view').waitFor();
    await page.getByTestId('stage-comb').click();
    await fold('sides');
    await page.getByTestId('paste-style').click();
    await page.getByText('have the style of').waitFor();
    await saved();
    const { guides } = await stored(tail), from = await floats((await stored()).guides.offsets), to = await floats(guides.offsets), mean = (s: Float32Array, n: number): number => { const all = s.length / (3 * n); return Array.from({ length: all }, (_, g) => polylineLength(s, n * g, n)).reduce((a, b) => a + b) / all; };
    expect(guides.offsets).not.toBe(before);
    expect(Math.abs(mean(to, guides.pointCount) / mean(from, N) - 1)).toBeLessThan(0.1);
  });
});

describe('a style from bare scalp', () => {
  it('the strokes of the bob, drawn by the pointer, make the bob of the demo', async () => {
    const overview = (await api<{ productions: { assets: { id: string; name: string; grooms: { id: string; name: string }[] }[] }[] }>('/api/overview')).productions[0].assets, oda = overview.find((a) => a.name === 'Oda')!, bob = oda.grooms.find((g) => g.name === 'bob')!.id;
    const made = (await (await fetch(`${trial.url}/api/characters/${oda.id}/grooms`, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify({ name: 'by hand' }) })).json()) as { groomId: string };
    await page.goto(`${trial.url}/groom/${made.groomId}`);
    await page.getByTestId('view').waitFor();
    await page.getByTestId('stage-plant').click();
    await pick(page, 'plot-also', 'the file’s marks');
    for (const [field, value] of [['guideCount', BOB.guides], ['lengthCm', BOB.lengthCm], ['liftMm', BOB.liftMm]] as const) await type(`plant-${field}`, value);
    await page.getByTestId('plant').click();
    await page.waitForFunction(() => (window as never as { fineComb: { state: () => { planting: boolean; history: { document: { guides: unknown } } } } }).fineComb.state().history.document.guides !== null);
    await saved();
    const planted = await stored(made.groomId), start = await floats(planted.guides.offsets), wanted = await stored(bob), goal = await floats(wanted.guides.offsets);
    expect(await bytes(planted.guides.planting)).toEqual(await bytes(wanted.guides.planting));
    // a smaller picture is drawn sooner
    await page.setViewportSize({ width: 1000, height: 640 });
    await page.getByTestId('stage-comb').click();
    await page.keyboard.press('h');
    await fold('gap');
    await page.getByRole('radio', { name: 'Skin and clothes' }).click();
    const strokes = strokesSchema.parse(JSON.parse(readFileSync('src/server/bob.strokes.json', 'utf8')));
    for (const s of strokes) {
      const pixels = await page.evaluate((stroke) => {
        const f = (window as never as { fineComb: { state: () => { set: (p: object) => void; comb: object; brush: object }; view: { camera: { position: { set: (...p: number[]) => void } }; controls: { target: { set: (...p: number[]) => void }; update: () => void }; touch: () => void; project: (p: unknown) => [number, number] }; session: unknown } }).fineComb, { path, sight } = stroke, l = Math.hypot(...sight), middle = [0, 1, 2].map((c) => path.reduce((n, p) => n + p[c], 0) / path.length);
        f.state().set({ comb: { ...f.state().comb, tool: stroke.tool, cut: 'brush', along: stroke.along, from: stroke.from, symmetric: stroke.symmetric, curlMm: stroke.curlMm, pitchMm: stroke.pitchMm, size: 'world' }, brush: { ...f.state().brush, radiusMm: stroke.radiusMm, strength: stroke.strength, falloff: stroke.falloff } });
        f.view.controls.target.set(...middle);
        f.view.camera.position.set(...middle.map((v, c) => v - (0.9 * sight[c]) / l + (c === 2 && Math.abs(sight[1]) > 0.9 ? 0.01 : 0)));
        f.view.controls.update();
        f.view.touch();
        const place = (f.view.controls.target as unknown as { clone: () => { set: (...p: number[]) => unknown } }).clone();
        return path.map((p) => f.view.project(place.set(...p)));
      }, s);
      const box = (await page.getByTestId('view').boundingBox())!;
      if (s.reverse) await page.keyboard.down('Control');
      await page.mouse.move(box.x + pixels[0][0], box.y + pixels[0][1]);
      await page.mouse.down();
      for (const [x, y] of pixels.slice(1)) await page.mouse.move(box.x + x, box.y + y, { steps: 3 });
      await page.mouse.up();
      if (s.reverse) await page.keyboard.up('Control');
    }
    await saved();
    const now = await floats((await stored(made.groomId)).guides.offsets), names = await ask<string[]>('f.state().history.done.map((s) => s.name)'), stride = 3 * N;
    // strokes that begin beside the hair turn the view instead
    expect(names.filter((n) => ['Comb', 'Cut', 'Part', 'Press', 'Lift', 'Smooth'].includes(n)).length).toBeGreaterThan(0.6 * strokes.length);
    const far = (s: Float32Array): number => { const d = Array.from({ length: goal.length / stride }, (_, g) => { let sum = 0; for (let i = 1; i < N; i++) sum += Math.hypot(...[0, 1, 2].map((c) => s[stride * g + 3 * i + c] - goal[stride * g + 3 * i + c])) / (N - 1); return sum; }).sort((a, b) => a - b); return d[d.length >> 1]; };
    // half of the guides are within so much of the demo's, and far nearer than they were planted
    expect(far(now)).toBeLessThan(0.015);
    expect(far(now)).toBeLessThan(0.6 * far(start));
  });
});
