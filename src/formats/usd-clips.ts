/**
 * A layer that joins the parts of a large take by value clips, and the manifest that says what the parts hold.
 * **Source:** OpenUSD documentation of value clips, *from memory*; both files are read as layers by readers that are not ours, which do not
 * compose clips themselves.
 */
import { GROUP, type CurveStage } from './usd-curves';
import { layerHead, stillText } from './usda';

/** A part: its file, the samples it stands for, and the last one it holds: one more than those, so that what lies between two parts has both its ends in the first. */
export interface Part { name: string; first: number; last: number; holds: number }
/** A take in so many parts. */
export function partsOf({ first, last }: Pick<CurveStage, 'first' | 'last'>, base: string, parts: number): Part[] {
  const each = Math.ceil((last - first + 1) / parts), out: Part[] = [];
  for (let from = first, k = 1; from <= last; from += each, k++) { const end = Math.min(last, from + each - 1); out.push({ name: `${base}.${String(k).padStart(3, '0')}.usdc`, first: from, last: end, holds: Math.min(last, end + 1) }); }
  return out;
}

export function clipLayer(stage: CurveStage, base: string, parts: readonly Pick<Part, 'first' | 'last' | 'name'>[]): { manifest: string; layer: string } {
  const at = (n: number): number => stage.timeOf(n), primPath = `/${GROUP}/${stage.name}`, body = (meta: string, inner: string): string => `${layerHead(stage)}
def Xform "${GROUP}" (
    kind = "component"
)
{
    def BasisCurves "${stage.name}"${meta}
    {
${inner}    }
}
`;
  const moving = stage.moving.map((m) => `        ${m.type} ${m.name}\n`).join('');
  const times = parts.flatMap((p) => [[at(p.first), at(p.first)], [at(p.last), at(p.last)]]);
  return {
    manifest: body('', moving),
    layer: body(` (
        clips = {
            dictionary default = {
                double2[] active = [${parts.map((p, k) => `(${at(p.first)}, ${k})`).join(', ')}]
                asset[] assetPaths = [${parts.map((p) => `@./${p.name}@`).join(', ')}]
                asset manifestAssetPath = @./${base}.manifest.usda@
                string primPath = "${primPath}"
                double2[] times = [${times.map(([a, b]) => `(${a}, ${b})`).join(', ')}]
            }
        }
    )`, stillText(stage, '        ')),
  };
}
