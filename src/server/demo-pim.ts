/** Pim's plait and Oda's coat-tails, as the demo has them: chains drawn through meshes that have no joints for it. */
import { drawnDocument, withDrawing } from '../core/chain/chain-groom';
import type { GroomDocument } from '../core/document/schema';
import type { Drawn, DrawnLine } from '../core/drawn/drawn';
import { influencesOf, joinedMesh } from '../core/drawn/influences';
import type { Character } from '../core/mesh/character';
import { Surface } from '../core/mesh/surface';
import { newSheet } from '../core/sway/cloth';

type Keep = (bytes: Uint8Array) => string;
const NOTHING = new Map<string, Float32Array>();
const made = (character: Character, like: GroomDocument, drawn: Partial<Drawn> & { meshes: string[]; lines: DrawnLine[] }, keep: Keep): GroomDocument => {
  const empty = drawnDocument(like, drawn.meshes), document = { ...empty, drawn: { ...empty.drawn!, ...drawn } };
  return withDrawing(character, document, influencesOf(character, document.drawn, NOTHING), keep).document;
};

/** One line down the middle of the plait, from the nape to the tip of its tuft. */
export function pimPlait(character: Character, like: GroomDocument, keep: Keep): GroomDocument {
  const { positions: P } = joinedMesh(character, ['hair']);
  let low = Infinity;
  for (let v = 1; v < P.length; v += 3) low = Math.min(low, P[v]);
  // where the plait is at a height: the middle of what hangs there
  const at = (y: number): number[] => { let n = 0, x = 0, z = 0; for (let v = 0; v < P.length; v += 3) if (Math.abs(P[v + 1] - y) < 0.012) { n++; x += P[v]; z += P[v + 2]; } return [x / n, y, z / n]; };
  const top = low + 0.325, places = [...at(top), ...[0.8, 0.6, 0.4, 0.2].flatMap((t) => at(low + t * (top - low))), ...at(low + 0.004)];
  const document = made(character, like, { meshes: ['hair'], lines: [{ id: 'plait', name: 'plait', places, joints: 9 }], stillMm: 10 }, keep);
  Object.assign(document.sway, { hold: 0.25, thickness: 2, damping: 1.5 });
  return document;
}

/** Lines down the skirt of Oda's coat, between its two faces, all round but for where it is open, one sheet of wool together. */
export function odaCoatTails(character: Character, like: GroomDocument, keep: Keep): GroomDocument {
  const { positions, triangles } = joinedMesh(character, ['coat']), surface = new Surface(positions, triangles), lines: DrawnLine[] = [], LINES = 18, HEIGHTS = [0.95, 0.82, 0.69, 0.56, 0.445];
  for (let k = 0; k < LINES; k++) {
    const angle = ((24 + (312 * k) / (LINES - 1)) * Math.PI) / 180, d = [Math.sin(angle), 0, Math.cos(angle)], places = HEIGHTS.flatMap((y) => { const hit = surface.raycast([0, y, -0.034], d); return hit ? hit.point.map((v, c) => v + 0.0025 * d[c]) : []; });
    if (places.length >= 6) lines.push({ id: `tail${k}`, name: `coat-tail ${k + 1}`, places: places.map((v) => Math.round(1e6 * v) / 1e6), joints: 5 });
  }
  const document = made(character, like, { meshes: ['coat'], lines, by: 'along', carrier: 'hips', stillMm: 0 }, keep);
  // wool of a coat; what its seams and lining keep of its shape is its hold
  Object.assign(document.sway, { hold: 0.3, damping: 1.5, sheet: newSheet('coating', false) });
  return document;
}
