/**
 * How deep strands are that contact has lost. It follows surfaces a few millimetres deep; what is deeper is none of its business. But a strand that goes in
 * crosses the surface somewhere, and is seen there: then every point of it is asked about, whether that mesh goes round it and how far its surface is.
 */
import { OF_STRAND, STRAND_NUMBERS } from '../proof/strand-meter';
import { boxOfPoints } from '../mesh/rest-box';
import { Surface } from '../mesh/surface';
import { Winding } from '../mesh/winding';
import type { ContactFinder } from './contact';
import type { RodSystem } from './rod-system';
import type { FrameMeasures } from './run-report';
import type { WornShell } from './scene';

/** m: strands that are seen to be no deeper are taken to be outside. */
const SEEN = 2e-4;

/** A closed mesh as it stands in a frame. */
interface Posed { low: readonly number[]; high: readonly number[]; winding: Winding; surface: Surface | null }

export class Soundings {
  /** What no run becomes. */
  static readonly madeAnew: ReadonlySet<string> = new Set(['worn', 'within', 'first']);

  /** `within`: by mesh, 1 for each point that began inside it and is let be there; null for what has no inside. `first`: number of the first mesh among the colliders. */
  constructor(private readonly worn: readonly Pick<WornShell, 'before' | 'triangles' | 'shell'>[], private readonly within: readonly (Uint8Array | null)[], private readonly first: number) {}

  /** `measures` of a frame with what strands that are below a surface at `x` (3 × points, m) are deep in truth; their numbers in `strands` too. */
  take(measures: FrameMeasures, system: Pick<RodSystem, 'start' | 'strandCount'>, x: ArrayLike<number>, contacts: Pick<ContactFinder, 'isRooted'>, strands: Float32Array): FrameMeasures {
    if (!(measures.depth > SEEN)) return measures;
    const posed = new Map<number, Posed>(), out = { ...measures };
    for (let g = 0; g < system.strandCount; g++) {
      const o = STRAND_NUMBERS * g;
      const q = strands[o + OF_STRAND.collider] - this.first;
      if (!(strands[o + OF_STRAND.depth] > SEEN) || !this.within[q]) continue;
      const depth = this.deepest(q, posed, system, x, contacts, g);
      if (depth <= strands[o + OF_STRAND.depth]) continue;
      strands[o + OF_STRAND.depth] = depth;
      if (depth > out.depth) { out.depth = depth; out.depthGuide = g; }
    }
    return out;
  }

  /** Greatest depth of the points of strand `g` in mesh `q`, m. */
  private deepest(q: number, posed: Map<number, Posed>, { start }: Pick<RodSystem, 'start'>, x: ArrayLike<number>, contacts: Pick<ContactFinder, 'isRooted'>, g: number): number {
    const { before: P, triangles, shell } = this.worn[q], within = this.within[q]!;
    let most = 0, mesh = posed.get(q);
    if (!mesh) posed.set(q, (mesh = { ...boxOfPoints(P), winding: new Winding(P, triangles, shell.outward), surface: null }));
    const { low, high, winding } = mesh;
    for (let p = start[g] + 2; p < start[g + 1]; p++) {
      const a = 3 * p;
      if (within[p] === 1 || contacts.isRooted(p) || x[a] < low[0] || x[a + 1] < low[1] || x[a + 2] < low[2] || x[a] > high[0] || x[a + 1] > high[1] || x[a + 2] > high[2] || !winding.within(x, a)) continue;
      mesh.surface ??= new Surface(P, triangles);
      most = Math.max(most, mesh.surface.nearest([x[a], x[a + 1], x[a + 2]])?.distance ?? 0);
    }
    return most;
  }
}
