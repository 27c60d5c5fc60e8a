/** Treatments and partings of the groom: changes to them, each one step. Part of the session. */
import { newTreatment, TREATMENTS, type Driver, type Treatment, type TreatmentName } from '../../core/fill/treatments';
import type { PartingLine } from '../../core/document/schema';
import type { CardSet } from '../../core/fill/cards';
import { absorptionOf, BODY_COLOUR } from '../../core/fill/pigment';
import { cardSettingsOf, cardColour, MOST_CARDED, type MeanTint } from '../../core/fill/open-cards';
import { asSmallMesh, builtIn, layAlong, packSmallMesh, unpackSmallMesh, type SmallMesh } from '../../core/fill/planted';
import { nodeAt } from '../../core/fill/strands';
import { placeGuides, rootMotionsInto, type Planting } from '../../core/groom/planting';
import { plantedArea } from '../../core/groom/scatter';
import { mapSampler } from '../../core/groom/skin-grid';
import { restPositions } from '../../core/mesh/character';
import type { NamedFile } from '../../formats/file-set';
import { colourMap } from '../../formats/card-colours';
import type { FillRequest } from '../../workers/messages';
import type { SurfacePoint } from '../../core/mesh/surface';
import { fileNameOf, saveFile } from './save-file';
import type { Session } from './session';
import { useEditor } from './store';

/** m: places of a parting are so far apart. */
const STRIDE = 0.003;
const MOST_PLACES = 400;

const edit = useEditor.getState().edit, endStep = useEditor.getState().endStep;
const newId = (taken: readonly { id: string }[], word: string): string => { for (let n = 1; ; n++) if (!taken.some((t) => t.id === `${word}${n}`)) return `${word}${n}`; };

/** Cards as they were made, with what they are rooted on and their colours. */
export interface Cards { set: CardSet; roots: Planting; /** 3 × strands, m, rest pose. */ places: Float32Array; colours: Uint8Array<ArrayBuffer>; key: string }
/** Strands that cards are made of at most. */

export class FillDesk {
  constructor(private readonly session: Session, private readonly send: (message: FillRequest) => void) {}
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

  private area: { faces: Uint32Array; map: string | null; cm2: number } | null = null;
  /** cm² of the plot, each part of it counted by the density map. */
  get plotArea(): number {
    const { session } = this, { plotFaces: faces, desk } = session, map = desk.idOf('density'), bytes = desk.bytesOf('density');
    if (this.area?.faces !== faces || this.area.map !== map) this.area = { faces, map, cm2: 1e4 * plantedArea(session.restSurface, faces, bytes && mapSampler(bytes, session.rest, session.mesh.triangles, desk.grid)) };
    return this.area.cm2;
  }

  // ------------------------------------------------------------ cards

  cards: Cards | null = null;
  private cardRequest = 0;
  private cardKey = '';
  /** All that cards depend on. */
  private get keyOfCards(): string { const { fill, cards, guides, plot, sway, plant } = this.session.document, { preview: _preview, ...rest } = fill; return JSON.stringify([rest, cards, guides, plot, sway.maps, plant.seed]); }
  get cardsAreOld(): boolean { return this.cards !== null && this.cards.key !== this.keyOfCards; }
  makeCards(): void {
    const { session } = this, { fill } = session.document, order = session.fillOrder(Math.min(fill.count, MOST_CARDED));
    if (!order) return;
    this.cardKey = this.keyOfCards;
    useEditor.setState({ cards: { ...useEditor.getState().cards, making: true } });
    this.send({ kind: 'cards', request: ++this.cardRequest, order, settings: cardSettingsOf(session.document) });
  }
  onCarded(request: number, made: { set: CardSet; roots: Planting; places: Float32Array; tint: MeanTint | null } | null): void {
    if (request !== this.cardRequest) return;
    const state = useEditor.getState();
    if (made) this.cards = { ...made, key: this.cardKey, colours: colourMap(made.set.atlas, cardColour(this.session.document.fill, made.tint)) as Uint8Array<ArrayBuffer> };
    useEditor.setState({ cards: { ...state.cards, making: false, ...(made ? { made: state.cards.made + 1, shown: state.cards.shown === 'strands' ? 'cards' : state.cards.shown, level: Math.min(state.cards.level, made.set.levels.length - 1) } : {}) } });
  }
  async saveCards(): Promise<void> {
    const { cards, session } = this;
    if (!cards) return;
    const { writeCardsZip } = await import('../../formats/write-cards'), name = `${session.groom.character.name} ${session.groom.name}`;
    saveFile(await writeCardsZip(cards.set, name, cards.colours), `${fileNameOf(name)}-cards.zip`, 'application/zip');
  }

