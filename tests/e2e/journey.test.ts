/** One whole journey in a real browser, and what a person who errs meets. */
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { unzipSync } from 'fflate';
import type { Browser, Page } from 'playwright-core';
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest';
import { openBrowser, settle, startTrial, type Trial } from '../../cli/trial';
import { MEASURES, type Proof } from '../../src/core/document/proof';
import { figureOf, worstList } from '../../src/core/proof/judge';
import { polylineLength } from '../../src/core/groom/polyline';
import { FillShapes, type FilledStrands } from '../../src/core/fill/strands';
import { hashUnit } from '../../src/core/math/random';
import { SHAPING_NAMES, TREATMENT_NAMES } from '../../src/core/fill/treatments';
import { pick, takeIn, watchedPage } from '../helpers/page';
import { tubeGlb } from '../helpers/tube';
import { readUsd } from '../helpers/usd';

const GUIDES = 60;
let trial: Trial, browser: Browser, page: Page, grooms: { id: string; name: string; shot: string }[];
const dir = mkdtempSync(path.join(tmpdir(), 'fine-comb-e2e-'));
const errors: string[] = [];

interface Stored { version: number; document: { plot: { faces: string }; guides: { count: number; pointCount: number; planting: string; offsets: string; combed: boolean }; fill: Record<string, number>; shot: { start: number; end: number }; hidden: string[] } }
const api = async <T>(url: string): Promise<T> => (await (await fetch(trial.url + url)).json()) as T;
const stored = (id = grooms[0].id): Promise<Stored> => api(`/api/grooms/${id}`);
const buffer = async (id: string): Promise<Float32Array> => new Float32Array(await (await fetch(`${trial.url}/api/buffers/${id}`)).arrayBuffer());
const saved = async (): Promise<void> => { await page.waitForTimeout(450); await page.locator('[data-testid=save][data-state=saved]').waitFor(); };
const planted = async (): Promise<void> => { await page.waitForFunction(() => (window as never as { fineComb: { state: () => { planting: boolean } } }).fineComb.state().planting === false); await saved(); };
const stage = (name: string): Promise<void> => page.getByTestId(`stage-${name}`).click();
const type = async (id: string, value: number): Promise<void> => { await page.getByTestId(id).fill(String(value)); await page.getByTestId(id).press('Enter'); };
const state = <T>(read: string): Promise<T> => page.evaluate((r) => new Function('f', `return ${r}`)((window as never as { fineComb: unknown }).fineComb) as T, read);
const openGroom = async (p = page, id = grooms[0].id): Promise<void> => { await p.goto(`${trial.url}/groom/${id}`); await p.getByTestId('view').waitFor(); };
const newPage = async (): Promise<Page> => {
  const p = await watchedPage(browser, errors);
  // several workers share the live run, whatever this machine has
  await p.addInitScript(() => { Object.defineProperty(navigator, 'hardwareConcurrency', { get: () => 4 }); });
  p.on('dialog', (d) => void d.accept());
  return p;
};

beforeAll(async () => {
  trial = await startTrial();
  browser = await openBrowser();
  page = await newPage();
  grooms = (await api<{ productions: { assets: { grooms: typeof grooms }[] }[] }>('/api/overview')).productions[0].assets[0].grooms;
});
afterAll(async () => {
  await browser?.close();
  await trial?.stop();
  trial?.remove();
  rmSync(dir, { recursive: true, force: true });
});
afterEach(() => { expect(errors.splice(0)).toEqual([]); });

