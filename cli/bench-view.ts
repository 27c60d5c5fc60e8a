/** What drawing costs in the browser here: 2,000 filled strands beside the same strands as plain lines, and the processor's part of a moving groom. */
import { openBrowser, startTrial } from './trial';

interface Geometry { setAttribute: (n: string, a: unknown) => void; getAttribute: (n: string) => { constructor: new (a: Float32Array, n: number) => unknown }; dispose: () => void }
interface View {
  hair: { mesh: { visible: boolean }; lights: unknown; setGuides: (...x: unknown[]) => void; setSkin: (x: unknown) => void; readNodes: () => Float32Array; strandCount: number };
  refresh: (coarse: boolean) => void; draw: () => void; hairShown: boolean; still: number; drawing: { forget: () => void }; renderer: { getContext: () => WebGL2RenderingContext; info: { render: { calls: number } } };
  guideLines: { visible: boolean; geometry: Geometry }; loop: () => void; handle: number;
}
type Comb = { fineComb: { view: View; session: { filled: { strands: { nodes: number; count: number } } | null; guides: { offsets: Float32Array; lengths: Float32Array; pointCount: number }; skin: Float64Array }; state: () => { fillCount: number; filling: boolean } } };

/** Figures in ms, the middle of several. */
export async function benchView(strands = 2000): Promise<Record<string, number>> {
  const trial = await startTrial(), browser = await openBrowser();
  try {
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    await page.goto(trial.url);
    await page.getByText('loose hair', { exact: true }).click();
    await page.getByTestId('view').waitFor();
    await page.getByTestId('stage-fill').click();
    await page.getByTestId('fill-preview').fill(String(strands));
    await page.getByTestId('fill-preview').press('Enter');
    await page.waitForFunction((n) => { const f = (window as never as Comb).fineComb; return f.state().fillCount === n && !f.state().filling; }, strands, { timeout: 120_000 });
    await page.keyboard.press('g'); // guides are seen once, so that their lines are there
    await page.waitForTimeout(3000);
    return await page.evaluate(() => {
      const { view, session } = (window as never as Comb).fineComb, gl = view.renderer.getContext(), finish = (): void => { gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, new Uint8Array(4)); };
      cancelAnimationFrame(view.handle);
      const middle = (task: () => void, times = 9): number => { const all: number[] = []; for (let k = 0; k < times; k++) { finish(); const t = performance.now(); task(); finish(); all.push(performance.now() - t); } return all.sort((a, b) => a - b)[times >> 1]; };
      const { nodes, count } = session.filled!.strands, N = view.hair.readNodes(), P = new Float32Array(6 * count * (nodes - 1)), { offsets, lengths, pointCount } = session.guides;
      for (let s = 0, o = 0; s < count; s++) for (let k = 0; k + 1 < nodes; k++) for (const q of [k, k + 1]) for (let c = 0; c < 3; c++) P[o++] = N[4 * (nodes * s + q) + c];
      const draw = (): void => { view.still = 0; view.drawing.forget(); view.draw(); };
      view.guideLines.visible = false;
      view.hairShown = false;
      const bare = middle(draw);
      view.hairShown = true;
      const hair = middle(draw), whole = middle(() => { view.refresh(false); draw(); });
      view.hairShown = false;
      view.guideLines.visible = true;
      const g = view.guideLines.geometry, Attribute = g.getAttribute('position').constructor;
      g.dispose();
      g.setAttribute('position', new Attribute(P, 3));
      const lines = middle(draw);
      const own = (() => { const all: number[] = []; for (let k = 0; k < 60; k++) { const t = performance.now(); view.hair.setGuides(offsets, lengths, pointCount); view.hair.setSkin(session.skin); all.push(performance.now() - t); } return all.sort((a, b) => a - b)[30]; })();
      return { bare, hair, whole, lines, own };
    });
  } finally { await browser.close(); await trial.stop(); trial.remove(); }
}
