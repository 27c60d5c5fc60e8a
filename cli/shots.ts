/** `./comb shots`: docs/screenshots/ from the demo data, one picture a view. */
import { mkdirSync } from 'node:fs';
import { openBrowser, settle, startTrial } from './trial';

const OUT = process.argv[2] ?? 'docs/screenshots';
const ONLY = process.argv[3]?.split(',');
const STRANDS = 15000;
mkdirSync(OUT, { recursive: true });

const trial = await startTrial();
const browser = await openBrowser();
try {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  page.on('console', (m) => { if (m.type() === 'error') console.log('page:', m.text()); });
  page.on('pageerror', (e) => console.log('page:', e.message));
  page.on('dialog', (d) => void d.accept());
  const shot = async (name: string, prepare: () => Promise<void>): Promise<void> => {
    if (ONLY && !ONLY.includes(name)) return;
    await prepare();
    if (page.url().includes('/groom/')) await settle(page);
    await page.screenshot({ path: `${OUT}/${name}.png` });
    console.log(name);
  };
  const stage = (n: string): Promise<void> => page.getByTestId(`stage-${n}`).click();
  const set = (patch: object): Promise<void> => page.evaluate((p) => { (window as never as { fineComb: { state: () => { set: (x: object) => void } } }).fineComb.state().set(p); }, patch);
  const waitRun = (): Promise<unknown> => page.waitForFunction(() => (window as never as { fineComb: { state: () => { run: { state: string } } } }).fineComb.state().run.state === 'done', undefined, { timeout: 240_000 });

  await page.goto(trial.url);
  await page.getByText('Slack Water').waitFor();
  await shot('0-entrance', async () => { await page.waitForTimeout(300); });
  if (!ONLY || ONLY.includes('11-bring-in')) {
    await page.getByLabel('Character file').setInputFiles('demo/cast/bramble.glb');
    await page.getByTestId('take-in').waitFor();
    await shot('11-bring-in', async () => { await page.waitForTimeout(2000); });
    await page.getByRole('button', { name: 'Leave it' }).click();
  }
  const bramble = async (groom: string): Promise<void> => { await page.goto(trial.url); await page.getByText(groom, { exact: true }).last().click(); await page.getByTestId('view').waitFor(); };
  await shot('13-bramble', async () => { await bramble('tail'); await stage('fill'); await page.getByTestId('fill-preview').fill(String(STRANDS)); await page.getByTestId('fill-preview').press('Enter'); await page.getByRole('button', { name: 'whole' }).click(); await page.evaluate(() => { const v = (window as never as { fineComb: { view: { camera: { position: { set: (x: number, y: number, z: number) => void } }; controls: { update: () => void } } } }).fineComb.view; v.camera.position.set(-3.4, 1.5, -2.6); v.controls.update(); }); await page.waitForTimeout(1500); });
  await shot('15-treatments', async () => {
    await page.goto(trial.url);
    await page.getByText('tail', { exact: true }).first().click();
    await page.getByTestId('view').waitFor();
    await stage('fill');
    await page.getByTestId('fill-preview').fill(String(STRANDS));
    await page.getByTestId('fill-preview').press('Enter');
    // locks that can be seen to curl
    await page.evaluate(() => { (window as never as { fineComb: { session: { fillDesk: { change: (id: string, what: string, change: object) => void } } } }).fineComb.session.fillDesk.change('locks', 'Strands', { numbers: { size: 260 }, driver: { amount: 0.9 } }); });
    await page.getByTestId('add-treatment').click();
    await page.getByTestId('add-curl').click();
    for (const [name, value] of [['radiusMm', '11'], ['pitchMm', '70'], ['phases', '1']]) { await page.getByTestId(`curl1-${name}`).fill(value); await page.getByTestId(`curl1-${name}`).press('Enter'); }
    await page.getByTestId('curl1-formula').fill('ramp(18, 30, length) * (0.9 + 0.2 * random)');
    await page.getByTestId('curl1-formula').press('Enter');
    await set({ light: { rig: 'evening', turnDeg: 0, turning: false } });
    await page.getByRole('button', { name: 'side', exact: true }).click();
    await page.waitForTimeout(2500);
    await page.getByTestId('curl1-radiusMm').scrollIntoViewIfNeeded();
  });
  await shot('17-chains', async () => {
    await bramble('coat-tails');
    await stage('plant');
    await page.getByTestId('fold-sheet').click();
    await page.evaluate(() => { const v = (window as never as { fineComb: { view: { camera: { position: { set: (x: number, y: number, z: number) => void } }; controls: { update: () => void } } } }).fineComb.view; v.camera.position.set(1.1, 0.95, 1.5); v.controls.update(); });
    await page.waitForTimeout(4000);
    await page.getByTestId('sheet-cloth').scrollIntoViewIfNeeded();
  });
  await shot('5-sway', async () => {
    await bramble('loose hair, bucket');
    await stage('fill');
    await page.getByTestId('fill-preview').fill(String(STRANDS));
    await page.getByTestId('fill-preview').press('Enter');
    await stage('sway');
    await page.getByRole('button', { name: 'side', exact: true }).click();
    for (const id of ['made', 'around', 'drops']) await page.getByTestId(`fold-${id}`).click();
    await page.getByTestId('run').click();
    await waitRun();
    await set({ playing: false });
    await set({ frame: 13, playing: false });
    await page.getByTestId('drops-now').scrollIntoViewIfNeeded();
    await page.waitForTimeout(6000);
  });
  // as it was
  if (!ONLY || ONLY.includes('5-sway')) for (const id of ['made', 'around', 'drops']) await page.getByTestId(`fold-${id}`).click();
  if (!page.url().endsWith('/')) await page.goto(trial.url);
  await page.getByText('loose hair', { exact: true }).click();
  await page.getByTestId('view').waitFor();
  await shot('1-cast', async () => { await page.getByRole('button', { name: 'whole' }).click(); });
  await shot('2-plant', async () => {
    await stage('plant');
    await page.getByRole('button', { name: 'three-quarter' }).click();
    // shorter toward the nape, as it is painted
    await page.evaluate(() => { (window as never as { fineComb: { session: { desk: { gradient: (map: string, from: number[], to: number[]) => void } } } }).fineComb.session.desk.gradient('length', [0, 1.72, 0], [0, 1.5, 0]); });
    await page.getByTestId('paint-length').click();
    await page.getByTestId('map-blend').scrollIntoViewIfNeeded();
  });
  if (!ONLY || ONLY.includes('2-plant')) await page.getByRole('button', { name: /^Undo: Gradient/ }).click();
  await page.getByTestId('stage-fill').click();
  const preview = page.getByTestId('fill-preview');
  await preview.fill(String(STRANDS));
  await preview.press('Enter');
  await page.waitForFunction((n) => (window as never as { fineComb: { state: () => { fillCount: number } } }).fineComb.state().fillCount === n, STRANDS, { timeout: 120_000 });
  await shot('3-comb', async () => {
    await stage('comb');
    await page.getByTestId('brush-gather').click();
    await page.getByRole('button', { name: 'side', exact: true }).click();
    const box = (await page.getByTestId('view').boundingBox())!;
    await page.mouse.move(box.x + box.width * 0.45, box.y + box.height * 0.45);
  });
  await shot('4-fill', async () => { await stage('fill'); await preview.fill('60000'); await preview.press('Enter'); await page.waitForTimeout(2500); await page.getByRole('button', { name: 'three-quarter' }).click(); await settle(page); });
  if (!ONLY || ONLY.includes('4-fill')) { await stage('fill'); await preview.fill(String(STRANDS)); await preview.press('Enter'); await page.waitForTimeout(1500); }
  if (!ONLY || ONLY.some((n) => /5|6|7|8/.test(n))) {
    await stage('sway');
    await page.getByTestId('run').click();
    await waitRun();
    await set({ playing: false, frame: 17 });
  }
  await shot('6-proof', async () => { await stage('proof'); await page.getByRole('button', { name: 'Go to worst', exact: true }).click(); await page.getByTestId('heat').click(); await page.getByRole('option', { name: 'Drift' }).click(); await set({ strip: 'time' }); await page.getByTestId('verdict').scrollIntoViewIfNeeded(); await page.waitForTimeout(600); });
  await shot('12-takes', async () => {
    await set({ heat: 'none', marked: -1 });
    await stage('sway');
    await page.getByTestId('fold-holds').click();
    await page.getByTestId('sway-damping').fill('14');
    await page.getByTestId('sway-damping').press('Enter');
    await page.getByTestId('run').click();
    await waitRun();
    await page.waitForFunction(() => (window as never as { fineComb: { state: () => { takes: unknown[] } } }).fineComb.state().takes.length === 2, undefined, { timeout: 60_000 });
    await stage('proof');
    await page.getByTestId('take-row').nth(1).getByTestId('take-over').click();
    await page.getByTestId('wipe').waitFor();
    await set({ frame: 17, playing: false, strip: 'chart', chart: 'strayed' });
    await page.getByRole('button', { name: 'front' }).click();
    await page.getByTestId('take-row').first().scrollIntoViewIfNeeded();
  });
  if (!ONLY || ONLY.includes('12-takes')) { await set({ compare: null, strip: 'time' }); await page.getByRole('button', { name: /^Undo: Damping/ }).click(); await page.waitForTimeout(600); }
  await set({ show: { hair: true, guides: false, pills: false, marks: false, groomed: false } });
  if (!ONLY || ONLY.includes('7-bake')) {
    await stage('bake');
    await page.getByTestId('bake').click();
    await page.locator('[data-testid=bake-row][data-state=done]').waitFor({ timeout: 240_000 });
    await page.waitForFunction(() => (window as never as { fineComb: { session: { bakes: { frames: Map<number, unknown> } } } }).fineComb.session.bakes.frames.size === 49, undefined, { timeout: 60_000 });
    await set({ frame: 20 });
  }
  const written = async (label: RegExp): Promise<string> => {
    await page.getByTestId('hand-over-format').click();
    await page.getByRole('option', { name: label }).click();
    await page.getByTestId('hand-over').click();
    await page.waitForFunction(() => { const { exports } = (window as never as { fineComb: { state: () => { exports: { state: string }[] } } }).fineComb.state(); return exports.length > 0 && exports.every((e) => e.state === 'done'); }, undefined, { timeout: 240_000 });
    return page.evaluate(() => (window as never as { fineComb: { state: () => { exports: { id: string }[] } } }).fineComb.state().exports[0].id);
  };
  await shot('7-bake', async () => { await page.getByRole('button', { name: 'front' }).click(); await settle(page); await written(/OpenUSD curves, binary/); await written(/Joint chains and cards/); await page.getByTestId('export-row').first().scrollIntoViewIfNeeded(); });
  if (!ONLY || ONLY.some((n) => /^(16|18)-/.test(n))) {
    const back = page.url(), id = ONLY && !ONLY.includes('7-bake') ? null : await page.evaluate(() => (window as never as { fineComb: { state: () => { exports: { id: string }[] } } }).fineComb.state().exports[0].id);
    if (!id) throw new Error('The receiver is shot after 7-bake.');
    await page.goto(`${trial.url}/receive/${id}`);
    await page.locator('[data-testid=checks][data-done=yes]').waitFor({ timeout: 240_000 });
    await page.getByLabel('Time').fill('1.1');
    await shot('16-receiver', async () => { await page.waitForTimeout(2500); });
    await page.goto(`${trial.url}/api/exports/${id}/sheet`);
    await shot('18-sheet', async () => { await page.waitForTimeout(300); });
    await page.goto(back);
    await page.getByTestId('view').waitFor();
  }
  if (!ONLY || ONLY.some((n) => /^(9|10)-/.test(n))) { await stage('sway'); await set({ frame: 8, playing: false, show: { hair: true, guides: false, pills: true, marks: true, groomed: false } }); }
  await shot('9-colliders', async () => { await page.getByTestId('fold-made').click(); await page.getByRole('button', { name: 'three-quarter' }).click(); await page.getByTestId('add-pill').click(); await page.waitForTimeout(1200); });
  await shot('10-ties', async () => {
    await page.getByRole('button', { name: /^Undo: Add pill/ }).click();
    await set({ show: { hair: true, guides: false, pills: false, marks: false, groomed: false } });
    for (const id of ['around', 'loft', 'ties', 'air']) await page.getByTestId(`fold-${id}`).click();
    await page.getByTestId('sway-windSpeed').fill('4');
    await page.getByTestId('sway-windSpeed').press('Enter');
    await page.getByTestId('add-tie').click();
    await page.getByRole('button', { name: 'back', exact: true }).click();
    await page.waitForTimeout(1200);
  });
  await set({ show: { hair: true, guides: false, pills: false, marks: false, groomed: false }, selected: null, swayTool: { name: 'look' } });
  await shot('14-wedge', async () => {
    await page.getByRole('button', { name: 'Light theme' }).click();
    await page.getByTestId('fold-ties').click();
    await page.getByTestId('sway-windSpeed').fill('0');
    await page.getByTestId('sway-windSpeed').press('Enter');
    await set({ frame: 17, playing: false });
    await page.getByRole('button', { name: 'three-quarter' }).click();
    await page.getByTestId('wedge-open').click();
    for (const [id, value] of [['count', '3'], ['from', '0.1'], ['to', '0.95']]) { await page.getByTestId(`wedge-${id}-0`).fill(value); await page.getByTestId(`wedge-${id}-0`).press('Enter'); }
    await page.getByTestId('wedge-measure').waitFor({ timeout: 1000 }).catch(() => undefined);
    await page.getByTestId('wedge-run').click();
    await page.waitForFunction(() => { const w = (window as never as { fineComb: { state: () => { wedge: { cells: { state: string }[] } | null } } }).fineComb.state().wedge; return w !== null && w.cells.length === 3 && w.cells.every((c) => c.state === 'done'); }, undefined, { timeout: 480_000 });
    await page.getByTestId('wedge-measure').selectOption('strayed');
    await page.waitForTimeout(2500);
  });
  if (!ONLY || ONLY.includes('14-wedge')) { await page.getByTestId('board-close').click(); await page.getByRole('button', { name: 'Dark theme' }).click(); }
  await shot('8-cards', async () => {
    await stage('fill');
    await page.getByRole('button', { name: 'Light theme' }).click();
    await page.getByTestId('fold-treated').click();
    await page.getByTestId('fold-cards').click();
    await page.getByTestId('cards-triangles').fill('12000');
    await page.getByTestId('cards-triangles').press('Enter');
    await page.getByTestId('make-cards').click();
    await page.getByTestId('cards-overlap').waitFor({ timeout: 120_000 });
    await page.getByRole('button', { name: 'three-quarter' }).click();
    await page.getByRole('radio', { name: 'Profile' }).click();
    await page.waitForTimeout(800);
    await page.getByRole('img', { name: 'The atlas of the cards' }).scrollIntoViewIfNeeded();
  });
} finally {
  await browser.close();
  await trial.stop();
  trial.remove();
}