describe('the journey', () => {
  let combed: Float32Array;

  it('plants guides on the scalp from the file’s own marks', async () => {
    await page.goto(trial.url);
    await page.getByText('loose hair', { exact: true }).click();
    await page.getByTestId('view').waitFor();
    await stage('plant');
    await pick(page, 'plot-also', 'nothing: clear the plot');
    expect(await page.getByTestId('plant').isDisabled()).toBe(true);
    await pick(page, 'plot-also', 'the file’s marks');
    await type('plant-guideCount', GUIDES);
    await type('plant-lengthCm', 22);
    await page.getByTestId('plant').click();
    await planted();
    const { document } = await stored(), offsets = await buffer(document.guides.offsets);
    expect(document.guides).toMatchObject({ count: GUIDES, pointCount: 16, combed: false });
    for (let g = 0; g < GUIDES; g++) {
      expect(Math.abs(polylineLength(offsets, 16 * g, 16) - 0.22)).toBeLessThan(0.004);
      expect(Array.from(offsets.slice(48 * g, 48 * g + 3))).toEqual([0, 0, 0]);
    }
    expect(await page.getByTestId('stage-plant').getAttribute('data-status')).toBe('done');
  });

  it('combs a stroke: hair moves, roots and lengths stay; undo and redo bring back the very same bytes', async () => {
    await type('plant-seed', 7);
    await stage('comb');
    await page.getByRole('button', { name: 'side', exact: true }).click();
    await settle(page);
    const before = (await stored()).document.guides.offsets, old = await buffer(before);
    const box = (await page.getByTestId('view').boundingBox())!, x = box.x + 0.42 * box.width, y = box.y + 0.42 * box.height;
    await page.mouse.move(x, y);
    await page.mouse.down();
    for (let k = 1; k <= 8; k++) await page.mouse.move(x - 12 * k, y + 3 * k);
    await page.mouse.up();
    await saved();
    const after = (await stored()).document.guides;
    expect(after.offsets).not.toBe(before);
    expect(after.combed).toBe(true);
    combed = await buffer(after.offsets);
    let moved = 0;
    for (let g = 0; g < GUIDES; g++) {
      expect(Array.from(combed.slice(48 * g, 48 * g + 3))).toEqual([0, 0, 0]);
      for (let i = 0; i < 15; i++) expect(Math.abs(polylineLength(combed, 16 * g + i, 2) / polylineLength(old, 16 * g + i, 2) - 1)).toBeLessThan(0.001);
      if (Math.hypot(...[0, 1, 2].map((c) => combed[48 * g + 45 + c] - old[48 * g + 45 + c])) > 0.005) moved++;
    }
    expect(moved).toBeGreaterThan(1);
    expect(moved).toBeLessThan(GUIDES);
    await page.keyboard.press('Control+z');
    await saved();
    expect((await stored()).document.guides.offsets).toBe(before);
    await page.keyboard.press('Control+Shift+Z');
    await saved();
    expect((await stored()).document.guides.offsets).toBe(after.offsets);
  });

  it('cuts hair and takes the cut back', async () => {
    await page.getByRole('radio', { name: 'Cut' }).click();
    const before = (await stored()).document.guides.offsets, length = (p: Float32Array): number => Array.from({ length: GUIDES }, (_, g) => polylineLength(p, 16 * g, 16)).reduce((a, b) => a + b);
    const box = (await page.getByTestId('view').boundingBox())!;
    await page.mouse.move(box.x + 0.40 * box.width, box.y + 0.62 * box.height);
    await page.mouse.down();
    await page.mouse.move(box.x + 0.44 * box.width, box.y + 0.62 * box.height, { steps: 4 });
    await page.mouse.up();
    await saved();
    const after = (await stored()).document.guides.offsets;
    expect(after).not.toBe(before);
    expect(length(await buffer(after))).toBeLessThan(length(await buffer(before)) - 0.05);
    await page.getByRole('button', { name: /^Undo: Cut/ }).click();
    await saved();
    expect((await stored()).document.guides.offsets).toBe(before);
  });

  it('fills strands whose shapes on the GPU are those of the core to 0.01 mm', async () => {
    await stage('fill');
    await type('fill-preview', 500);
    await page.waitForFunction(() => (window as never as { fineComb: { state: () => { fillCount: number } } }).fineComb.state().fillCount === 500);
    await settle(page);
    // every treatment there is, one after the other
    await page.evaluate((kinds) => {
      const { fillDesk: desk } = (window as never as { fineComb: { session: { fillDesk: { add: (k: string) => string; change: (id: string, what: string, change: object) => void } } } }).fineComb.session;
      for (const k of kinds) { const id = desk.add(k); if (k === 'thickness') desk.change(id, 'Formula', { driver: { formula: '0.4 + t * random' } }); }
    }, TREATMENT_NAMES);
    await page.waitForFunction((n) => { const { strands } = (window as never as { fineComb: { session: { filled: { strands: FilledStrands } } } }).fineComb.session.filled; return strands.steps.length >= n && strands.widths !== null && strands.tints !== null; }, SHAPING_NAMES.length);
    await settle(page);
    const got = await page.evaluate(() => {
      const { session, nodes } = (window as never as { fineComb: { session: { filled: { strands: FilledStrands }; guides: { offsets: Float32Array; pointCount: number } }; nodes: () => Float32Array } }).fineComb;
      const plain = (v: unknown): unknown => (ArrayBuffer.isView(v) ? Array.from(v as Float32Array) : Array.isArray(v) ? v.map(plain) : v !== null && typeof v === 'object' ? Object.fromEntries(Object.entries(v).map(([k, x]) => [k, plain(x)])) : v);
      const s = session.filled.strands;
      return { nodes: Array.from(nodes()), offsets: Array.from(session.guides.offsets), pointCount: session.guides.pointCount, strands: plain({ ...s, samples: {} }) as Record<string, never> };
    });
    // numbers came out of the page as plain lists
    const sent = (got as unknown as { strands: FilledStrands }).strands, strands: FilledStrands = { ...sent, steps: sent.steps.map((one) => ({ ...one, own: Float32Array.from(one.own), table: one.table && Float32Array.from(one.table) })) }, X = new FillShapes(strands).at(got.offsets, got.pointCount), N = strands.nodes;
    expect(strands.steps.map((s) => s.kind)).toEqual(expect.arrayContaining([...SHAPING_NAMES]));
    const spread = (await stored()).document.fill.widthSpread;
    let worst = 0, thin = Infinity, thick = 0;
    for (let s = 0; s < 500; s++) {
      const row = 4 * N * s;
      // the skin is at rest at the first frame, so that only the root's place has to be taken over
      for (let k = 0; k < N; k++) worst = Math.max(worst, Math.hypot(...[0, 1, 2].map((c) => X[row + 4 * k + c] - (got.nodes[row + 4 * k + c] - got.nodes[row + c]))));
      for (let k = 0; k < N; k++) {
        const own = 1 + spread * (2 * hashUnit(16 * s + 8) - 1), width = strands.widths![N * s + k];
        expect(Math.abs(got.nodes[row + 4 * k + 3] / (own * width) - 1)).toBeLessThan(1e-4);
        thin = Math.min(thin, width); thick = Math.max(thick, width);
      }
    }
    console.log(`GPU and CPU differ by ${(worst * 1e6).toFixed(2)} µm at most, ${strands.steps.length} treatments, ${N} points`);
    expect(thin).toBeLessThan(0.45);
    expect(thick).toBeGreaterThan(1.2);
    for (let k = 0; k < TREATMENT_NAMES.length + 1; k++) await page.getByRole('button', { name: /^Undo: (Add|Formula of)/ }).click();
    expect(worst).toBeLessThan(1e-5);
  });

  it('sways: the run is computed in the browser, measured, and its proof is stored', async () => {
    await stage('sway');
    await page.getByTestId('fold-careful').click();
    await page.getByRole('switch', { name: 'Choose substeps' }).click();
    await type('sway-substeps', 4);
    await page.getByTestId('run').click();
    await page.waitForFunction(() => (window as never as { fineComb: { state: () => { run: { state: string } } } }).fineComb.state().run.state === 'done', undefined, { timeout: 180_000 });
    for (let k = 0; (await api<unknown[]>(`/api/grooms/${grooms[0].id}/takes`)).length !== 1; k++) { expect(k).toBeLessThan(300); await page.waitForTimeout(200); }
    const [take] = await api<{ proof: Proof; name: string; hasFrames: boolean; hasStrip: boolean }[]>(`/api/grooms/${grooms[0].id}/takes`);
    expect(take).toMatchObject({ name: 'look back 1', hasFrames: true, hasStrip: true });
    expect(take.proof.frames.map((f) => f.frame)).toEqual(Array.from({ length: 73 }, (_, i) => i - 24));
    for (const f of take.proof.frames) expect(f.stretch).toBeLessThan(0.0005);
    expect(await state<number>('f.session.runs.live.size')).toBe(73);
    // roots are where the skinned skin is, in a frame with the head turned
    await page.evaluate(() => { (window as never as { fineComb: { state: () => { set: (x: object) => void } } }).fineComb.state().set({ frame: 16, playing: false }); });
    const gap = await state<number>(`(() => { const p = f.session.runs.live.get(16), m = f.session.motions; let w = 0; for (let g = 0; g < ${GUIDES}; g++) for (let c = 0; c < 3; c++) w = Math.max(w, Math.abs(p[48 * g + c] - m[7 * g + 4 + c])); return w })()`);
    expect(gap).toBeLessThan(1e-6);
    expect(await page.getByTestId('source').textContent()).toBe('computed');
  });

  // short guides end between collar and scarf, which cut into each other
  // known fault: with an end of 3,500 m/s² to a contact's force it is not used here, but then the demo's own hair goes 1.8 mm deep
  it('sways without the net', async () => {
    const [take] = await api<{ proof: Proof }[]>(`/api/grooms/${grooms[0].id}/takes`);
    for (const f of take.proof.frames) expect(f.netUses).toBe(0);
  });

  it('proves: a click on the worst goes to its frame', async () => {
    await stage('proof');
    await page.getByRole('button', { name: 'Go to worst', exact: true }).click();
    const [{ proof }] = await api<{ proof: Proof }[]>(`/api/grooms/${grooms[0].id}/takes`), deepest = figureOf(proof, 'depth')!, beyond = worstList(proof, {}, 1).find((w) => w.value > w.limit);
    const worst = (deepest.value > MEASURES.depth.limit ? deepest : (beyond ?? (deepest.value > 1e-5 ? deepest : figureOf(proof, 'stretch')!))).frame;
    expect(await page.getByTestId('frame').textContent()).toBe(String(worst));
    const time = (await page.getByTestId('time').boundingBox())!;
    await page.mouse.click(time.x + 0.75 * time.width, time.y + 80);
    const frame = Number(await page.getByTestId('frame').textContent());
    expect(frame).toBeGreaterThan(24);
    expect(frame).toBeLessThan(36);
  });

  it('bakes on the server while the window is closed, plays the bake back, hands it over as OpenUSD that others read alike', async () => {
    await stage('bake');
    // every bit is kept
    await type('bake-errorMm', 0);
    await page.getByTestId('bake').click();
    await page.locator('[data-testid=bake-row]').first().waitFor();
    await page.close();
    const bakes = (): Promise<{ id: string; state: string; startFrame: number; endFrame: number }[]> => api(`/api/grooms/${grooms[0].id}/bakes`);
    for (let k = 0; (await bakes())[0].state !== 'done'; k++) { expect(k).toBeLessThan(600); await new Promise((r) => { setTimeout(r, 200); }); }
    page = await newPage();
    await openGroom();
    await stage('bake');
    await page.waitForFunction(() => (window as never as { fineComb: { session: { bakes: { frames: Map<number, unknown> } } } }).fineComb.session.bakes.frames.size === 49, undefined, { timeout: 60_000 });
    const time = (await page.getByTestId('time').boundingBox())!;
    await page.mouse.click(time.x + 0.6 * time.width, time.y + 30);
    expect(await page.getByTestId('source').textContent()).toBe('baked');
    await pick(page, 'hand-over-format', /OpenUSD curves, text/);
    await page.getByTestId('hand-over').click();
    await page.locator('[data-testid=export-row][data-state=done]').waitFor({ timeout: 120_000 });
    const [download] = await Promise.all([page.waitForEvent('download'), page.getByTestId('download').click()]);
    expect(download.suggestedFilename()).toBe('Oda-loose-hair-look-back-usda.zip');
    const file = path.join(dir, 'bake.usda'), zip = path.join(dir, 'bake.zip');
    await download.saveAs(zip);
    const files = unzipSync(readFileSync(zip)), name = Object.keys(files).find((n) => n.endsWith('.usda'))!;
    expect(Object.keys(files).sort()).toEqual([name, 'sheet.html', 'sheet.json'].sort());
    writeFileSync(file, files[name]);
    const read = readUsd(file).independent['/Groom/Oda_loose_hair_look_back.points'].timeSamples!;
    expect(read.times).toEqual(Array.from({ length: 49 }, (_, i) => i));
    for (const k of [0, 13, 48]) {
      const points = await state<number[]>(`Array.from(f.session.bakes.frames.get(${k}))`);
      expect(points.length).toBe(3 * 16 * GUIDES);
      points.forEach((v, i) => { if (Math.abs(v - read.values[k][i]) > 1e-5) expect(read.values[k][i]).toBe(v); });
    }
  });

  it('the server’s bake is the browser’s run, to the bit', async () => {
    await stage('sway');
    await page.getByTestId('run').click();
    await page.waitForFunction(() => (window as never as { fineComb: { state: () => { run: { state: string } } } }).fineComb.state().run.state === 'done', undefined, { timeout: 180_000 });
    expect(await state<number>('f.session.runs.shares.length')).toBe(4);
    expect(await state<boolean>('[0, 13, 30, 48].every((k) => f.session.runs.live.get(k).every((v, i) => v === f.session.bakes.frames.get(k)[i]))')).toBe(true);
  });

  it('a reload, and a restart of server and database, show the same', async () => {
    const before = await stored();
    await page.reload();
    await page.getByTestId('view').waitFor();
    expect(await stored()).toEqual(before);
    expect(await state<number[]>('Array.from(f.session.guides.offsets)')).toEqual(Array.from(combed));
    await trial.kill();
    await trial.restart();
    expect(await stored()).toEqual(before);
    await openGroom();
    // what the page asked for while nobody was there
    for (let k = errors.length - 1; k >= 0; k--) if (/ERR_CONNECTION_REFUSED/.test(errors[k])) errors.splice(k, 1);
    expect(await state<number[]>('Array.from(f.session.guides.offsets)')).toEqual(Array.from(combed));
    expect(await page.getByTestId('stage-bake').getAttribute('data-status')).toBe('done');
    expect(await page.getByTestId('stage-proof').getAttribute('data-status')).toMatch(/done|trouble/);
    await stage('sway');
    await page.getByTestId('fold-holds').click();
    await type('sway-damping', 6.5);
    await saved();
    expect(await page.getByTestId('stage-bake').getAttribute('data-status')).toBe('stale');
    expect(await page.getByTestId('stage-sway').getAttribute('data-status')).toBe('stale');
    await page.keyboard.press('Escape');
    await page.getByRole('button', { name: /^Undo: Damping/ }).click();
    await saved();
    expect(await page.getByTestId('stage-bake').getAttribute('data-status')).toBe('done');
  });
});

