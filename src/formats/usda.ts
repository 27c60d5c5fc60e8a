/**
 * Curves over time as OpenUSD text (.usda): one BasisCurves prim, points sampled in time.
 * Source: OpenUSD documentation of UsdGeomBasisCurves and of the text form, *from memory*; checked with two readers that are
 * not ours (tests/conformance/usda.test.ts).
 */

export interface CurveCache {
  /** Prim name: letters, digits, underscores. */
  name: string;
  fps: number;
  startFrame: number;
  endFrame: number;
  /** Points of each curve. */
  counts: ArrayLike<number>;
  /** Diameters, m, one a point. */
  widths: ArrayLike<number>;
  /** One a curve. */
  ids: ArrayLike<number>;
  /** Points of one frame, 3 × points, m, +Y up. */
  points: (frame: number) => Promise<Float32Array> | Float32Array;
  /** A sentence for whoever opens the file. */
  comment: string;
}

const identifier = (name: string): string => name.replace(/[^A-Za-z0-9_]/g, '_').replace(/^(\d)/, '_$1') || 'strands';

/** Shortest text that reads back as the same float32. */
export function floatText(value: number): string {
  const f = Math.fround(value);
  if (Number.isInteger(f)) return String(f);
  for (let digits = 6; digits < 9; digits++) {
    const text = f.toPrecision(digits);
    if (Math.fround(Number(text)) === f) return String(Number(text));
  }
  return String(Number(f.toPrecision(9)));
}

function pointsText(points: ArrayLike<number>): string {
  const parts: string[] = [];
  for (let i = 0; i < points.length; i += 3) parts.push(`(${floatText(points[i])}, ${floatText(points[i + 1])}, ${floatText(points[i + 2])})`);
  return `[${parts.join(', ')}]`;
}

/** Writes the file piece by piece. Throws where the number of points does not match the counts in every frame. */
export async function* writeUsda(cache: CurveCache): AsyncGenerator<string> {
  const total = Array.from(cache.counts).reduce((a, b) => a + b, 0);
  if (cache.widths.length !== total) throw new Error(`widths: expected ${total}, got ${cache.widths.length}`);
  const most = Array.from(cache.widths).reduce((a, b) => Math.max(a, b), 0);
  const name = identifier(cache.name);
  const text = (s: string): string => s.replace(/\\/g, '\\\\').replace(/"/g, '\\"');
  yield `#usda 1.0
(
    defaultPrim = "Groom"
    doc = "${text(cache.comment)}"
    endTimeCode = ${cache.endFrame}
    framesPerSecond = ${cache.fps}
    metersPerUnit = 1
    startTimeCode = ${cache.startFrame}
    timeCodesPerSecond = ${cache.fps}
    upAxis = "Y"
)

def Xform "Groom" (
    kind = "component"
)
{
    def BasisCurves "${name}"
    {
        uniform token basis = "catmullRom"
        int[] curveVertexCounts = [${Array.from(cache.counts).join(', ')}]
`;
  const checked = async (frame: number): Promise<Float32Array> => {
    const points = await cache.points(frame);
    if (points.length !== 3 * total) throw new Error(`frame ${frame}: expected ${total} points, got ${points.length / 3}`);
    return points;
  };
  const first = await checked(cache.startFrame);
  yield `        float3[] extent = ${extentText(first, most)}\n        float3[] extent.timeSamples = {\n`;
  for (let f = cache.startFrame; f <= cache.endFrame; f++) yield `            ${f}: ${extentText(await checked(f), most)},\n`;
  yield `        }\n        point3f[] points = ${pointsText(first)}\n        point3f[] points.timeSamples = {\n`;
  for (let f = cache.startFrame; f <= cache.endFrame; f++) yield `            ${f}: ${pointsText(await checked(f))},\n`;
  yield `        }
        int[] primvars:id = [${Array.from(cache.ids).join(', ')}] (
            interpolation = "uniform"
        )
        uniform token type = "cubic"
        float[] widths = [${Array.from(cache.widths, floatText).join(', ')}] (
            interpolation = "vertex"
        )
        uniform token wrap = "pinned"
    }
}
`;
}

function extentText(points: ArrayLike<number>, width: number): string {
  const low = [Infinity, Infinity, Infinity], high = [-Infinity, -Infinity, -Infinity];
  for (let i = 0; i < points.length; i++) {
    low[i % 3] = Math.min(low[i % 3], points[i]);
    high[i % 3] = Math.max(high[i % 3], points[i]);
  }
  // a hair wider, so that rounding to text never leaves a point outside
  const pad = width / 2 + 1e-6;
  return `[(${low.map((v) => floatText(v - pad)).join(', ')}), (${high.map((v) => floatText(v + pad)).join(', ')})]`;
}
