/** Somebody else's characters, in the browser: looked at, placed, taken; then plots, maps, guides and curves. */
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import bunny from 'bunny';
import type { Browser, Page } from 'playwright-core';
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest';
import { openBrowser, settle, startTrial, type Trial } from '../../cli/trial';
import type { GroomDocument } from '../../src/core/document/schema';
import { openCurves } from '../../src/formats/curves';
import { handsOn, pick, takeIn, watchedPage } from '../helpers/page';

const MODELS = '/usr/share/assimp/models', HAND = 'node_modules/@webxr-input-profiles/assets/dist/profiles/generic-hand/left.glb', MORPH = `${MODELS}/glTF2/glTF-Sample-Models/AnimatedMorphCube-glTF/AnimatedMorphCube`;
const dir = mkdtempSync(path.join(tmpdir(), 'fine-comb-cast-')), errors: string[] = [];
let trial: Trial, browser: Browser, page: Page;
const document = async (id: string): Promise<GroomDocument> => ((await (await fetch(`${trial.url}/api/grooms/${id}`)).json()) as { document: GroomDocument }).document;
const type = async (id: string, value: number): Promise<void> => { await page.getByTestId(id).fill(String(value)); await page.getByTestId(id).press('Enter'); };
const { saved, planted, ask, drag } = handsOn(() => page);

beforeAll(async () => {
  trial = await startTrial();
  browser = await openBrowser();
  page = await watchedPage(browser, errors);
});
afterAll(async () => { await browser?.close(); await trial?.stop(); trial?.remove(); rmSync(dir, { recursive: true, force: true }); });
afterEach(() => { expect(errors.splice(0)).toEqual([]); });