describe('two windows', () => {
  it('the one that is behind is told, and nothing is overwritten', async () => {
    await openGroom();
    const other = await newPage();
    await openGroom(other);
    await page.getByLabel('Hide scarf in this shot').click();
    await saved();
    const first = await stored();
    await other.getByLabel('Hide belt in this shot').click();
    await other.getByRole('heading', { name: 'Changed in another window' }).waitFor();
    expect(await stored()).toEqual(first);
    await other.getByRole('button', { name: 'Keep mine as a copy' }).click();
    await other.waitForURL((u) => u.pathname.startsWith('/groom/') && !u.pathname.endsWith(grooms[0].id));
    await other.getByTestId('view').waitFor();
    const copy = await stored(new URL(other.url()).pathname.split('/').pop()!);
    expect(copy.document.hidden).toEqual(['belt']);
    expect(await stored()).toEqual(first);
    await other.close();
  });
});

describe('keyboard and command box', () => {
  it('reaches actions and settings by name; keys move between stages and frames', async () => {
    await openGroom();
    await page.keyboard.press('3');
    expect(await page.getByTestId('stage-comb').getAttribute('aria-current')).toBe('step');
    await page.keyboard.press('ArrowRight');
    await page.keyboard.press('ArrowRight');
    expect(await page.getByTestId('frame').textContent()).toBe('2');
    await page.keyboard.press('Control+k');
    await page.keyboard.type('Friction');
    await page.keyboard.press('Enter');
    await page.waitForFunction(() => document.activeElement?.getAttribute('data-testid') === 'sway-friction');
    await page.keyboard.press('Escape');
    await page.keyboard.press('?');
    await page.getByRole('heading', { name: 'Keys' }).waitFor();
    await page.keyboard.press('Escape');
  });
});