  // ------------------------------------------------------------ planted meshes

  private small: { of: string; mesh: SmallMesh } | null = null;
  /** The mesh that stands in place of strands; null for strands. */
  get smallMesh(): SmallMesh | null {
    const { what, mesh } = this.session.document.planted, of = what === 'own' ? (mesh ?? '') : what;
    if (what === 'strands') return null;
    if (this.small?.of !== of) {
      const bytes = what === 'own' ? this.session.buffers.get(of) : null;
      if (what === 'own' && !bytes) return null;
      this.small = { of, mesh: what === 'own' ? unpackSmallMesh(bytes!) : builtIn(what) };
    }
    return this.small!.mesh;
  }
  /** Takes the largest mesh of a file to be planted; rejects with what is wrong. */
  async bringMesh(files: NamedFile[]): Promise<void> {
    const { openCharacter } = await import('../../formats/open-character'), read = await openCharacter(files);
    if (!read.ok) throw new Error(read.error.message);
    const { character, fileName } = read.value, mesh = [...character.meshes].sort((a, b) => b.triangles.length - a.triangles.length)[0], id = this.session.keep(packSmallMesh(asSmallMesh(restPositions(character, mesh), mesh.triangles, false))), name = fileName.slice(0, 120);
    edit(`Plant ${name}`, (d) => { Object.assign(d.planted, { what: 'own', mesh: id, name, flip: false }); });
  }
  flipMesh(): void {
    const { planted } = this.session.document, now = this.smallMesh;
    if (!now || !planted.mesh) return;
    // turned over about x
    const turned = (a: Float32Array, at: number): Float32Array => a.map((v, i) => (i % 3 === 1 ? at - v : i % 3 === 2 ? -v : v)), id = this.session.keep(packSmallMesh({ positions: turned(now.positions, 1), normals: turned(now.normals, 0), indices: now.indices }));
    edit('Other end up', (d) => { d.planted.mesh = id; d.planted.flip = !d.planted.flip; });
  }
  /** Saves all that are shown, along `nodes` as the view has them (4 × nodes × strands); what was saved in words. */
  async savePlanted(nodes: Float32Array): Promise<string> {
    const { session } = this, { filled } = session, mesh = this.smallMesh, { planted, fill, plant } = session.document;
    if (!filled || !mesh) throw new Error('Nothing is planted yet.');
    const { strands } = filled, n = strands.nodes, most = Math.max(1, Math.floor(6e6 / (mesh.positions.length / 3))), count = Math.min(strands.count, most), points = new Float32Array(3 * n * count), motions = new Float64Array(7 * strands.count), normals = new Float32Array(3 * count), shown = { faces: strands.roots.faces.subarray(0, strands.count), weights: strands.roots.weights.subarray(0, 2 * strands.count) };
    for (let i = 0; i < n * count; i++) for (let c = 0; c < 3; c++) points[3 * i + c] = nodes[4 * i + c];
    rootMotionsInto(motions, shown, filled.frames, session.skin, session.mesh.triangles);
    // normals turn with the roots and do not travel
    for (let s = 0; s < strands.count; s++) motions.fill(0, 7 * s + 4, 7 * s + 7);
    placeGuides(strands.normals, motions.subarray(0, 7 * count), 1, normals);
    const all = layAlong(mesh, points, n, Float64Array.from({ length: n }, (_, k) => nodeAt(k, n)), normals, { wide: planted.wide, spin: planted.spin, seed: plant.seed }, strands.widths), colour = absorptionOf(fill, 'root').map((s) => Math.exp(-BODY_COLOUR * Math.sqrt(s))) as [number, number, number];
    const { writePlantedGlb } = await import('../../formats/write-planted'), name = `${session.groom.character.name} ${session.groom.name}`, bytes = await writePlantedGlb(all, name, colour);
    saveFile(bytes, `${fileNameOf(name)}-planted.glb`, 'model/gltf-binary');
    return `${count.toLocaleString('en')} meshes, ${(all.indices.length / 3).toLocaleString('en')} triangles, ${(bytes.length / 1e6).toFixed(1)} MB${count < strands.count ? `; the first of ${strands.count.toLocaleString('en')}, as one file holds no more` : ''}.`;
  }

  // ------------------------------------------------------------ partings

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
