/** Chains that are drawn through meshes: their lines, what they move, and the joints that are made of them. */
import { drawnDocument, withDrawing } from '../../core/chain/chain-groom';
import { ofChains } from '../../core/chain/character-of';
import { bytesOf, floatsOf } from '../../core/document/buffers';
import { carrierOf, drawnKey, MOST_CLICKS, STILL, troubleWithDrawn, type Drawn, type DrawnLine, type WeightsBy } from '../../core/drawn/drawn';
import { differenceOf, joinedMesh, jointPlaces, packInfluences, type Influences } from '../../core/drawn/influences';
import { layLines } from '../../core/drawn/lay-lines';
import { givenOf, withDrawn } from '../../core/drawn/with-drawn';
import { composeInto, multiplyInto } from '../../core/math/mat4';
import { smoothStep } from '../../core/math/vec';
import { poseCharacter, skinPositions } from '../../core/mesh/character';
import { Surface } from '../../core/mesh/surface';
import { newSheet } from '../../core/sway/cloth';
import { packCharacter } from '../../formats/packed-character';
import type { WeightsReply, WeightsRequest } from '../../workers/weights.worker';
import * as api from './api';
import type { Session } from './session';
import { useEditor } from './store';
import { many } from './many';

const newId = (): string => `d${Date.now().toString(36)}${Math.floor(Math.random() * 46656).toString(36)}`;
const QUIET_MS = 250;

export class DrawnDesk {
  private worker: Worker | null = null;
  private number = 0;
  private readonly waiting = new Map<number, { resolve: (i: Influences) => void; reject: (e: Error) => void }>();
  private readonly known = new Map<string, Influences>();
  private joined: { key: string; positions: Float64Array; triangles: Uint32Array; surface: Surface } | null = null;
  private timer: ReturnType<typeof setTimeout> | undefined;
  private asked = '';
  /** What keeps weights from being found, in plain words; '' where nothing does. */
  trouble = '';
  busy = false;
  /** A map under the brush, before it is kept. */
  private painting: { who: string; values: Float32Array } | null = null;
  constructor(private readonly session: Session) {}
  close(): void { this.worker?.terminate(); clearTimeout(this.timer); useEditor.setState({ draw: { tool: null, shown: 'shares', bend: 0, place: null } }); }

  get drawn(): Drawn | null { return useEditor.getState().history?.document.drawn ?? null; }
  get on(): boolean { return this.drawn !== null && !this.session.stale; }
  /** Whether the drawing is what the view is about. */
  get shown(): boolean { const { stage, history } = useEditor.getState(); return stage === 'plant' && history !== null && ofChains(history.document) && this.on; }

  /** The meshes as one, in the rest pose. */
  mesh(): { positions: Float64Array; triangles: Uint32Array; surface: Surface } {
    const names = this.drawn?.meshes ?? [], key = names.join('\n');
    if (this.joined?.key !== key) { const { positions, triangles } = joinedMesh(this.session.before, names); this.joined = { key, positions, triangles, surface: new Surface(positions, triangles) }; }
    return this.joined;
  }

  edit(label: string, change: (d: Drawn) => void, merge?: string): void {
    useEditor.getState().edit(label, (d) => { if (d.drawn) change(d.drawn as Drawn); }, merge);
    this.session.changed();
  }

  // ---------------------------------------------------------------- lines

  /** A place clicked on the mesh: the next of the line that is drawn, or the first of a new one. */
  click(place: readonly [number, number, number]): void {
    const { draw } = useEditor.getState(), { drawn } = this;
    if (draw.tool?.name !== 'line' || !drawn) return;
    const at = place.map((v) => Math.round(v * 1e6) / 1e6), line = drawn.lines.find((l) => l.id === (draw.tool as { line: string }).line);
    if (line && line.places.length / 3 < MOST_CLICKS) { this.edit(`Place of ${line.name}`, (d) => { d.lines.find((l) => l.id === line.id)!.places.push(...at); }); return; }
    const id = newId(), taken = new Set(drawn.lines.map((l) => l.name));
    let name = 'lock', n = 1;
    while (taken.has(`${name} ${n}`)) n++;
    name = `${name} ${n}`;
    this.edit(`Begin ${name}`, (d) => { d.lines.push({ id, name, places: at, joints: drawn.lines.at(-1)?.joints ?? 8 }); });
    useEditor.setState({ draw: { ...draw, tool: { ...draw.tool, line: id }, place: null } });
  }
  /** The line is ended: the next click begins another. */
  end(): void { const { draw } = useEditor.getState(); if (draw.tool?.name === 'line') useEditor.setState({ draw: { ...draw, tool: { ...draw.tool, line: '' } } }); }
  moveTo(line: DrawnLine, at: number, place: readonly number[]): void {
    this.edit(`Move a place of ${line.name}`, (d) => { d.lines.find((l) => l.id === line.id)!.places.splice(3 * at, 3, ...place.map((v) => Math.round(v * 1e6) / 1e6)); }, `drawn.${line.id}.${at}`);
  }
  /** Lines of a sheet from one that runs along its pinned edge, in place of all there are. Throws in plain words. */
  lay(edge: DrawnLine, how: { lines: number; joints: number; around: boolean }): void {
    const { drawn } = this;
    if (!drawn) return;
    const lines = layLines(this.session.before, drawn.meshes, edge.places, how);
    useEditor.getState().edit(`Sheet of ${many(lines.length, 'line')}`, (d) => {
      if (!d.drawn) return;
      d.drawn.lines = lines;
      d.drawn.painted = d.drawn.painted.filter((p) => p.id === STILL);
      d.drawn.by = 'along';
      d.sway.sheet = d.sway.sheet ? { ...d.sway.sheet, around: how.around } : newSheet('suiting', how.around);
    });
    useEditor.setState({ draw: { ...useEditor.getState().draw, tool: null, place: null } });
    this.session.changed();
  }
  /** Takes the chosen place away, and a line with its last. */
  takePlace(): void {
    const { draw } = useEditor.getState(), { drawn } = this, line = drawn?.lines.find((l) => l.id === draw.place?.line);
    if (!line || !draw.place) return;
    const { at } = draw.place;
    this.edit(`One place fewer of ${line.name}`, (d) => { const l = d.lines.find((x) => x.id === line.id)!; l.places.splice(3 * at, 3); if (l.places.length === 0) { d.lines = d.lines.filter((x) => x.id !== line.id); d.painted = d.painted.filter((p) => p.id !== line.id); } });
    useEditor.setState({ draw: { ...draw, place: null } });
  }

