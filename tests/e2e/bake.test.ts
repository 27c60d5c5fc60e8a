/** A bake through thick and thin in a real browser: killed, resumed, handed over in every format, received, taken elsewhere. */
import { spawnSync } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { unzipSync } from 'fflate';
import type { Browser, Page } from 'playwright-core';
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest';
import { openBrowser, startTrial, type Trial } from '../../cli/trial';
import { HAND_OVER_FORMATS, HAND_OVER_NAMES } from '../../src/core/document/hand-over';
import type { GroomDocument } from '../../src/core/document/schema';
import { handsOn, pick, watchedPage } from '../helpers/page';
import { readUsd } from '../helpers/usd';

const OF_HAIR = HAND_OVER_NAMES.filter((n) => !HAND_OVER_FORMATS[n].chains);
let trial: Trial, browser: Browser, page: Page, groom: { id: string };
let yes = true;
const errors: string[] = [], dir = mkdtempSync(path.join(tmpdir(), 'fine-comb-bake-')), { saved, ask } = handsOn(() => page);
const api = async <T>(url: string): Promise<T> => (await (await fetch(trial.url + url)).json()) as T;
const chunk = async (id: string, first: number): Promise<Buffer> => Buffer.from(await (await fetch(`${trial.url}/api/bakes/${id}/chunks/${first}`)).arrayBuffer());
interface B { id: string; state: string; stepsDone: number; steps: number; bytes: number; chunks: { first: number; count: number }[] }
const bakes = (): Promise<B[]> => api(`/api/grooms/${groom.id}/bakes`);
const until = async (what: () => Promise<boolean>, seconds = 180): Promise<void> => { for (const end = Date.now() + 1000 * seconds; !(await what()); await new Promise((r) => { setTimeout(r, 150); })) if (Date.now() > end) throw new Error('waited too long'); };
const open = async (): Promise<void> => { await page.goto(`${trial.url}/groom/${groom.id}`); await page.getByTestId('view').waitFor(); await page.getByTestId('stage-bake').click(); };
const download = async (id: string, timeout = 60_000): Promise<string> => { const wait = page.waitForEvent('download', { timeout }); await page.getByTestId(id).first().click(); const file = await wait, to = path.join(dir, file.suggestedFilename()); await file.saveAs(to); return to; };

beforeAll(async () => {
  trial = await startTrial();
  browser = await openBrowser();
  page = await watchedPage(browser, errors);
  page.on('dialog', (d) => void (yes ? d.accept() : d.dismiss()));
  groom = (await api<{ productions: { assets: { grooms: { id: string; name: string }[] }[] }[] }>('/api/overview')).productions[0].assets[0].grooms.find((g) => g.name === 'loose hair')!;
  const { document, version } = await api<{ document: GroomDocument; version: number }>(`/api/grooms/${groom.id}`);
  document.shot.end = 26;
  document.bake.preRoll = 10;
  document.fill.preview = 800;
  document.fill.count = 4000;
  document.cards = { ...document.cards, atlas: '512', triangles: 2000, levels: 1 };
  const put = await fetch(`${trial.url}/api/grooms/${groom.id}`, { method: 'PUT', headers: { 'content-type': 'application/json' }, body: JSON.stringify({ base: version, document, label: 'Shorter', between: [] }) });
  expect(put.status).toBe(200);
});
afterAll(async () => { await browser?.close(); await trial?.stop(); trial?.remove(); rmSync(dir, { recursive: true, force: true }); });
afterEach(() => { expect(errors.splice(0)).toEqual([]); });