describe('bad input', () => {
  const upload = async (name: string, bytes: Uint8Array): Promise<string> => {
    const file = path.join(dir, name);
    writeFileSync(file, bytes);
    await page.goto(trial.url);
    await page.getByLabel('Character file').setInputFiles(file);
    return (await page.getByRole('alert').filter({ hasText: 'Nothing was stored' }).textContent())!;
  };
  it('a truncated file, a text file and a file of curves each get a message; nothing changes', async () => {
    const before = await api('/api/overview'), tube = await tubeGlb();
    expect(await upload('half.glb', tube.slice(0, 2000))).toMatch(/half\.glb: The file should be [\d,]+ bytes long but has 2,000/);
    expect(await upload('letter.glb', new TextEncoder().encode('Dear lock keeper, the water is slack today.'))).toMatch(/not a binary glTF file/);
    expect(await upload('lines.obj', new TextEncoder().encode('v 0 0 0\nv 0 1 0\nl 1 2\n'))).toMatch(/lines\.obj: .*holds 1 lines and no surface/);
    expect(await api('/api/overview')).toEqual(before);
  });
  it('a character that is not ours is taken, painted, planted, swayed', async () => {
    writeFileSync(path.join(dir, 'tube.glb'), await tubeGlb());
    const id = await takeIn(page, trial.url, [path.join(dir, 'tube.glb')]);
    await stage('plant');
    await settle(page);
    const box = (await page.getByTestId('view').boundingBox())!;
    await page.mouse.move(box.x + 0.5 * box.width, box.y + 0.4 * box.height);
    await page.mouse.down();
    await page.mouse.move(box.x + 0.5 * box.width, box.y + 0.5 * box.height, { steps: 4 });
    await page.mouse.up();
    await type('plant-guideCount', 20);
    await page.getByTestId('plant').click();
    await planted();
    expect((await stored(id)).document.guides.count).toBe(20);
    await stage('sway');
    await page.getByTestId('run').click();
    await page.waitForFunction(() => (window as never as { fineComb: { state: () => { run: { state: string } } } }).fineComb.state().run.state === 'done', undefined, { timeout: 60_000 });
  });
});

