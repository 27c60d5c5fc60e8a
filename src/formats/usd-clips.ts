/**
 * A layer that joins the parts of a large take by value clips, and the manifest that says what the parts hold.
 * **Source:** OpenUSD documentation of value clips, *from memory*; both files are read as layers by readers that are not ours, which do not
 * compose clips themselves.
 */
import { GROUP, type CurveStage } from './usd-curves';
import { layerHead, stillText } from './usda';

export function clipLayer(stage: CurveStage, base: string, parts: readonly { name: string; first: number; last: number }[]): { manifest: string; layer: string } {
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
