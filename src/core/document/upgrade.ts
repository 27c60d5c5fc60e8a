/** Documents of earlier formats, brought up to the present one; nothing they say is lost. */
import { MATERIALS } from '../sway/materials';
import { defaultSway, DOCUMENT_FORMAT, documentSchema, type GroomDocument } from './schema';

/** Reads a document of any format this program has written. Throws Zod's error where it is none. */
export function readDocument(value: unknown): GroomDocument {
  const format = (value as { format?: unknown } | null)?.format;
  return documentSchema.parse(format === 1 ? fromFormat1(value as Format1) : value);
}

interface Format1 { sway: Record<string, number | boolean> }

/** Format 1 had one material, hold in three numbers, and a fixed number of substeps; the air did not count. */
function fromFormat1(old: Format1): unknown {
  const { diameterUm, holdRoot, holdTip, holdReach, garmentPills, ...same } = old.sway as Record<string, number> & Format1['sway'];
  const fresh = defaultSway(), hold = Math.max(holdRoot, holdTip), share = (h: number): number => (hold > 0 ? h / hold : 0);
  const knots: [number, number][] = [[0, share(holdRoot)], [holdReach, share(holdTip)]];
  if (holdReach < 1) knots.push([1, share(holdTip)]);
  return {
    ...old, format: DOCUMENT_FORMAT,
    sway: {
      ...fresh, ...same, thickness: Math.round((diameterUm * 1e-6) / MATERIALS['scalp hair'].diameter * 1e4) / 1e4, hold,
      profiles: { ...fresh.profiles, hold: knots }, lock: 1, airDrag: 0, bendDamping: 0, chooseSubsteps: false, garments: garmentPills ? 'pills' : 'off',
    },
  };
}
