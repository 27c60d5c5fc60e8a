/** What Bramble wears: a blanket and the girth that holds it. Millimetres. */
import { smoothStep } from '../../src/core/math/vec';
import { thicken } from '../shape/cloth';
import { extract, gridLines, type Mesh } from '../shape/extract';
import type { Field } from '../shape/field';
import { seat, trunk } from './body';

const { abs, min, sin } = Math;
/** The blanket's front and back, and how far down it hangs. */
const FRONT = 205, BACK = -520, HEM = 880;
const GIRTH = { z: 40, half: 34 };
const BLANKET_GAP = 12, BLANKET_THICKNESS = 5, GIRTH_THICKNESS = 4;

/** Wool that hangs in shallow folds toward its hem. */
const blanketField: Field = (x, y, z) => seat(x, y, z) - BLANKET_GAP - 5 * (1 - smoothStep(880, 1090, y)) * (1 + sin(z / 46));
const hem = (z: number): number => HEM + 26 * smoothStep(0, 1, (z - 60) / 140) + 150 * smoothStep(0, 1, (-120 - z) / 300);

export async function blanketMesh(step: number): Promise<Mesh> {
  const outer = await extract(blanketField, gridLines([[-330, step], [330, step]]), gridLines([[HEM - 40, step], [1330, step]]), gridLines([[BACK - 30, step], [FRONT + 30, step]]), 5200, 1.2, { eps: 1, keep: (_x, y, z) => min(y - hem(z), FRONT - z, z - BACK) });
  return thicken(outer, BLANKET_THICKNESS);
}

/** Leather round the trunk: over the blanket above its hem, on the coat below. */
export async function girthMesh(step: number): Promise<Mesh> {
  const field: Field = (x, y, z) => trunk(x, y, z) - 7 - (BLANKET_GAP + 4 + 5 * (1 - smoothStep(880, 1090, y)) * (1 + sin(z / 46)) - 3) * smoothStep(HEM - 24, HEM + 6, y);
  const outer = await extract(field, gridLines([[-340, step], [340, step]]), gridLines([[600, step], [1340, step]]), gridLines([[GIRTH.z - 50, 0.7 * step], [GIRTH.z + 50, 0.7 * step]]), 2600, 0.8, { eps: 1, keep: (_x, _y, z) => GIRTH.half - abs(z - GIRTH.z) });
  return thicken(outer, GIRTH_THICKNESS);
}