describe('a bake', () => {
  it('goes on where it was after the server was killed, and comes out to the byte as one that was let be', async () => {
    await open();
    await page.getByTestId('bake').click();
    await until(async () => ((await bakes())[0]?.stepsDone ?? 0) >= 27);
    await page.close();
    await trial.kill();
    await trial.restart();
    let least = Infinity;
    await until(async () => { const [b] = await bakes(); if (b.state === 'running' && b.stepsDone > 0) least = Math.min(least, b.stepsDone); return b.state === 'done'; });
    // not from the beginning
    expect(least).toBeGreaterThanOrEqual(24);
    page = await watchedPage(browser, errors);
    page.on('dialog', (d) => void (yes ? d.accept() : d.dismiss()));
    await open();
    await page.getByTestId('bake').click();
    await until(async () => (await bakes()).filter((b) => b.state === 'done').length === 2);
    const [two, one] = await Promise.all((await bakes()).map((b) => api<B>(`/api/bakes/${b.id}`)));
    expect(two.chunks).toEqual(one.chunks);
    for (const c of one.chunks) expect((await chunk(two.id, c.first)).equals(await chunk(one.id, c.first))).toBe(true);
    expect(one.bytes).toBeLessThan(0.25 * 12 * 420 * 16 * 27);
    expect(await ask('f.state().bakes.length')).toBe(2);
  });
  it('says what change makes it out of date, and nothing else does', async () => {
    await page.locator('[data-testid=bake-row] button[aria-pressed=true]').waitFor();
    expect(await page.getByTestId('stale').count()).toBe(0);
    await page.getByTestId('stage-fill').click();
    await page.evaluate(() => { (window as never as { fineComb: { state: () => { edit: (n: string, c: (d: GroomDocument) => void) => void } } }).fineComb.state().edit('Width', (d) => { d.fill.widthUm = 95; }); });
    await page.getByTestId('stage-bake').click();
    expect(await page.getByTestId('stale').count()).toBe(0);
    const change = (): Promise<void> => page.evaluate(() => { (window as never as { fineComb: { state: () => { edit: (n: string, c: (d: GroomDocument) => void) => void } } }).fineComb.state().edit('Friction', (d) => { d.sway.friction = 0.55; d.hidden = ['belt']; }); });
    // a baked shot is frozen; whoever wants to change it is asked
    yes = false;
    await change();
    expect(await ask('f.session.document.hidden')).toEqual([]);
    yes = true;
    await change();
    expect(await page.getByTestId('stale').first().textContent()).toMatch(/^Out of date: without belt, Friction 0\.\d+ → 0\.55\.$/);
    expect(await page.getByTestId('stage-bake').getAttribute('data-status')).toBe('stale');
    await page.keyboard.press('Control+z');
    expect(await page.getByTestId('stale').count()).toBe(0);
    await saved();
  });
});