  // ---------------------------------------------------------------- weights

  private key(by: WeightsBy): string { const { drawn } = this; return drawn ? drawnKey({ ...drawn, by }) : ''; }
  /** Maps that were painted, by their ids. */
  private maps(): Map<string, Float32Array> { return new Map((this.drawn?.painted ?? []).flatMap((p) => { const bytes = this.session.buffers.get(p.map); return bytes ? [[p.map, floatsOf(bytes)]] : []; })); }

  weigh(by: WeightsBy): Promise<Influences> {
    const key = this.key(by), known = this.known.get(key), { drawn } = this;
    if (known) return Promise.resolve(known);
    if (!drawn) return Promise.reject(new Error('Nothing is drawn.'));
    const trouble = troubleWithDrawn(this.session.before, drawn);
    if (trouble) return Promise.reject(new Error(trouble));
    if (!this.worker) {
      this.worker = new Worker(new URL('../../workers/weights.worker.ts', import.meta.url), { type: 'module' });
      this.worker.onmessage = ({ data }: MessageEvent<WeightsReply>) => {
        const waiting = this.waiting.get(data.request);
        this.waiting.delete(data.request);
        if ('influences' in data) waiting?.resolve(data.influences); else waiting?.reject(new Error(data.message));
      };
      this.worker.onerror = (e) => { for (const w of this.waiting.values()) w.reject(new Error(e.message)); this.waiting.clear(); };
      this.worker.postMessage({ kind: 'character', packed: packCharacter(this.session.before) } satisfies WeightsRequest);
    }
    const request = ++this.number;
    return new Promise<Influences>((resolve, reject) => {
      this.waiting.set(request, { resolve: (i) => { if (this.known.size > 12) this.known.clear(); this.known.set(key, i); resolve(i); }, reject });
      this.worker!.postMessage({ kind: 'weigh', request, drawn, maps: this.maps(), by } satisfies WeightsRequest);
    });
  }
  /** Weights as far as they are known; asks for those that are not. */
  influences(): { now: Influences | null; other: Influences | null } {
    const { drawn } = this;
    if (!drawn) return { now: null, other: null };
    const both = useEditor.getState().draw.shown === 'difference', otherBy: WeightsBy = drawn.by === 'inside' ? 'along' : 'inside', key = this.key(drawn.by), now = this.known.get(key) ?? null, other = both ? (this.known.get(this.key(otherBy)) ?? null) : null;
    if ((!now || (both && !other)) && this.asked !== `${key}${both}`) {
      this.asked = `${key}${both}`;
      clearTimeout(this.timer);
      this.timer = setTimeout(() => {
        this.busy = true;
        this.session.changed();
        Promise.all([this.weigh(drawn.by), ...(both ? [this.weigh(otherBy)] : [])]).then(() => { this.trouble = ''; }, (e: unknown) => { this.trouble = e instanceof Error ? e.message : String(e); }).finally(() => { this.busy = false; useEditor.setState({ draw: { ...useEditor.getState().draw } }); });
      }, QUIET_MS);
    }
    return { now, other };
  }
  /** How the two ways of weighing differ: by vertex, and in figures. */
  difference(): { values: Float32Array; mean: number; most: number; many: number } | null {
    const { now, other } = this.influences();
    if (!now || !other) return null;
    const values = differenceOf(now, other);
    let sum = 0, most = 0, many = 0;
    for (const v of values) { sum += v; most = Math.max(most, v); if (v > 0.1) many++; }
    return { values, mean: sum / values.length, most, many: many / values.length };
  }

