/** Curves that come in from files and guides that go out as such. Part of the session. */
import { bytesOf, floatsOf, packPlanting } from '../../core/document/buffers';
import { plantKey } from '../../core/document/proof';
import type { BufferId } from '../../core/document/schema';
import { placeGuides, rootPlace } from '../../core/groom/planting';
import { guessCurvePlacement, keepEdits, placeCurves, rootsAreLast, seatCurves, type CurvePlacement, type Seated } from '../../core/groom/seat';
import { physicalRod } from '../../core/sway/materials';
import type { NamedFile } from '../../formats/file-set';
import { readFiles } from './read-files';
import type { Session } from './session';
import { useEditor, type Bringing } from './store';
import { many } from './many';

/** Roots farther from the skin than this are not taken, unless asked for. Common practice, no source. */
const LIMIT_MM = 5;
const MOST_GUIDES = 20000;

export class CurveDesk {
  private curves: Float32Array[] = [];
  private placed: Float32Array[] = [];
  private seated: Seated | null = null;

  constructor(private readonly session: Session, private readonly keep: (bytes: Uint8Array) => BufferId) {}

  /** Reads curves off the main thread and places them as they fit best; rejects with what is wrong with them. */
  async open(files: NamedFile[]): Promise<void> {
    const read = await readFiles('curves', files);
    if (read.curves.length > MOST_GUIDES) throw new Error(`“${read.fileName}” holds ${read.curves.length.toLocaleString('en')} curves; a groom has at most ${MOST_GUIDES.toLocaleString('en')} guides. Export the guides, not the filled strands.`);
    this.curves = read.curves;
    const placement = guessCurvePlacement(this.curves, this.session.restSurface, { scale: read.scale, up: read.up });
    this.placed = placeCurves(this.curves, placement);
    this.seat({ fileName: read.fileName, count: read.curves.length, notes: read.notes, placement, rootsLast: rootsAreLast(this.placed, this.session.restSurface), limitMm: LIMIT_MM });
  }
  /** Changes how they are placed. */
  change(change: Partial<Pick<Bringing, 'rootsLast' | 'limitMm'>> & { placement?: Partial<CurvePlacement> }): void {
    const { bringing } = useEditor.getState();
    if (!bringing) return;
    const placement = { ...bringing.placement, ...change.placement };
    if (change.placement) this.placed = placeCurves(this.curves, placement);
    this.seat({ ...bringing, ...change, placement });
  }
  private seat(b: Omit<Bringing, 'seated' | 'farthest' | 'lost'>): void {
    const { session } = this, plot = new Set(session.plotFaces);
    // without a plot the whole mesh may carry them, and where they stand becomes the plot
    const s = (this.seated = seatCurves(session.restSurface, (f) => plot.size === 0 || plot.has(f), this.placed, session.document.plant.pointCount, b.rootsLast, b.limitMm / 1000));
    useEditor.setState({ bringing: { ...b, seated: s.from.length, farthest: s.moved.reduce((m, d) => Math.max(m, d), 0), lost: s.lost } });
    session.changed();
  }
  /** Segments of the curves as they would be taken, and of those that would not; rest pose. */
  shown(): { seated: Float32Array; lost: Float32Array } | null {
    const { seated } = this;
    if (!useEditor.getState().bringing || !seated) return null;
    const lost = new Set(seated.lost.map((l) => l.curve)), out: { seated: number[]; lost: number[] } = { seated: [], lost: [] };
    this.placed.forEach((c, k) => { const into = lost.has(k) ? out.lost : out.seated; for (let i = 0; i + 5 < c.length; i += 3) into.push(c[i], c[i + 1], c[i + 2], c[i + 3], c[i + 4], c[i + 5]); });
    return { seated: Float32Array.from(out.seated), lost: Float32Array.from(out.lost) };
  }
  leave(): void {
    this.curves = [];
    this.placed = [];
    this.seated = null;
    useEditor.setState({ bringing: null });
    this.session.changed();
  }
  /** Makes them the groom's guides. Where guides were brought in before, what was combed since is kept on roots that are still there. Returns how many. */
  take(): { guides: number; kept: number } {
    const { session, seated } = this, { bringing } = useEditor.getState(), { document } = session;
    if (!seated || !bringing || seated.from.length === 0) return { guides: 0, kept: 0 };
    const pointCount = document.plant.pointCount, brought = this.keep(bytesOf(seated.offsets)), g = document.guides, was = g?.brought ? session.buffers.get(g.brought) : undefined;
    let kept = 0;
    if (g && was && session.guides && g.pointCount === pointCount) kept = keepEdits(session.restSurface, seated, pointCount, { planting: session.guides.planting, brought: floatsOf(was), now: session.guides.offsets });
    const planting = this.keep(packPlanting(seated.planting)), offsets = this.keep(bytesOf(seated.offsets)), count = seated.from.length;
    const faces = document.plot.faces ?? this.keep(bytesOf(Uint32Array.from(new Set(seated.planting.faces)).sort()));
    session.layersGo();
    useEditor.getState().edit(`Bring in ${many(count, 'guide')} from ${bringing.fileName}`, (d) => {
      d.plot.faces = faces;
      d.guides = { count, pointCount, planting, offsets, plantKey: plantKey(d), combed: true, brought };
    });
    this.leave();
    return { guides: count, kept };
  }

  /** The guides as they are combed, in the rest pose, m. */
  outgoing(): { curves: Float32Array[]; width: number; name: string; comment: string } | null {
    const { session } = this, { guides, groom, document } = session;
    if (!guides) return null;
    const n = guides.planting.faces.length, motions = new Float64Array(7 * n), points = new Float32Array(guides.offsets.length), stride = 3 * guides.pointCount;
    for (let g = 0; g < n; g++) { motions[7 * g + 3] = 1; motions.set(rootPlace(session.restSurface, guides.planting, g), 7 * g + 4); }
    placeGuides(guides.offsets, motions, guides.pointCount, points);
    return { curves: Array.from({ length: n }, (_, g) => points.slice(stride * g, stride * (g + 1))), width: physicalRod(document.sway).diameter, name: groom.name, comment: `${groom.character.name}, ${groom.name}: ${many(n, 'guide')} as combed in the rest pose, by Fine Comb; metres, +Y up.` };
  }
}
