/** Setting up, proving and mending in a real browser: run, find the trouble, cure it, compare, go back. */
import { readFileSync } from 'node:fs';
import type { Browser, Page } from 'playwright-core';
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest';
import { openBrowser, settle, startTrial, type Trial } from '../../cli/trial';
import { MEASURES, type Proof } from '../../src/core/document/proof';
import type { GroomDocument } from '../../src/core/document/schema';
import { figureOf, judge } from '../../src/core/proof/judge';
import { handsOn, watchedPage } from '../helpers/page';

interface Take { id: string; name: string; shotName: string; proof: Proof; pinned: boolean; hasFrames: boolean; hasStrip: boolean; settings: { sway: GroomDocument['sway'] } }
let trial: Trial, browser: Browser, page: Page, groom: string, productionId: string;
const errors: string[] = [], { ask, saved, drag } = handsOn(() => page);
const api = async <T>(url: string): Promise<T> => (await (await fetch(trial.url + url)).json()) as T;
const takes = (): Promise<Take[]> => api(`/api/grooms/${groom}/takes`);
const document = async (): Promise<GroomDocument> => (await api<{ document: GroomDocument }>(`/api/grooms/${groom}`)).document;
/** Polls what a page says, as its policy forbids code in words. */
async function until(expression: string, seconds = 120): Promise<void> {
  for (let k = 0; !(await ask<boolean>(expression)); k++) {
    if (k > 5 * seconds) throw new Error(`waited too long for ${expression}`);
    await page.waitForTimeout(200);
  }
}
const ran = (count: number): Promise<void> => until(`f.state().run.state === 'done' && f.state().takes.length === ${count}`, 240);
const set = (change: object): Promise<void> => page.evaluate((c) => { (window as never as { fineComb: { state: () => { set: (x: object) => void } } }).fineComb.state().set(c); }, change);
/** Mean colour of a part of the view, 0 … 255; x from … to. */
const colourAt = async (x0: number, x1: number): Promise<number[]> => page.evaluate(([a, b]) => {
  const c = window.document.querySelector<HTMLCanvasElement>('[data-testid=view]')!, g = c.getContext('webgl2')!, w = Math.round((b - a) * c.width), h = Math.round(0.3 * c.height), px = new Uint8Array(4 * w * h);
  g.readPixels(Math.round(a * c.width), Math.round(0.5 * c.height), w, h, g.RGBA, g.UNSIGNED_BYTE, px);
  const sum = [0, 0, 0];
  for (let k = 0; k < px.length; k++) if (k % 4 < 3) sum[k % 4] += px[k] / (w * h);
  return sum;
}, [x0, x1] as const);

beforeAll(async () => {
  trial = await startTrial();
  browser = await openBrowser();
  page = await watchedPage(browser, errors);
  page.on('dialog', (d) => void d.accept());
  const { productions } = await api<{ productions: { id: string; assets: { grooms: { id: string; name: string }[] }[] }[] }>('/api/overview');
  productionId = productions[0].id;
  groom = productions[0].assets[0].grooms.find((g) => g.name === 'loose hair')!.id;
  await page.goto(`${trial.url}/groom/${groom}`);
  await page.getByTestId('view').waitFor();
  await page.getByTestId('stage-plant').click();
  await page.getByTestId('plant-guideCount').fill('40');
  await page.getByTestId('plant-guideCount').press('Enter');
  await page.getByTestId('plant').click();
  await until("f.state().planting === false && f.session.guides?.planting.faces.length === 40");
  // hair that starts from its unloaded shape and is hardly held: it sags at once
  await page.evaluate(() => {
    const f = (window as never as { fineComb: { state: () => { edit: (n: string, c: (d: GroomDocument) => void) => void } } }).fineComb;
    f.state().edit('A careless set-up', (d) => { d.shot.end = 12; d.bake.preRoll = 12; d.sway.calmStart = false; d.sway.hold = 0.2; d.fill.preview = 1500; d.sway.roles = { body: 'pills', garment: 'off', accessory: 'off', prop: 'off', carrier: 'off' }; });
  });
  await saved();
});
afterAll(async () => { await browser?.close(); await trial?.stop(); trial?.remove(); });
afterEach(() => { expect(errors.splice(0)).toEqual([]); });

