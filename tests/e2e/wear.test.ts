/** A scarf from a file of its own, its point cache, and several shots, in the browser. */
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import type { Browser, Page } from 'playwright-core';
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest';
import { openBrowser, startTrial, type Trial } from '../../cli/trial';
import type { GroomDocument } from '../../src/core/document/schema';
import { poseCharacter, restPositions, skinPositions } from '../../src/core/mesh/character';
import { oda } from '../helpers/oda';
import { handsOn, pick, watchedPage } from '../helpers/page';

const dir = mkdtempSync(path.join(tmpdir(), 'fine-comb-wear-')), errors: string[] = [];
let trial: Trial, browser: Browser, page: Page, groomId: string, odas: number, first: string;
const groom = async (id = groomId): Promise<{ version: number; document: GroomDocument; character: { id: string; warnings: string[] } }> => (await (await fetch(`${trial.url}/api/grooms/${id}`)).json()) as never;
const { saved, ask } = handsOn(() => page);
/** Chooses files and waits for the page to be loaded again with the new version. */
async function wears(files: string[]): Promise<string[]> {
  const before = (await groom()).character.id;
  await page.getByTestId('wear-file').setInputFiles(files);
  await page.waitForFunction((id) => (window as never as { fineComb?: { session?: { groom: { character: { id: string } } } } }).fineComb?.session?.groom.character.id !== id && !!document.querySelector('[data-testid=worn]'), before);
  return page.getByTestId('worn').locator('li').allTextContents();
}

beforeAll(async () => {
  const character = await oda(), scarf = character.meshes.find((m) => m.name === 'scarf')!, rest = restPositions(character, scarf), n = rest.length / 3, look = character.clips.find((c) => c.name === 'look back')!;
  // in centimetres, 6 mm higher, without joints
  writeFileSync(path.join(dir, 'scarf-v2.obj'), ['o knitted', ...Array.from({ length: n }, (_, v) => `v ${100 * rest[3 * v]} ${100 * rest[3 * v + 1] + 0.6} ${100 * rest[3 * v + 2]}`), ...Array.from({ length: scarf.triangles.length / 3 }, (_, t) => `f ${scarf.triangles[3 * t] + 1} ${scarf.triangles[3 * t + 1] + 1} ${scarf.triangles[3 * t + 2] + 1}`)].join('\n'));
  const frames = 49, view = new DataView(new ArrayBuffer(8 + 4 * frames + 12 * n * frames)), P = new Float64Array(3 * n);
  view.setInt32(0, frames); view.setInt32(4, n);
  for (let k = 0, at = 8 + 4 * frames; k < frames; k++) {
    view.setFloat32(8 + 4 * k, k / 24);
    skinPositions(character, scarf, poseCharacter(character, look, k / 24), P);
    for (const v of P) { view.setFloat32(at, 100 * v); at += 4; }
  }
  writeFileSync(path.join(dir, 'scarf.mdd'), new Uint8Array(view.buffer));
  writeFileSync(path.join(dir, 'broken.mdd'), new Uint8Array(view.buffer).subarray(0, 5000));
  trial = await startTrial();
  browser = await openBrowser();
  page = await watchedPage(browser, errors);
  const { productions } = (await (await fetch(`${trial.url}/api/overview`)).json()) as { productions: { assets: { name: string; grooms: { id: string; name: string }[] }[] }[] };
  const own = productions[0].assets.find((a) => a.name === 'Oda')!.grooms;
  [groomId, odas] = [own[0].id, own.length];
  first = (await groom()).character.id;
  await page.goto(`${trial.url}/groom/${groomId}`);
  await page.getByTestId('view').waitFor();
  await page.keyboard.press('1');
});
afterAll(async () => { await browser?.close(); await trial?.stop(); trial?.remove(); rmSync(dir, { recursive: true, force: true }); });
afterEach(() => { expect(errors.splice(0)).toEqual([]); });