  /** Places of the meshes with every chain bent by so many degrees in all; null where weights are not known. */
  bent(degrees: number): Float64Array | null {
    const { now } = this.influences(), { drawn } = this, { before } = this.session;
    if (!now || !drawn || degrees === 0) return null;
    const weights = packInfluences(now), given = givenOf(before, drawn, now, () => '0'.repeat(64)), with_ = withDrawn(before, given, weights), pose = poseCharacter(with_, null, 0), first = before.nodes.length, local = new Float64Array(16), turned = new Float64Array(16);
    let node = first;
    for (const { places } of given.lines) {
      const n = places.length / 3 - 1, along = [0, 1, 2].map((c) => places[3 * n + c] - places[c]), side = Math.abs(along[1]) > 0.7 * Math.hypot(...along) ? [1, 0, 0] : [along[2], 0, -along[0]], l = Math.hypot(...side) || 1, half = (degrees * Math.PI) / 360 / n, s = Math.sin(half) / l;
      for (let j = 0; j < n; j++, node++) {
        const { parent, translation: t } = with_.nodes[node];
        composeInto(local, 0, t[0], t[1], t[2], 0, 0, 0, 1, 1, 1, 1);
        composeInto(turned, 0, 0, 0, 0, s * side[0], s * side[1], s * side[2], Math.cos(half), 1, 1, 1);
        multiplyInto(pose, 16 * node, pose, 16 * parent, local, 0);
        multiplyInto(local, 0, pose, 16 * node, turned, 0);
        pose.set(local, 16 * node);
      }
    }
    const out = new Float64Array(this.mesh().positions.length);
    let at = 0;
    for (const name of drawn.meshes) { const mesh = with_.meshes.find((m) => m.name === name); if (!mesh) continue; skinPositions(with_, mesh, pose, out.subarray(at, at + mesh.positions.length)); at += mesh.positions.length; }
    return out;
  }

  // ---------------------------------------------------------------- painting

  /** One dab of a stroke that gives vertices to a line (or to what is still), or takes back what was given. */
  dab(place: readonly number[], radius: number, amount: number, falloff: number): void {
    const { draw } = useEditor.getState(), { drawn } = this, { positions: P } = this.mesh();
    if (draw.tool?.name !== 'share' || !drawn) return;
    const { who, take } = draw.tool, count = P.length / 3;
    if (this.painting?.who !== who) { const map = drawn.painted.find((p) => p.id === who)?.map, bytes = map ? this.session.buffers.get(map) : undefined; this.painting = { who, values: bytes && bytes.byteLength === 4 * count ? floatsOf(bytes).slice() : new Float32Array(count) }; }
    const { values } = this.painting;
    for (let v = 0; v < count; v++) {
      const d = Math.hypot(P[3 * v] - place[0], P[3 * v + 1] - place[1], P[3 * v + 2] - place[2]);
      if (d >= radius) continue;
      const k = amount * (1 - smoothStep(1 - falloff, 1, d / radius));
      values[v] += k * ((take ? 0 : 1) - values[v]);
    }
    this.session.changed();
  }
  get paintingNow(): Readonly<DrawnDesk['painting']> { return this.painting; }
  endStroke(): void {
    const { painting, drawn } = this;
    this.painting = null;
    if (!painting || !drawn) return;
    const name = painting.who === STILL ? 'what is still' : (drawn.lines.find((l) => l.id === painting.who)?.name ?? 'a chain'), map = this.session.keep(bytesOf(painting.values)), empty = painting.values.every((v) => v < 1e-3);
    this.edit(`Paint ${name}`, (d) => { d.painted = [...d.painted.filter((p) => p.id !== painting.who), ...(empty ? [] : [{ id: painting.who, map }])]; });
  }

  // ---------------------------------------------------------------- joints

  /** Whether the joints are those of the drawing as it is now. */
  get upToDate(): boolean { const { drawn } = this; return drawn?.given != null && drawn.given.of === drawnKey(drawn); }
  get places(): number[][] { const { drawn } = this; return drawn ? jointPlaces({ lines: drawn.lines.filter((l) => l.places.length >= 6) }) : []; }
  get carrierName(): string { const { drawn } = this, { before } = this.session, n = drawn ? carrierOf(before, drawn) : -1; return n < 0 ? '' : before.nodes[n].name; }

  /** Makes joints of the drawing and hangs its meshes on them, as one step; the groom is opened again with them. */
  async give(): Promise<void> {
    const { session } = this, { drawn } = this;
    if (!drawn) return;
    const influences = await this.weigh(drawn.by), { document, character } = withDrawing(session.before, session.document, influences, (bytes) => session.keep(bytes));
    if (character.nodes.length > 65535) throw new Error('There are too many joints.');
    useEditor.getState().edit(drawn.given ? 'Joints of the drawing, again' : 'Joints of the drawing', (d) => { Object.assign(d, structuredClone({ drawn: document.drawn, chains: document.chains, guides: document.guides, sway: document.sway })); });
  }

  /** Begins a groom whose chains are to be drawn through meshes; its id. */
  begin(name: string, meshes: readonly string[]): Promise<string> {
    return api.newGroom(this.session.groom.character.id, name, drawnDocument(this.session.document, meshes));
  }
}