describe('the mending journey', () => {
  it('a run is kept as a take: named, with its settings, frames and pictures; its proof says what is wrong', async () => {
    await page.getByTestId('stage-sway').click();
    await page.getByTestId('run').click();
    await ran(1);
    const [take] = await takes();
    expect(take).toMatchObject({ name: 'look back 1', shotName: 'look back', hasFrames: true, hasStrip: true, pinned: false });
    expect(take.settings.sway.hold).toBe(0.2);
    expect((await fetch(`${trial.url}/api/takes/${take.id}/strip`)).headers.get('content-type')).toBe('image/png');
    await page.getByTestId('stage-proof').click();
    expect(await page.getByTestId('verdict').textContent()).toContain('start drift');
    const drift = figureOf(take.proof, 'drift')!;
    expect(drift.value).toBeGreaterThan(MEASURES.drift.limit);
    expect(await page.getByTestId('measure-drift').textContent()).toContain(`${(1000 * drift.value).toFixed(1)} mm`);
    expect(await page.getByTestId('measure-drift').getAttribute('data-passes')).toBe('false');
    // the worst place flies there and marks the strand
    await page.getByTestId('worst-list').getByRole('button').first().click();
    expect(await ask<number>('f.state().marked')).toBeGreaterThanOrEqual(0);
    expect(await ask<string | null>('f.state().viewName')).toBeNull();
  });

  it('the trouble is named, its remedies are tried in the background, the best is taken as one step', async () => {
    await page.getByTestId('trouble-sags').click();
    expect(await page.getByTestId('offer').count()).toBeGreaterThanOrEqual(3);
    await page.getByTestId('mend-try').click();
    await until("f.state().mend?.running === false && f.state().mend.offers.every((o) => o.state === 'done')", 240);
    // nothing has been changed yet
    expect((await document()).sway.calmStart).toBe(false);
    const calm = page.getByTestId('offer').filter({ hasText: 'Start from the combed shape' });
    expect(['cures', 'helps', 'at a price']).toContain(await calm.getAttribute('data-verdict'));
    expect(await calm.textContent()).toMatch(/\d mm → \d/);
    await calm.getByTestId('offer-take').click();
    await saved();
    expect((await document()).sway.calmStart).toBe(true);
    await ran(2);
    const [now, before] = await takes(), drift = (t: Take): number => figureOf(t.proof, 'drift')!.value;
    expect(drift(now)).toBeLessThan(0.5 * drift(before));
    // one step
    await page.getByRole('button', { name: /^Undo: Sags at the first frame/ }).click();
    await saved();
    expect((await document()).sway.calmStart).toBe(false);
    await page.getByRole('button', { name: /^Redo/ }).click();
    await saved();
  });

  it('a remedy that does not help says so', async () => {
    await page.getByTestId('trouble-other').click();
    await page.getByRole('option', { name: 'Grows longer when running' }).click();
    await page.getByTestId('mend-try').click();
    await until("f.state().mend?.running === false && f.state().mend.offers.every((o) => o.state === 'done')", 240);
    const verdicts = await page.getByTestId('offer').evaluateAll((list) => list.map((o) => o.getAttribute('data-verdict')));
    expect(verdicts.length).toBeGreaterThan(0);
    for (const v of verdicts) expect(['cures', 'helps', 'no help', 'worse', 'at a price']).toContain(v);
    await page.getByTestId('mend-close').click();
  });

  it('the old take is laid over the new one: a wipe, dragged, and both at once; the chart shows both', async () => {
    const old = page.getByTestId('take-row').nth(1);
    await old.getByTestId('take-over').click();
    await page.getByTestId('wipe').waitFor();
    await set({ frame: 6 });
    await settle(page);
    // warm at the left of the line, cool at its right
    const left = await colourAt(0.36, 0.48), right = await colourAt(0.52, 0.64);
    expect(left[0] - left[2]).toBeGreaterThan(right[0] - right[2] + 10);
    const box = (await page.getByTestId('wipe').boundingBox())!;
    await page.mouse.move(box.x + box.width / 2, box.y + 200);
    await page.mouse.down();
    await page.mouse.move(box.x - 150, box.y + 200, { steps: 4 });
    await page.mouse.up();
    expect(await ask<number>('f.state().compare.at')).toBeLessThan(0.4);
    await page.getByTestId('wipe').press('ArrowRight');
    await page.getByRole('radiogroup', { name: 'How takes are laid over each other' }).getByRole('radio', { name: 'both' }).click();
    expect(await page.getByTestId('wipe').count()).toBe(0);
    expect(await page.getByTestId('overlaid').textContent()).toContain('look back 1');
    await page.getByTestId('band-drift').click();
    await page.getByTestId('chart').waitFor();
    expect(await page.getByTestId('chart').locator('path.stroke-cool').count()).toBe(1);
    // a drag comes closer, Escape goes back; a click goes to a frame
    const chart = (await page.getByTestId('chart').boundingBox())!;
    await page.mouse.move(chart.x + 0.6 * chart.width, chart.y + 80);
    await page.mouse.down();
    await page.mouse.move(chart.x + 0.9 * chart.width, chart.y + 80, { steps: 5 });
    await page.mouse.up();
    await page.getByRole('button', { name: 'All frames' }).waitFor();
    await page.getByTestId('chart').press('Escape');
    expect(await page.getByRole('button', { name: 'All frames' }).count()).toBe(0);
    await page.getByTestId('chart').press('PageDown');
    expect(await page.getByTestId('chart-measure').inputValue()).not.toBe('drift');
  });

  it('the old take’s settings are put back, and its frames with them; pinned it stays; one is deleted', async () => {
    await page.getByTestId('take-row').nth(1).getByTestId('take-restore').click();
    await saved();
    expect((await document()).sway.calmStart).toBe(false);
    expect(await ask<boolean>('f.state().run.key === f.session.key && f.session.runs.live.size === 13')).toBe(true);
    await page.getByTestId('take-row').nth(1).getByTestId('take-pin').click();
    for (let k = 0; !(await takes())[1].pinned; k++) { expect(k).toBeLessThan(50); await page.waitForTimeout(100); }
    await page.getByTestId('take-row').first().getByTestId('take-restore').click();
    await saved();
    expect((await document()).sway.calmStart).toBe(true);
    await page.getByRole('radiogroup', { name: 'Strip' }).getByRole('radio', { name: 'Time' }).click();
    await page.getByRole('button', { name: /^Undo: Settings of/ }).click();
    await page.getByRole('button', { name: /^Redo/ }).click();
    await saved();
    const { length } = await takes(), gone = (await takes())[1].id;
    await page.locator(`[data-testid=take-row][data-id="${gone}"]`).getByTestId('take-delete').click();
    await page.locator(`[data-testid=take-row][data-id="${gone}"]`).waitFor({ state: 'detached' });
    expect((await takes()).length).toBe(length - 1);
  });
});