describe('garments from files of their own', () => {
  it('a newer scarf in centimetres takes the place of the old one; the groom goes along, the version before stays', async () => {
    expect(odas).toBeGreaterThan(4);
    const before = await groom(), guides = before.document.guides;
    await pick(page, 'wear-replace', 'scarf');
    const told = (await wears([path.join(dir, 'scarf-v2.obj')])).join(' ');
    expect(told).toContain('Read as cm, Y up, which fits the character.');
    expect(told).toContain('takes the weights of the skin or cloth below');
    expect(told).toContain(`${odas} grooms went along.`);
    const after = await groom();
    expect(after.character.id).not.toBe(before.character.id);
    expect(after.document).toEqual(before.document);
    expect(after.document.guides).toEqual(guides);
    // 6 mm higher, under its old name, and a collider by itself
    const higher = await ask<number>(`(() => { const m = f.session.character.meshes.find((x) => x.name === 'scarf'); let y = 0; for (let k = 1; k < m.positions.length; k += 3) y = Math.max(y, m.positions[k]); return y; })()`), was = Math.max(...restPositions(await oda(), (await oda()).meshes.find((m) => m.name === 'scarf')!).filter((_, k) => k % 3 === 1));
    expect(higher - was).toBeCloseTo(0.006, 4);
    await page.waitForFunction(() => (window as never as { fineComb: { session: { colliders: () => { shells: { on: boolean; label: string }[] } } } }).fineComb.session.colliders().shells.some((s) => s.on && s.label === 'scarf'));
  });
  it('a point cache moves it in the clip of the shot; a broken one is refused and changes nothing', async () => {
    const before = await groom();
    await pick(page, 'wear-replace', 'scarf');
    await page.getByTestId('wear-file').setInputFiles([path.join(dir, 'broken.mdd')]);
    expect(await page.getByTestId('wear-error').textContent()).toContain('is cut off');
    expect(await groom()).toEqual(before);
    const told = (await wears([path.join(dir, 'scarf.mdd')])).join(' ');
    expect(told).toContain('moves by its point cache, 49 frames');
    const character = await oda(), scarf = character.meshes.find((m) => m.name === 'scarf')!, P = new Float64Array(scarf.positions.length);
    skinPositions(character, scarf, poseCharacter(character, character.clips.find((c) => c.name === 'look back')!, 15 / 24), P);
    await ask(`(f.state().set({ frame: 15 }), 0)`);
    const places = await ask<[number, number][]>(`(() => { const c = f.session.character, i = c.meshes.findIndex((m) => m.name === 'scarf'), m = c.meshes[i], w = f.session.pose.subarray(16 * c.nodes.length + c.meshes.slice(0, i).reduce((n, q) => n + q.morphs.length, 0)); return Array.from({ length: 60 }, (_, k) => [3 * m.points[(k / 3) | 0] + (k % 3), m.positions[k] + m.morphs.reduce((s, f, q) => s + w[q] * f.offsets[k], 0)]); })()`);
    expect(Math.max(...places.map(([k, v]) => Math.abs(v - P[k])))).toBeLessThan(1e-4);
  });
  it('all versions can be gone back to', async () => {
    await page.getByTestId('versions').waitFor();
    expect(await page.getByTestId('versions').locator('li').count()).toBe(3);
    await page.getByTestId('version-1').click();
    await page.waitForFunction((id) => (window as never as { fineComb?: { session?: { groom: { character: { id: string } } } } }).fineComb?.session?.groom.character.id === id, first);
    expect(await ask<number>(`f.session.character.meshes.find((m) => m.name === 'scarf').morphs.length`)).toBe(0);
  });
});

describe('several shots', () => {
  it('one more, with another clip and without the scarf; both keep what they are', async () => {
    const first = (await groom()).document;
    await page.getByTestId('shot-add').click();
    await page.getByTestId('clip-lock-beam walk').click();
    await page.getByRole('button', { name: 'Hide scarf in this shot' }).click();
    await saved();
    const both = (await groom()).document;
    expect(both).toMatchObject({ shotName: 'lock-beam walk', shot: { clip: 'lock-beam walk' }, hidden: ['scarf'], otherShots: [{ shotName: 'look back', shot: first.shot, hidden: [], own: {} }] });
    // its name, typed
    await page.getByTestId('shot-lock-beam walk').click();
    await page.getByLabel('Name of the shot').fill('walking');
    await page.getByLabel('Name of the shot').press('Enter');
    await page.getByTestId('shot-look back').click();
    await saved();
    expect((await groom()).document).toMatchObject({ shotName: 'look back', shot: first.shot, hidden: [] });
    await page.keyboard.press('Control+z');
    await saved();
    expect((await groom()).document.shotName).toBe('walking');
    await page.getByTestId('shot-remove').click();
    await saved();
    expect((await groom()).document).toEqual(first);
  });
});
