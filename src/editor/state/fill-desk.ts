/** Treatments and partings of the groom: changes to them, each one step. Part of the session. */
import { newTreatment, TREATMENTS, type Driver, type Treatment, type TreatmentName } from '../../core/fill/treatments';
import type { PartingLine } from '../../core/document/schema';
import type { SurfacePoint } from '../../core/mesh/surface';
import type { Session } from './session';
import { useEditor } from './store';

/** m: places of a parting are so far apart. */
const STRIDE = 0.003;
const MOST_PLACES = 400;

const edit = useEditor.getState().edit, endStep = useEditor.getState().endStep;
const newId = (taken: readonly { id: string }[], word: string): string => { for (let n = 1; ; n++) if (!taken.some((t) => t.id === `${word}${n}`)) return `${word}${n}`; };

export class FillDesk {
  constructor(private readonly session: Session) {}
  private get list(): readonly Treatment[] { return this.session.document.fill.treatments; }

  /** Adds a treatment at the end; its id. */
  add(kind: TreatmentName): string {
    const id = newId(this.list, kind), same = this.list.filter((t) => t.kind === kind).length, name = TREATMENTS[kind].label;
    edit(`Add ${name.toLowerCase()}`, (d) => { d.fill.treatments.push(newTreatment(kind, id, { name: same > 0 ? `${name} ${same + 1}` : name, seed: 1 + this.list.length })); });
    return id;
  }
  duplicate(id: string): string {
    const at = this.list.findIndex((t) => t.id === id), copy = structuredClone(this.list[at]), made = newId(this.list, copy.kind);
    edit(`Duplicate ${copy.name}`, (d) => { d.fill.treatments.splice(at + 1, 0, { ...copy, id: made, name: `${copy.name} copy`.slice(0, 60), solo: false, seed: (copy.seed + 1) % 100000 }); });
    return made;
  }
  remove(id: string): void { const t = this.list.find((x) => x.id === id); if (t) edit(`Remove ${t.name}`, (d) => { d.fill.treatments = d.fill.treatments.filter((x) => x.id !== id); }); }
  /** Puts a treatment in the place of another. */
  move(id: string, to: number): void {
    const from = this.list.findIndex((t) => t.id === id);
    if (from < 0 || from === to || to < 0 || to >= this.list.length) return;
    edit(`Move ${this.list[from].name}`, (d) => { const [t] = d.fill.treatments.splice(from, 1); d.fill.treatments.splice(to, 0, t); });
  }
  change(id: string, what: string, change: Partial<Omit<Treatment, 'driver' | 'numbers'>> & { driver?: Partial<Driver>; numbers?: Record<string, number> }, merge = false): void {
    const t = this.list.find((x) => x.id === id);
    if (!t) return;
    edit(`${what} of ${t.name}`, (d) => { const x = d.fill.treatments.find((y) => y.id === id)!, { driver, numbers, ...rest } = change; Object.assign(x, rest); Object.assign(x.driver, driver); Object.assign(x.numbers, numbers); }, merge ? `treatment.${id}.${what}` : undefined);
    if (!merge) endStep();
  }

  /** A line over the skin in the present pose becomes a parting of the rest mesh; false where it is too short. */
  addParting(places: readonly SurfacePoint[]): boolean {
    const { restSurface } = this.session, numbers: number[] = [];
    for (const p of places) {
      const at = restSurface.place(p.face, p.barycentric), n = numbers.length;
      if (n >= 6 * MOST_PLACES) break;
      if (n > 0 && Math.hypot(at[0] - numbers[n - 6], at[1] - numbers[n - 5], at[2] - numbers[n - 4]) < STRIDE) continue;
      numbers.push(...at, ...restSurface.normal(p.face));
    }
    if (numbers.length < 12) return false;
    const { partings } = this.session.document.fill, id = newId(partings, 'parting');
    edit('Draw a parting', (d) => { d.fill.partings.push({ id, name: `Parting ${partings.length + 1}`, on: true, softMm: 2, places: numbers }); });
    return true;
  }
  changeParting(id: string, change: Partial<PartingLine>): void { edit('Parting', (d) => { Object.assign(d.fill.partings.find((p) => p.id === id) ?? {}, change); }, `parting.${id}.${Object.keys(change).join()}`); }
  removeParting(id: string): void { edit('Remove a parting', (d) => { d.fill.partings = d.fill.partings.filter((p) => p.id !== id); }); }
  /** Lines of the partings in the present pose: pairs of places, a little off the skin. */
  lines(): Float32Array {
    const { session } = this, out: number[] = [], now = session.surfaceNow();
    for (const { places, on } of session.document.fill.partings) {
      if (!on) continue;
      let last: number[] | null = null;
      for (let o = 0; o < places.length; o += 6) {
        const hit = session.restSurface.nearest(places.slice(o, o + 3));
        if (!hit) continue;
        const p = now.place(hit.face, hit.barycentric), n = now.normal(hit.face), q = p.map((v, c) => v + 0.0015 * n[c]);
        if (last) out.push(...last, ...q);
        last = q;
      }
    }
    return Float32Array.from(out);
  }
}