describe('proof on paper and in the show', () => {
  it('a limit typed is the show’s, for every groom of it; nothing typed is the usual one', async () => {
    const limit = page.getByLabel('Limit of jump in this show');
    await limit.fill('0.001');
    await limit.press('Enter');
    for (let k = 0; (await api<{ jump?: number }>(`/api/productions/${productionId}/limits`)).jump !== 0.001; k++) { expect(k).toBeLessThan(50); await page.waitForTimeout(100); }
    await page.locator('[data-testid=measure-jump][data-passes=false]').waitFor();
    await limit.fill('');
    await limit.press('Enter');
    for (let k = 0; (await api<{ jump?: number }>(`/api/productions/${productionId}/limits`)).jump !== undefined; k++) { expect(k).toBeLessThan(50); await page.waitForTimeout(100); }
    await page.locator('[data-testid=measure-jump][data-passes=true]').waitFor();
  });
  it('goes out as CSV, a line a frame, and as one page that stands alone', async () => {
    const [download] = await Promise.all([page.waitForEvent('download'), page.getByTestId('proof-csv').click()]), lines = readFileSync((await download.path())!, 'utf8').trim().split('\r\n');
    expect(lines.length).toBe(1 + 12 + 13);
    const [{ id, proof }] = await takes(), f = proof.frames.find((x) => x.frame === 5)!, cells = lines.find((l) => l.startsWith('5,'))!.split(','), columns = lines[0].split(',');
    expect(Number(cells[columns.indexOf('drift_mm')])).toBeCloseTo(1000 * f.drift, 3);
    const href = await page.getByTestId('proof-sheet').getAttribute('href');
    expect(href).toBe(`/api/takes/${id}/sheet`);
    const html = await (await fetch(trial.url + href)).text();
    expect(html).toContain('data:image/png;base64,');
    expect(html).not.toMatch(/<script|https?:\/\//);
    for (const v of judge(proof)) expect(html).toContain(MEASURES[v.name].label);
  });
  it('filled strands are measured when asked for, and the figure is kept with the take', async () => {
    await page.getByTestId('filled-measure').click();
    await until('f.state().measuring === null && f.session.takes.shownProof().proof.filled !== null', 240);
    const [{ proof }] = await takes();
    expect(proof.filled!.frames.length).toBe(13);
    expect(proof.filled!.count).toBe(1500);
    // by guides that can be marked, and by collider
    const guides = proof.report.guides, { frames, below, colliders } = proof.filled!;
    expect(frames.every(([, depth, guide]) => (depth > 0 ? guide >= 0 && guide < guides : guide === -1))).toBe(true);
    expect(Math.max(...below.map(([, , depth]) => depth))).toBeCloseTo(Math.max(...frames.map(([, depth]) => depth)), 12);
    const deepest = below.reduce((a, b) => (b[2] > a[2] ? b : a));
    expect(await page.getByTestId('below-list').innerText()).toContain(`filled strands below ${colliders[deepest[0]]}`);
    expect(await page.getByTestId('measure-filled').getAttribute('data-passes')).not.toBeNull();
  });
  it('heat is shown on the hair itself', async () => {
    await set({ frame: 12, compare: null });
    await settle(page);
    const plain = await colourAt(0.4, 0.6);
    await page.getByTestId('heat').click();
    await page.getByRole('option', { name: 'Drift' }).click();
    await page.waitForTimeout(400);
    await settle(page);
    const hot = await colourAt(0.4, 0.6);
    expect(Math.hypot(...hot.map((v, k) => v - plain[k]))).toBeGreaterThan(15);
    await page.getByTestId('heat').click();
    await page.getByRole('option', { name: 'none' }).click();
  });
  it('a click on the hair marks the guide that its strand follows, and tells its numbers; one beside it marks none', async () => {
    await settle(page);
    const box = (await page.getByTestId('view').boundingBox())!;
    const seen = await page.evaluate(() => {
      const { view, session, nodes } = (window as never as { fineComb: { nodes: () => Float32Array; session: { filled: { strands: { nodes: number; follow: { guides: Uint32Array; weights: Float32Array } } } }; view: { strandAt: (x: number, y: number) => { strand: number; depth: number } | null; camera: { matrixWorldInverse: { elements: number[] }; projectionMatrix: { elements: number[] } } } } }).fineComb;
      const canvas = globalThis.document.querySelector('[data-testid=view]')!, w = canvas.clientWidth, h = canvas.clientHeight, { strands } = session.filled, all = nodes(), hits: { x: number; y: number; strand: number; depth: number; points: number[]; guide: number }[] = [];
      for (let j = 1; j < 12; j++) for (let i = 1; i < 12; i++) {
        const x = Math.round((w * i) / 12), y = Math.round((h * j) / 12), hit = view.strandAt(x, y);
        if (!hit) continue;
        const o = 4 * strands.nodes * hit.strand, g = [0, 1, 2, 3].map((q) => 4 * hit.strand + q).reduce((a, b) => (strands.follow.weights[b] > strands.follow.weights[a] ? b : a));
        hits.push({ x, y, ...hit, points: Array.from(all.subarray(o, o + 4 * strands.nodes)), guide: strands.follow.guides[g] });
      }
      return { hits, w, h, V: [...view.camera.matrixWorldInverse.elements], P: [...view.camera.projectionMatrix.elements] };
    });
    expect(seen.hits.length).toBeGreaterThan(5);
    // against the strand's own nodes, put through the camera by hand: one of its edges passes by the place, as deep as was said
    const times = (M: number[], v: number[]): number[] => [0, 1, 2, 3].map((r) => [0, 1, 2, 3].reduce((s, c) => s + M[4 * c + r] * v[c], 0));
    for (const { x, y, depth, points } of seen.hits) {
      let least = Infinity, deep = NaN;
      for (let k = 0; k + 7 < points.length; k += 4) for (let f = 0; f <= 1; f += 0.1) {
        const eye = times(seen.V, [0, 1, 2].map((c) => points[k + c] + f * (points[k + 4 + c] - points[k + c])).concat(1)), clip = times(seen.P, eye), far = Math.hypot(((clip[0] / clip[3] + 1) / 2) * seen.w - x, ((1 - clip[1] / clip[3]) / 2) * seen.h - y);
        if (far < least) { least = far; deep = -eye[2]; }
      }
      expect(least).toBeLessThan(8);
      expect(Math.abs(deep - depth)).toBeLessThan(0.01);
    }
    const one = seen.hits[seen.hits.length >> 1];
    await page.mouse.click(box.x + one.x, box.y + one.y);
    await page.getByTestId('marked').waitFor();
    expect(await ask<number>('f.state().marked')).toBe(one.guide);
    expect(await page.getByTestId('marked').innerText()).toMatch(new RegExp(`guide\\s*${one.guide}\\b[\\s\\S]*depth[\\s\\S]*mm[\\s\\S]*jump[\\s\\S]* g`));
    await page.mouse.click(box.x + 8, box.y + 0.55 * box.height);
    await page.getByTestId('marked').waitFor({ state: 'detached' });
    expect(await ask<number>('f.state().marked')).toBe(-1);
  });
});

describe('wedges and shots', () => {
  it('a setting is fanned out into takes; the one that is picked becomes the setting', async () => {
    await page.getByTestId('stage-sway').click();
    const before = (await takes()).length;
    await page.getByTestId('wedge-open').click();
    await page.getByTestId('wedge-count-0').fill('2');
    await page.getByTestId('wedge-count-0').press('Enter');
    await page.getByTestId('wedge-from-0').fill('0.3');
    await page.getByTestId('wedge-from-0').press('Enter');
    await page.getByTestId('wedge-to-0').fill('0.9');
    await page.getByTestId('wedge-to-0').press('Enter');
    await page.getByTestId('wedge-run').click();
    await until("f.state().wedge.cells.length === 2 && f.state().wedge.cells.every((c) => c.state === 'done')", 240);
    await until(`f.state().takes.length === ${before + 2}`);
    expect((await takes()).slice(0, 2).map((t) => t.settings.sway.hold).sort()).toEqual([0.3, 0.9]);
    await page.getByTestId('wedge-chart').waitFor();
    await page.getByTestId('wedge-pick').nth(1).click();
    await saved();
    expect((await document()).sway.hold).toBe(0.9);
    expect(await ask<boolean>("f.state().board === 'none' && f.state().run.key === f.session.key && f.session.runs.live.size === 13")).toBe(true);
  });
  it('settings of one shot alone; all shots in a table, and those out of date are run', async () => {
    await page.getByTestId('stage-cast').click();
    await page.getByTestId('shot-add').click();
    await page.getByTestId('stage-sway').click();
    await page.getByRole('radiogroup', { name: 'Changes of movement count in' }).getByRole('radio', { name: 'this shot' }).click();
    await page.getByTestId('fold-holds').click();
    await page.getByTestId('sway-damping').fill('7');
    await page.getByTestId('sway-damping').press('Enter');
    await saved();
    const d = await document();
    expect(d.sway.damping).toBe(7);
    expect(d.setAside).toEqual({ damping: 2 });
    expect(await page.getByTestId('own-settings').textContent()).toContain('Damping');
    await page.getByTestId('stage-proof').click();
    await page.getByTestId('shot-check').click();
    expect(await page.getByTestId('shot-row-look back').getAttribute('data-state')).not.toBe('stale');
    expect(['stale', 'none']).toContain(await page.getByTestId('shot-row-look back 2').getAttribute('data-state'));
    await page.getByTestId('shots-run').click();
    await page.getByRole('button', { name: 'All are up to date' }).waitFor({ timeout: 240_000 });
    expect(['pass', 'attention']).toContain(await page.getByTestId('shot-row-look back 2').getAttribute('data-state'));
    expect((await takes())[0].settings.sway.damping).toBe(7);
    // and the character's other grooms, which nobody has run
    await page.getByTestId('shots-of-tail').waitFor();
    expect(await page.getByTestId('shots-of-tail').locator('tr[data-state]').evaluateAll((rows) => rows.map((r) => r.getAttribute('data-state')))).toEqual(['none']);
    expect(await page.getByTestId('shots-of-tail').getByRole('link', { name: 'open' }).getAttribute('href')).toMatch(/^\/groom\//);
    // one of them is run from here, in a page of its own; its take is that groom's
    const row = page.getByTestId('shots-of-tail').locator('tr[data-state]');
    await row.getByRole('button', { name: 'run' }).click();
    await page.waitForFunction(() => ['pass', 'attention'].includes(globalThis.document.querySelector('[data-testid=shots-of-tail] tr[data-state]')?.getAttribute('data-state') ?? ''), undefined, { timeout: 300_000, polling: 300 });
    const tail = (await page.getByTestId('shots-of-tail').getByRole('link', { name: 'open' }).getAttribute('href'))!.split('/').pop()!, kept = (await (await fetch(`${trial.url}/api/grooms/${tail}/takes`)).json()) as { shotName: string; hasFrames: boolean }[];
    expect(kept).toHaveLength(1);
    expect(kept[0].hasFrames).toBe(true);
    expect(await page.locator('iframe').count()).toBe(0);
    await page.getByTestId('board-close').click();
    await page.getByTestId('stage-sway').click();
    await page.getByTestId('own-settings').getByRole('button').click();
    await saved();
    expect((await document()).sway.damping).toBe(2);
  });
});

describe('by hand', () => {
  it('the run goes on under the hand: the character is dragged, a setting counts at once, nothing is kept', async () => {
    const before = (await takes()).length;
    await page.getByTestId('stage-sway').click();
    await set({ frame: 4 });
    await page.getByTestId('live').click();
    await until('f.session.hands.points !== null && f.state().live.rate > 0', 120);
    await page.getByRole('radiogroup', { name: 'The clip' }).getByRole('radio', { name: 'pose stays' }).click();
    expect(await page.getByTestId('source').textContent()).toBe('by hand');
    const was = await ask<number>('f.session.hands.points[0]');
    await drag([0.5, 0.5], [0.62, 0.5], [0.66, 0.5]);
    // the next frame has it
    await until(`Math.abs(f.session.hands.points[0] - ${was}) > 0.02`, 60);
    // roots stand on the skin that the hand has moved
    expect(await ask<number>('(() => { const p = f.session.hands.points, m = f.session.motions, n = f.session.guides.pointCount; let w = 0; for (let g = 0; g < 40; g++) for (let c = 0; c < 3; c++) w = Math.max(w, Math.abs(p[3 * n * g + c] - m[7 * g + 4 + c])); return w })()')).toBeLessThan(1e-6);
    // a drag that turns stays one when the clip begins again
    await page.getByRole('radiogroup', { name: 'A drag' }).getByRole('radio', { name: 'turns' }).click();
    await page.getByRole('radiogroup', { name: 'The clip' }).getByRole('radio', { name: 'clip runs' }).click();
    await until('f.state().frame >= 10', 120);
    await until('f.state().frame <= 6', 120);
    expect(await ask<string>('f.state().swayTool.how')).toBe('turn');
    await page.getByTestId('fold-holds').getAttribute('aria-expanded').then(async (open) => { if (open === 'false') await page.getByTestId('fold-holds').click(); });
    await page.getByTestId('sway-damping').fill('9');
    await page.getByTestId('sway-damping').press('Enter');
    await page.waitForTimeout(600);
    expect(await ask<boolean>('f.state().live.on && f.session.hands.points !== null')).toBe(true);
    await page.getByTestId('live-part').getByRole('button', { name: 'Pause' }).click();
    // the frame that is on its way still comes
    await until('f.session.hands.missing <= 0', 120);
    const paused = await ask<number>('f.session.hands.points[3]');
    await page.waitForTimeout(400);
    expect(await ask<number>('f.session.hands.points[3]')).toBe(paused);
    await page.getByTestId('live').click();
    expect(await ask<boolean>('f.session.hands.points === null && f.session.hands.hand === null')).toBe(true);
    expect((await takes()).length).toBe(before);
  });
});
