/** Curves (and drops) over time as OpenUSD text (.usda): for small takes and to be read by eye. Checked with two readers that are not ours (tests/conformance/usd.test.ts). */
import { CurveStage, GROUP, type CurveCache, type StageSample, type UsdStage } from './usd-curves';

export type { CurveCache } from './usd-curves';

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

/** Numbers in brackets, in groups of `width`. */
function listText(values: ArrayLike<number>, width: number, text: (v: number) => string = floatText): string {
  const parts: string[] = [];
  for (let i = 0; i < values.length; i += width) parts.push(width === 1 ? text(values[i]) : `(${Array.from({ length: width }, (_, c) => text(values[i + c])).join(', ')})`);
  return `[${parts.join(', ')}]`;
}
export const usdText = (s: string): string => s.replace(/\\/g, '\\\\').replace(/"/g, '\\"').replace(/\r?\n/g, ' ');

/** What stands above the first prim. */
export function layerHead({ cache, axes }: UsdStage): string {
  return `#usda 1.0
(
    defaultPrim = "${GROUP}"
    doc = "${usdText(cache.comment)}"
    endTimeCode = ${cache.endFrame}
    framesPerSecond = ${cache.fps}
    metersPerUnit = ${axes.choice.metres}
    startTimeCode = ${cache.startFrame}
    timeCodesPerSecond = ${cache.fps}
    upAxis = "${axes.choice.up.toUpperCase()}"
)
`;
}
const WIDTH = { 'int[]': 1, 'float[]': 1, 'color3f[]': 3, 'texCoord2f[]': 2, 'point3f[]': 3 } as const;
/** Everything of the curves that does not move. */
export function stillText(stage: UsdStage, indent: string): string {
  return stage.still.map((p) => {
    const value = p.type === 'token' ? `"${p.value as string}"` : listText(p.value as ArrayLike<number>, WIDTH[p.type], p.type === 'int[]' ? String : floatText);
    return `${indent}${p.uniform ? 'uniform ' : ''}${p.type} ${p.name} = ${value}${p.interpolation ? ` (\n${indent}    interpolation = "${p.interpolation}"\n${indent})` : ''}\n`;
  }).join('');
}

/** Writes the file piece by piece. Throws where the number of points does not match the counts in every sample. */
export async function* writeUsda(of: CurveCache | UsdStage): AsyncGenerator<string> {
  const stage = 'run' in of ? of : new CurveStage(of);
  yield `${layerHead(stage)}
def Xform "${GROUP}" (
    kind = "component"
)
{
    def ${stage.prim} "${stage.name}"
    {
${stillText(stage, '        ')}`;
  for (const p of stage.moving) {
    const line = ({ [p.name]: v }: StageSample['values']): string => (v instanceof BigInt64Array ? `[${v.join(', ')}]` : listText(v, p.type === 'float[]' ? 1 : 3));
    let begun = false;
    for await (const { time, values } of stage.run()) {
      if (!begun) yield `        ${p.type} ${p.name} = ${line(values)}\n        ${p.type} ${p.name}.timeSamples = {\n`;
      begun = true;
      yield `            ${time}: ${line(values)},\n`;
    }
    yield '        }\n';
  }
  yield '    }\n}\n';
}