describe('handing over', () => {
  it('writes every format, each with its sheet; the stand-in receiver takes what it can play and finds it right', async () => {
    for (const format of OF_HAIR) {
      await pick(page, 'hand-over-format', new RegExp(`^${HAND_OVER_FORMATS[format].label}\\s*\\${HAND_OVER_FORMATS[format].ending}$`));
      await page.getByTestId('hand-over').click();
      await until(async () => (await ask<string[]>(`f.state().exports.filter((e) => e.wish.format === '${format}').map((e) => e.state + (e.message ?? ''))`))[0] === 'done');
    }
    // and joint chains once more, packed
    await pick(page, 'hand-over-format', new RegExp(`^${HAND_OVER_FORMATS.chains.label}`));
    await page.getByText('Packed', { exact: true }).click();
    await page.getByTestId('hand-over').click();
    await until(async () => (await ask<string[]>('f.state().exports.filter((e) => e.wish.packed).map((e) => e.state + (e.message ?? ""))'))[0] === 'done');
    await page.getByText('Packed', { exact: true }).click();
    const made = await ask<{ id: string; wish: { format: string; packed: boolean }; files: { name: string; size: number }[] }[]>('f.state().exports'), size = (packed: boolean): number => made.find((e) => e.wish.format === 'chains' && e.wish.packed === packed)!.files.find((f) => /lod0.*glb$/.test(f.name))!.size;
    expect(made.length).toBe(OF_HAIR.length + 1);
    expect(size(true)).toBeLessThan(size(false));
    const zip = await download('download'), files = unzipSync(readFileSync(zip));
    expect(spawnSync('unzip', ['-t', zip], { encoding: 'utf8' }).stdout).toMatch(/No errors detected/);
    expect(Object.keys(files)).toEqual(expect.arrayContaining(['sheet.json', 'sheet.html']));
    const receiver = await watchedPage(browser, errors);
    for (const { id, wish: { format } } of made) {
      await receiver.goto(`${trial.url}/receive/${id}`);
      if (format === 'pc2') {
        await receiver.getByText(/no general-purpose loader of PC2/).waitFor({ timeout: 60_000 });
        expect(await receiver.locator('[data-testid=checks] li').evaluateAll((all) => all.map((li) => [(li as HTMLElement).dataset.passes, /to the byte/.test((li as HTMLElement).innerText)]))).toEqual([['true', true]]);
        continue;
      }
      await receiver.locator('[data-testid=checks][data-done=yes]').waitFor({ timeout: 120_000 });
      const found = await receiver.evaluate(() => [...document.querySelectorAll('[data-testid=checks] li')].map((li) => ({ passes: (li as HTMLElement).dataset.passes, text: (li as HTMLElement).innerText })));
      expect([format, found.filter((c) => c.passes !== 'true')]).toEqual([format, []]);
      expect(found.length).toBeGreaterThan(HAND_OVER_FORMATS[format as 'usdc'].moving ? 4 : 1);
      if (['usdc', 'chains', 'vat', 'mdd'].includes(format)) expect(found.map((c) => c.text).join('\n')).toMatch(/Sits on the character[\s\S]*Follows it/);
    }
    const chains = made.find((e) => e.wish.format === 'chains')!;
    await receiver.goto(`${trial.url}/api/exports/${chains.id}/sheet`);
    const sheet = await receiver.locator('body').innerText();
    for (const text of ['In the stand-in receiver', 'Follows it', 'What the reductions cost', 'SHA-256', 'Proof of the bake']) expect(sheet).toContain(text);
    expect(await receiver.locator('img').count()).toBe(1);
    await receiver.close();
  });
  it('keeps receivers, of which one sets axes, unit, rate and limits at once', async () => {
    await pick(page, 'hand-over-receiver', /left-handed, centimetres/);
    await pick(page, 'hand-over-format', /Point cache of the cards\s*\.mdd/);
    await page.getByTestId('fold-receivers').click();
    await page.getByTestId('add-receiver').click();
    await page.getByTestId('receiver-name').fill('Harbour engine');
    await page.getByTestId('receiver-name').press('Enter');
    await until(async () => (await api<{ name: string }[]>('/api/receivers')).some((r) => r.name === 'Harbour engine'));
    await page.getByTestId('hand-over').click();
    await until(async () => (await ask<string[]>('f.state().exports.filter((e) => e.wish.receiver.name === "Harbour engine").map((e) => e.state)'))[0] === 'done');
    const [one] = await ask<{ id: string; sheet: { report: { frames: { fps: number } }; wish: { receiver: { up: string; metres: number } } }; files: { name: string }[] }[]>('f.state().exports.filter((e) => e.wish.receiver.name === "Harbour engine")');
    expect([one.sheet.report.frames.fps, one.sheet.wish.receiver, one.files[0].name]).toMatchObject([30, { up: 'z', metres: 0.01 }, 'OdaLooseHairLookBack.mdd']);
    const receiver = await watchedPage(browser, errors);
    await receiver.goto(`${trial.url}/receive/${one.id}`);
    await receiver.locator('[data-testid=checks][data-done=yes]').waitFor({ timeout: 120_000 });
    expect(await receiver.evaluate(() => [...document.querySelectorAll('[data-testid=checks] li')].filter((li) => (li as HTMLElement).dataset.passes !== 'true').map((li) => (li as HTMLElement).innerText))).toEqual([]);
    await receiver.close();
    await page.reload();
    await page.getByTestId('stage-bake').click();
    await page.getByTestId('hand-over-receiver').click();
    await page.getByRole('option', { name: 'Harbour engine' }).waitFor();
    await page.keyboard.press('Escape');
  });
});