describe('safety', () => {
  it('writes from other origins, foreign host names and damaged buffers are refused', async () => {
    const put = (headers: Record<string, string>, url = `${trial.url}/api/grooms/${grooms[0].id}`): Promise<Response> => fetch(url, { method: 'PUT', headers, body: '{}' });
    expect((await put({ origin: 'http://elsewhere.example' })).status).toBe(403);
    expect((await put({ 'sec-fetch-site': 'cross-site' })).status).toBe(403);
    expect((await put({})).status).toBe(400);
    const damaged = await put({}, `${trial.url}/api/buffers/${'0'.repeat(64)}`);
    expect([damaged.status, ((await damaged.json()) as { code: string }).code]).toEqual([400, 'damaged']);
    expect((await fetch(`${trial.url}/api/characters?fileName=x.glb`, { method: 'POST', headers: { 'content-length': '0' } })).status).toBe(422);
    const page404 = await fetch(`${trial.url}/api/grooms/none`);
    expect([page404.status, ((await page404.json()) as { message: string }).message]).toEqual([404, 'This groom does not exist (any more).']);
  });
  it('pages carry a policy that only lets our own scripts run', async () => {
    const policy = (await fetch(trial.url)).headers.get('content-security-policy')!;
    expect(policy).toMatch(/script-src 'self' 'nonce-[^']+' 'strict-dynamic'/);
    expect(policy).not.toMatch(/script-src[^;]*unsafe-inline/);
  });
});