describe('characters from elsewhere', () => {
  it('a headset’s hand of 25 joints; a skin in text form; an engine compressed with Draco; a cube of shapes with its file beside it', async () => {
    await takeIn(page, trial.url, [HAND], async () => { expect(await page.getByTestId('import-height').textContent()).toBe('0.21 m tall'); });
    await takeIn(page, trial.url, [`${MODELS}/glTF2/simple_skin/simple_skin.gltf`]);
    await takeIn(page, trial.url, ['gltf', 'bin'].map((end) => `${MODELS}/glTF2/draco/2CylinderEngine.${end}`), async () => { expect(await page.getByText(/^1\d\d,\d{3} triangles/).count()).toBe(1); });
    const id = await takeIn(page, trial.url, [`${MORPH}.gltf`, `${MORPH}.bin`]);
    expect((await document(id)).shot.clip).not.toBe('');
    // half-way its shapes are on: the cube is another one
    const places = (frame: number): Promise<number[]> => ask(`(f.state().set({ frame: ${frame} }), Array.from(f.session.skin.slice(0, 60)))`), still = await places(0), moved = await places(24);
    expect(Math.max(...still.map((v, i) => Math.abs(v - moved[i])))).toBeGreaterThan(1e-3);
  });
  it('a mesh in centimetres that lies on its back is stood up, and so is the next of its kind', async () => {
    // the bunny, as a file in centimetres with Z up
    const low = Math.min(...bunny.positions.map((p) => p[1])), text = [...bunny.positions.map(([x, y, z]) => `v ${5 * x} ${-5 * z} ${5 * (y - low)}`), ...bunny.cells.map((c) => `f ${c.map((v) => v + 1).join(' ')}`)].join('\n');
    writeFileSync(path.join(dir, 'bunny.obj'), text);
    const id = await takeIn(page, trial.url, [path.join(dir, 'bunny.obj')], async () => {
      await pick(page, 'import-unit', /centimetres/);
      await pick(page, 'import-up', 'Z up');
      await page.getByTestId('import-turn').click();
      await page.getByLabel('Role of mesh').selectOption('prop');
      await page.getByLabel('Role of mesh').selectOption('body');
    });
    const box = await ask<{ y: [number, number] }>('(() => { const P = f.session.rest; let a = 1e9, b = -1e9; for (let i = 1; i < P.length; i += 3) { a = Math.min(a, P[i]); b = Math.max(b, P[i]); } return { y: [a, b] }; })()');
    expect(box.y[0]).toBeCloseTo(0, 4);
    expect(box.y[1]).toBeGreaterThan(0.3);
    expect(box.y[1]).toBeLessThan(0.6);
    expect((await document(id)).plot.mesh).toBe('mesh');
    // it is smaller than a person: so are its hair and the brush
    const tallest = Math.max(...await ask<number[]>('(() => { const P = f.session.rest, l = [1e9, 1e9, 1e9], h = [-1e9, -1e9, -1e9]; P.forEach((v, i) => { l[i % 3] = Math.min(l[i % 3], v); h[i % 3] = Math.max(h[i % 3], v); }); return h.map((v, c) => v - l[c]); })()')), share = tallest / 0.8;
    expect((await document(id)).plant.lengthCm).toBe(Number((24 * share).toPrecision(2)));
    expect(await ask<number>('f.state().brush.radiusMm')).toBe(Number((28 * share).toPrecision(2)));
    // a number that is finer than it is shown stays as it is when it is only looked at
    await page.keyboard.press('2');
    await type('plant-lengthCm', 12.3456);
    await page.getByTestId('plant-lengthCm').focus();
    expect(await page.getByTestId('plant-lengthCm').inputValue()).toBe('12.35');
    await page.getByTestId('plant-lengthCm').blur();
    await saved();
    expect((await document(id)).plant.lengthCm).toBe(12.3456);
    await takeIn(page, trial.url, [path.join(dir, 'bunny.obj')], async () => { await page.getByText('As for the last file of this kind.').waitFor(); });
  });
  it('another groom begins on the same character, by its name', async () => {
    const here = page.url();
    await page.goto(trial.url);
    await page.getByRole('button', { name: 'New groom on Bramble' }).click();
    await page.getByLabel('Name of the new groom on Bramble').fill('whiskers');
    await page.getByRole('button', { name: 'Begin' }).click();
    await page.waitForURL(/\/groom\//);
    await page.getByTestId('view').waitFor();
    const begun = await document(new URL(page.url()).pathname.split('/').pop()!);
    expect(begun).toMatchObject({ guides: null, plot: { mesh: 'pony', faces: null }, shot: { clip: 'trot', cyclic: true } });
    await page.goto(here);
    await page.getByTestId('view').waitFor();
  });
  it('a role is changed by one choice, and undone', async () => {
    await pick(page, 'role-mesh', 'garment');
    await saved();
    const id = new URL(page.url()).pathname.split('/').pop()!;
    expect((await document(id)).sway.meshRoles).toEqual({ mesh: 'garment' });
    await page.getByRole('button', { name: /^Undo/ }).click();
    await saved();
    expect((await document(id)).sway.meshRoles).toEqual({});
  });
});

describe('planting on it', () => {
  let id = '';
  it('density is painted where there is no plot yet, and hair grows by it', async () => {
    id = new URL(page.url()).pathname.split('/').pop()!;
    await page.getByTestId('stage-plant').click();
    await settle(page);
    await page.getByTestId('paint-density').click();
    await type('brush-radiusMm', 60);
    await drag([0.5, 0.45], [0.56, 0.5]);
    await saved();
    const { plot } = await document(id);
    expect(plot.faces).toMatch(/^[0-9a-f]{64}$/);
    expect(plot.maps.density).toMatch(/^[0-9a-f]{64}$/);
    await page.getByRole('radio', { name: 'So dense' }).click();
    await type('plant-perCm2', 0.5);
    await type('plant-lengthCm', 3);
    await page.getByTestId('plant').click();
    await planted();
    const guides = (await document(id)).guides!.count;
    expect(guides).toBeGreaterThan(10);
    // most stand where most was painted: in the middle of the stroke
    const mean = await ask<number>('(() => { const { grid } = f.session.desk, m = f.session.desk.map("density"), { faces, weights } = f.session.guides.planting; let s = 0; faces.forEach((q, i) => { s += grid.sample(m, q, weights[2 * i], weights[2 * i + 1]); }); return s / faces.length; })()');
    const even = await ask<number>('(() => { const { grid } = f.session.desk, m = f.session.desk.map("density"); let s = 0, n = 0; for (const q of f.session.plotFaces) { s += grid.sample(m, q, 1/3, 1/3); n++; } return s / n; })()');
    expect(mean).toBeGreaterThan(even + 0.05);
  });
  it('more are planted between those that are there, which stay', async () => {
    const before = await ask<number[]>('Array.from(f.session.guides.offsets)'), { count } = (await document(id)).guides!;
    await type('plant-perCm2', 1);
    await page.getByTestId('plant-more').click();
    await planted();
    const after = await ask<number[]>('Array.from(f.session.guides.offsets)');
    expect((await document(id)).guides!.count).toBeGreaterThan(1.6 * count);
    expect(after.slice(0, before.length)).toEqual(before);
  });
  it('long planting says how far it is, and stops at a word: what was there stays', async () => {
    const before = (await document(id)).guides!;
    await page.getByRole('radio', { name: 'So many' }).click();
    await type('plant-guideCount', 12000);
    await page.getByTestId('plant').click();
    await page.waitForFunction(() => (window as never as { fineComb: { state: () => { plantingShare: number } } }).fineComb.state().plantingShare > 0);
    expect(await page.getByTestId('plant').textContent()).toMatch(/Planting … \d+ %/);
    await page.getByTestId('plant-stop').click();
    await planted();
    expect((await document(id)).guides).toEqual(before);
    // and can begin anew, with no more than is asked for then
    for (let k = 0; k < 2; k++) await page.getByRole('button', { name: /^Undo/ }).click();
    await page.getByTestId('plant').click();
    await planted();
    expect((await document(id)).guides!.count).toBeLessThan(12000);
    await page.getByRole('button', { name: /^Undo: Plant/ }).click();
    await saved();
    expect((await document(id)).guides).toEqual(before);
  });
  it('a gradient, an inversion, a blur and a mirror of the length map are edits, each undone', async () => {
    await page.getByTestId('paint-length').click();
    await page.getByRole('radio', { name: 'Gradient' }).click();
    await drag([0.5, 0.42], [0.56, 0.55]);
    for (const label of ['Invert the length map', 'Blur the length map', 'Copy the length map from its left to its right', 'Blend the length map', 'Clear the length map']) await page.getByRole('button', { name: label }).click();
    await saved();
    expect((await document(id)).plot.maps.length).toBeNull();
    for (let k = 0; k < 5; k++) await page.getByRole('button', { name: /^Undo/ }).click();
    await saved();
    expect((await document(id)).plot.maps.length).toMatch(/^[0-9a-f]{64}$/);
  });
  it('the plot grows and shrinks back; a loose part is the whole of it', async () => {
    const faces = (): Promise<number> => ask('f.session.plotFaces.length'), before = await faces();
    await page.getByRole('button', { name: 'Grow', exact: true }).click();
    expect(await faces()).toBeGreaterThan(before);
    await page.getByRole('button', { name: /^Undo: Grow/ }).click();
    await page.getByRole('button', { name: 'Loose part' }).click();
    await drag([0.5, 0.5], [0.5, 0.5]);
    expect(await faces()).toBe(bunny.cells.length);
    await page.getByRole('button', { name: /^Undo: Loose part/ }).click();
    expect(await faces()).toBe(before);
  });
  it('a guide is drawn, others put between', async () => {
    const { count } = (await document(id)).guides!;
    await page.getByRole('button', { name: 'Draw a guide along the skin' }).click();
    await drag([0.5, 0.45], [0.55, 0.55]);
    await page.getByRole('button', { name: 'Add guides between others' }).click();
    await drag([0.52, 0.5], [0.52, 0.5]);
    await saved();
    expect((await document(id)).guides!.count).toBe(count + 2);
  });
  it('guides go out as curves and come in again, in another unit and axis, as they were', async () => {
    const [download] = await Promise.all([page.waitForEvent('download'), pick(page, 'hand-out', /OBJ polylines/)]), file = path.join(dir, 'out.obj');
    await download.saveAs(file);
    const out = await openCurves([{ name: 'out.obj', bytes: new Uint8Array(readFileSync(file)) }]), { count } = (await document(id)).guides!;
    expect(out.ok && out.value.curves.length).toBe(count);
    const turned = readFileSync(file, 'utf8').split('\n').map((l) => { const [k, x, y, z] = l.split(' '); return k === 'v' ? `v ${1000 * Number(x)} ${-1000 * Number(z)} ${1000 * Number(y)}` : l; });
    writeFileSync(file, [...turned, 'v 9000 0 0', 'v 9000 0 50', `l ${16 * count + 1} ${16 * count + 2}`].join('\n'));
    const before = await ask<number[]>('Array.from(f.session.guides.offsets)');
    await page.getByLabel('Curve file').setInputFiles(file);
    await page.getByText(`${count} of ${count + 1} find their skin`).waitFor();
    expect(await page.getByTestId('curve-lost').textContent()).toContain(`curve ${count + 1}`);
    // shifted off the skin they are left out, and offered to be seated from farther away; the one that is metres off is not
    const number = async (id: string, value: string): Promise<void> => { await page.getByTestId(id).fill(value); await page.getByTestId(id).press('Enter'); };
    expect(await page.getByTestId('seat-more').count()).toBe(0);
    await number('curve-y', '0.03');
    const seated = async (): Promise<number> => Number((await page.getByTestId('curve-result').textContent())!.match(/^\d+/)![0]), few = await seated(), more = Number((await page.getByTestId('seat-more').textContent())!.match(/Seat (\d+) more/)![1]);
    expect(more).toBeGreaterThan(20);
    await page.getByTestId('seat-more').click();
    await page.getByText(`${few + more} of ${count + 1} find their skin`).waitFor();
    expect(await page.getByTestId('seat-more').count()).toBe(0);
    await number('curve-y', '0');
    await number('curve-limit', '5');
    await page.getByText(`${count} of ${count + 1} find their skin`).waitFor();
    await page.getByTestId('take-curves').click();
    await saved();
    const after = await ask<number[]>('Array.from(f.session.guides.offsets)');
    expect((await document(id)).guides).toMatchObject({ count, combed: true });
    expect(Math.max(...before.map((v, i) => Math.abs(v - after[i])))).toBeLessThan(2e-3);
    await page.getByText('These guides came from a file.').waitFor();
  });
  it('a groom is carried over to a newer file of its character, and what moved is told', async () => {
    const text = readFileSync(path.join(dir, 'bunny.obj'), 'utf8'), here = page.url(), { count } = (await document(id)).guides!;
    // a newer file: every vertex 2 mm higher; its faces the same
    writeFileSync(path.join(dir, 'bunny-2.obj'), text.split('\n').map((l) => { const [k, x, y, z] = l.split(' '); return k === 'v' ? `v ${x} ${y} ${Number(z) + 0.2}` : l; }).join('\n'));
    await takeIn(page, trial.url, [path.join(dir, 'bunny-2.obj')]);
    await page.goto(here);
    await page.getByTestId('view').waitFor();
    await page.getByTestId('stage-cast').click();
    await pick(page, 'carry-to', /bunny-2/);
    await page.getByTestId('carry').click();
    const told = await page.getByTestId('carried').textContent();
    expect(told).toMatch(/has the same triangles/);
    expect(told).toMatch(new RegExp(`${count} of ${count} roots moved, by 2\\.0 mm on average and 2\\.0 mm at most`));
    await page.getByRole('link', { name: 'Open it' }).click();
    await page.waitForURL((u) => u.href !== here && u.pathname.startsWith('/groom/'));
    await page.getByTestId('view').waitFor();
    expect((await document(new URL(page.url()).pathname.split('/').pop()!)).guides!.count).toBe(count);
    await page.goto(here);
    await page.getByTestId('view').waitFor();
  });
  it('skin that shows is told in a figure, and its bald spots are gone through', async () => {
    await page.getByTestId('stage-fill').click();
    await settle(page);
    await page.getByTestId('cover-round').click();
    await page.getByTestId('bare').waitFor();
    expect(await page.getByTestId('bare').textContent()).toMatch(/^\d+\.\d % of the plot’s skin shows all round/);
    await page.getByRole('button', { name: 'Next bald spot' }).click();
    await page.getByText(/^1 of \d+: \d+ % bare$/).waitFor();
    await page.getByRole('button', { name: 'Hide', exact: true }).click();
    expect(await page.getByTestId('bare').count()).toBe(0);
    await page.getByTestId('stage-plant').click();
  });
  it('a file of no curves is told; nothing changes', async () => {
    writeFileSync(path.join(dir, 'note.obj'), 'v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n');
    await page.getByLabel('Curve file').setInputFiles(path.join(dir, 'note.obj'));
    expect(await page.getByRole('alert').filter({ hasText: 'Nothing was changed' }).textContent()).toMatch(/“note\.obj” holds no curve/);
  });
});