it('a movie of it plays', async () => {
  await page.getByTestId('fold-movie').click();
  for (const [id, v] of [['movie-height', 180], ['movie-fine', 1], ['movie-strands', 500]] as const) { await page.getByTestId(id).fill(String(v)); await page.getByTestId(id).press('Enter'); }
  await page.getByTestId('movie-of').click();
  expect(await page.getByRole('option').allInnerTexts()).toEqual(expect.arrayContaining([expect.stringContaining('the bake that is shown'), expect.stringContaining('the combed shape')]));
  await page.getByRole('option', { name: 'the bake that is shown' }).click();
  const coming = page.waitForEvent('download', { timeout: 240_000 });
  await page.getByTestId('save-movie').click();
  // it is drawn beside the work: another stage is gone to, a frame is looked at, an edit is made and undone meanwhile
  await page.getByRole('button', { name: /^Movie / }).waitFor();
  await page.getByTestId('stage-fill').click();
  await page.evaluate(() => { (window as never as { fineComb: { state: () => { set: (s: object) => void } } }).fineComb.state().set({ frame: 7 }); });
  expect(await page.getByTestId('frame').innerText()).toBe('7');
  await page.getByRole('button', { name: /^Movie / }).click();
  const file = await (await coming).path(), bytes = readFileSync(file), named = (await coming).suggestedFilename();
  expect([path.extname(named), bytes.readUInt32BE(0)]).toEqual(['.webm', 0x1a45dfa3]);
  expect(await page.locator('iframe').count()).toBe(0);
  const player = await browser.newPage(), seen = await player.evaluate(async (data) => {
    const video = document.createElement('video');
    video.muted = true;
    video.src = URL.createObjectURL(new Blob([Uint8Array.from(atob(data), (c) => c.charCodeAt(0))], { type: 'video/webm' }));
    await new Promise((r, no) => { video.onloadeddata = r; video.onerror = () => no(new Error('cannot be played')); });
    return [video.videoWidth, video.videoHeight, video.duration];
  }, bytes.toString('base64'));
  await player.close();
  expect(seen[1]).toBe(180);
  expect(Math.abs(seen[2] - 27 / 24)).toBeLessThan(0.1);
  expect(await ask('f.state().frame')).toBe(7);
});

it('a movie of the combed shape is stopped, and leaves nothing behind', async () => {
  await pick(page, 'movie-of', 'the combed shape');
  await page.getByTestId('save-movie').click();
  await page.locator('iframe').waitFor({ state: 'attached' });
  await page.getByRole('button', { name: 'Stop', exact: true }).click();
  await page.getByTestId('save-movie').waitFor();
  expect(await page.locator('iframe').count()).toBe(0);
  expect(await ask('f.state().movie')).toBe(null);
});

describe('elsewhere', () => {
  it('the groom as a file bakes on the command line to the same frames', async () => {
    await page.getByTestId('fold-file').click();
    const file = await download('save-groom'), out = path.join(dir, 'out'), r = spawnSync('./comb', ['bake', '--character', 'demo/cast/oda.glb', '--groom', file, '--out', out, '--format', 'usdc'], { encoding: 'utf8' });
    expect(r.stderr).toBe('');
    expect([0, 3]).toContain(r.status);
    const read = readUsd(path.join(out, readdirSync(out).find((f) => f.endsWith('.usdc'))!)).direct, [name] = Object.keys(read).filter((p) => p.endsWith('.points'));
    for (const frame of [0, 26]) { const points = await ask<number[]>(`Array.from(f.session.bakes.frames.get(${frame}))`); expect(read[name].timeSamples!.values[frame].every((v, i) => v === points[i])).toBe(true); }
  });
  it('the production as a zip opens beside itself, and a broken one says why', async () => {
    const file = await download('save-production', 120_000);
    await page.goto(trial.url);
    await page.getByTestId('open-project').setInputFiles(file);
    await page.getByTestId('project-told').waitFor({ timeout: 120_000 });
    const all = await api<{ productions: { name: string; assets: { grooms: { id: string; name: string }[] }[] }[] }>('/api/overview'), copy = all.productions.find((p) => p.name === 'Slack Water 2')!.assets[0].grooms.find((g) => g.name === 'loose hair')!, count = all.productions.find((p) => p.name === 'Slack Water')!.assets.reduce((n, a) => n + a.grooms.length, 0), [bake] = await api<B[]>(`/api/grooms/${copy.id}/bakes`), [own] = await bakes();
    expect(count).toBeGreaterThan(8);
    expect(await page.getByTestId('project-told').textContent()).toContain(`“Slack Water 2” was opened with ${count} grooms.`);
    const [a, b] = await Promise.all([api<B>(`/api/bakes/${bake.id}`), api<B>(`/api/bakes/${own.id}`)]);
    for (const c of b.chunks) expect((await chunk(a.id, c.first)).equals(await chunk(b.id, c.first))).toBe(true);
    writeFileSync(path.join(dir, 'cut.zip'), readFileSync(file).subarray(0, 4000));
    await page.getByTestId('open-project').setInputFiles(path.join(dir, 'cut.zip'));
    await page.getByText(/cut\.zip: This is no zip, or it was cut off/).waitFor({ timeout: 60_000 });
  });
});
