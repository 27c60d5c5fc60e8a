/** Styling: strokes on guides, chosen strands, layers of style, whole-groom changes. Part of the session. */
import { meshesAround } from '../../core/groom/around';
import { bytesOf, floatsOf, packPlanting } from '../../core/document/buffers';
import { composeStyle, layerShapes, styleThrough } from '../../core/document/style';
import type { BufferId, GroomDocument, StyleLayer } from '../../core/document/schema';
import { ALONG } from '../../core/groom/comb/along';
import { acrossDab, mirrorStyle, rootPlaces } from '../../core/groom/comb/across';
import { BrushStroke, type BrushKind, type BrushSettings } from '../../core/groom/comb/brush-stroke';
import { chooseAlong, chooseAlso, chosenGuides, growChoice, invertChoice, rootSpacing, softenAcross, wholeGuides, type Choice, type HowToChoose } from '../../core/groom/comb/choice';
import { cutAlongLine, cutAtBrush, cutAtSurface } from '../../core/groom/comb/cut';
import { KeepOff, type Obstacle } from '../../core/groom/comb/keep-off';
import { keepOnLayer, packLayer } from '../../core/groom/comb/layers';
import type { Dab } from '../../core/groom/comb/reach';
import { randomShares, relength, repoint, rootsOff } from '../../core/groom/comb/reshape';
import { mirroredEdges } from '../../core/groom/face-choice';
import { placeGuides, type Planting } from '../../core/groom/planting';
import { roleOf } from '../../core/document/schema';
import { clipTime, skinPositions } from '../../core/mesh/character';
import { Surface } from '../../core/mesh/surface';
import type { FillRequest } from '../../workers/messages';
import { CageDesk } from './cage-desk';
import type { MapName } from './plant-desk';
import type { Session } from './session';
import { useEditor } from './store';
import { many } from './many';

/** ms: rest before and length of the slices in which the skin is made ready. */
const WARM_AFTER_MS = 500, WARM_MS = 8;

interface Work { points: Float64Array; stroke: BrushStroke | null; changed: Set<number> }

export class CombDesk {
  choice: Choice | null = null;
  /** Guides that the stroke under way will take. */
  marked: ReadonlySet<number> | null = null;
  private work: Work | null = null;
  private keepOff: { key: string; keep: KeepOff } | null = null;
  private places: { planting: Planting; rest: Float64Array; spacing: number } | null = null;

  readonly cage: CageDesk;
  constructor(private readonly session: Session, private readonly keep: (bytes: Uint8Array, after?: BufferId) => BufferId, private readonly send: (message: FillRequest) => void) { this.cage = new CageDesk(session, this); }

  forget(): void { clearTimeout(this.warming); this.cage.forget(); this.choice = null; this.work = null; this.keepOff = null; this.places = null; }
  private get count(): number { return this.session.guides?.planting.faces.length ?? 0; }
  private get pointCount(): number { return this.session.guides?.pointCount ?? 1; }
  private roots(): { rest: Float64Array; spacing: number } {
    const { guides, restSurface } = this.session;
    if (!guides) return { rest: new Float64Array(0), spacing: 0.01 };
    if (this.places?.planting !== guides.planting) { const rest = rootPlaces(restSurface, guides.planting); this.places = { planting: guides.planting, rest, spacing: rootSpacing(rest) }; }
    return this.places!;
  }

  // ------------------------------------------------------------ which shapes are seen and combed

  /** The layer that strokes go to: '' for the base. */
  get layer(): string { const { layer } = useEditor.getState().comb, layers = this.session.document.guides?.style?.layers ?? []; return layer === null ? (layers.at(-1)?.id ?? '') : layers.some((l) => l.id === layer) ? layer : ''; }
  /** Whether only what lies up to the chosen layer is seen: while it is being combed. */
  get seenWhole(): boolean { const { stage, comb } = useEditor.getState(); return stage === 'comb' && comb.tool !== 'look' && !!this.session.document.guides?.style; }
  /** Shapes as they are seen now, of their own. */
  shapes(document: GroomDocument): Float32Array {
    const { guides } = document;
    return this.seenWhole ? composeStyle(this.get, guides!, this.mask, this.layer) : floatsOf(this.get(guides!.offsets)!);
  }
  private readonly get = (id: BufferId): Uint8Array | undefined => this.session.buffers.get(id);
  private readonly mask = (layer: StyleLayer, g: number): number => {
    const { guides, desk, buffers } = this.session, bytes = layer.mask && buffers.get(layer.mask), map = bytes ? desk.readMapBytes(bytes) : null;
    return map && guides ? desk.grid.sample(map, guides.planting.faces[g], guides.planting.weights[2 * g], guides.planting.weights[2 * g + 1]) : 1;
  };

  /** Makes shapes (3 × points × guides, as seen) an edit: those of the guides named go to the chosen layer. */
  setShapes(name: string, shapes: Float32Array, changed: Iterable<number>, mergeKey?: string): void {
    const { document } = this.session, g = document.guides;
    if (!g) return;
    if (!g.style) {
      const id = this.keep(bytesOf(shapes), g.offsets);
      useEditor.getState().edit(name, (d) => { d.guides!.offsets = id; d.guides!.combed = true; }, mergeKey);
      return;
    }
    const layer = this.layer;
    let next = { ...g, style: g.style };
    if (layer === '') {
      const base = floatsOf(this.get(g.style.base)!), stride = 3 * g.pointCount;
      for (const k of changed) base.set(shapes.subarray(stride * k, stride * (k + 1)), stride * k);
      next.style = { ...g.style, base: this.keep(bytesOf(base), g.style.base) };
    }
    else next.style = { ...g.style, layers: g.style.layers.map((l) => (l.id === layer ? { ...l, shapes: this.keep(packLayer(keepOnLayer(layerShapes(this.get, l, g.pointCount), g.pointCount, changed, shapes))) } : l)) };
    next = { ...next, offsets: this.keep(bytesOf(composeStyle(this.get, next, this.mask)), g.offsets) };
    useEditor.getState().edit(name, (d) => { d.guides!.style = next.style; d.guides!.offsets = next.offsets; d.guides!.combed = true; }, mergeKey);
  }

  // ------------------------------------------------------------ strokes

  /** What strands keep off in the present pose. */
  obstacles(): KeepOff | null {
    const { session } = this, { comb, frame } = useEditor.getState(), { document, character } = session, gap = document.sway.skinGapMm / 1000;
    if (comb.keepOff === 'nothing') return null;
    const key = JSON.stringify([comb.keepOff, Math.round(frame * 1000), session.bindPose, document.shot.clip, document.shot.fps, document.plot.mesh, document.hidden, document.sway.meshRoles, gap]);
    if (this.keepOff?.key === key) return this.keepOff.keep;
    const list: Obstacle[] = [{ positions: session.skin.slice(), triangles: session.mesh.triangles, worn: false }];
    for (const m of meshesAround(character, session.mesh, document.hidden, document.sway, comb.keepOff === 'clothes')) {
      const positions = new Float64Array(m.positions.length);
      skinPositions(character, m, session.pose, positions);
      list.push({ positions, triangles: m.triangles, worn: roleOf(m, document.sway) === 'garment' });
    }
    this.keepOff = { key, keep: new KeepOff(list, gap) };
    return this.keepOff.keep;
  }
  /** While nobody strokes: makes ready what brushes will ask about the skin, a little at a time. */
  warmSoon(): void {
    clearTimeout(this.warming);
    this.warming = setTimeout(() => {
      const { stage, playing, comb } = useEditor.getState(), { guides } = this.session;
      if (stage !== 'comb' || playing || comb.tool === 'look' || !guides || this.work) return;
      const keep = this.obstacles(), points = this.placed();
      if (!keep) return;
      const go = (from: number): void => {
        if (this.work || this.keepOff?.keep !== keep || this.session.guides?.offsets.length !== points.length) return;
        const end = performance.now() + WARM_MS, next = keep.warm(points, from, () => performance.now() > end);
        if (next < points.length / 3) this.warming = setTimeout(() => go(next), WARM_MS);
      };
      go(0);
    }, WARM_AFTER_MS);
  }
  private warming: ReturnType<typeof setTimeout> | undefined;
  /** Skin normals at the roots in the present pose, 3 × guides. */
  private normals(): Float64Array {
    const { guides, skin, mesh: { triangles: T } } = this.session, out = new Float64Array(3 * this.count);
    guides?.planting.faces.forEach((f, g) => {
      const [a, b, c] = [0, 1, 2].map((k) => 3 * T[3 * f + k]), ux = skin[b] - skin[a], uy = skin[b + 1] - skin[a + 1], uz = skin[b + 2] - skin[a + 2], vx = skin[c] - skin[a], vy = skin[c + 1] - skin[a + 1], vz = skin[c + 2] - skin[a + 2];
      const x = uy * vz - uz * vy, y = uz * vx - ux * vz, z = ux * vy - uy * vx, l = Math.hypot(x, y, z) || 1;
      out[3 * g] = x / l; out[3 * g + 1] = y / l; out[3 * g + 2] = z / l;
    });
    return out;
  }
  /** World points of the guides, of their own. */
  private placed(): Float64Array {
    const { guides, motions } = this.session, points = new Float64Array(guides!.offsets.length);
    placeGuides(guides!.offsets, motions, guides!.pointCount, points);
    return points;
  }
  begin(kind: BrushKind | 'cut', settings: Omit<BrushSettings, 'along' | 'from' | 'curlRadius' | 'curlPitch'>): void {
    const { guides } = this.session, { comb } = useEditor.getState();
    if (!guides) return;
    const points = this.placed();
    this.work = {
      points, changed: new Set(),
      stroke: kind === 'cut' ? null : new BrushStroke(kind, { points, pointCount: guides.pointCount, normals: this.normals(), chosen: this.choice }, { ...settings, along: comb.along === 'own' ? comb.ownAlong : ALONG[comb.along], from: comb.from, curlRadius: comb.curlMm / 1000, curlPitch: comb.pitchMm / 1000 }, this.obstacles() ?? []),
    };
  }
  touch(dab: Dab): void {
    const { work, session } = this;
    if (!work?.stroke) return;
    work.stroke.touch(...(useEditor.getState().comb.symmetric ? [dab, acrossDab(dab, session.motions, this.roots().rest)] : [dab]));
    for (const g of work.stroke.touched) work.changed.add(g);
    this.preview(work.stroke.touched);
  }
  cutHere(radius: number, dab: Dab): void {
    const { work, session } = this;
    if (!work) return;
    for (const d of useEditor.getState().comb.symmetric ? [dab, acrossDab(dab, session.motions, this.roots().rest)] : [dab]) {
      const cut = cutAtBrush(work.points, this.pointCount, radius, d.centre, d.sight, this.mayCut);
      for (const g of cut) work.changed.add(g);
      this.preview(cut);
    }
  }
  cutLine(line: readonly (readonly [number, number])[], project: (x: number, y: number, z: number) => readonly [number, number] | null): void {
    const { work } = this;
    if (!work) return;
    const cut = cutAlongLine(work.points, this.pointCount, line, project, this.mayCut);
    for (const g of cut) work.changed.add(g);
    this.preview(cut);
  }
  private readonly mayCut = (g: number): boolean => !this.choice || this.strengthOf(g) > 0.5;
  choiceAt(g: number, i: number): number { return this.choice ? this.choice[g * this.pointCount + i] : 1; }
  /** What the hold map says at a guide's root. */
  holdAtRoot(g: number): number { const { guides, desk } = this.session, m = desk.map('hold'); return m && guides ? desk.grid.sample(m, guides.planting.faces[g], guides.planting.weights[2 * g], guides.planting.weights[2 * g + 1]) : 1; }
  strengthOf(g: number): number { let most = 0; if (!this.choice) return 1; for (let i = 0; i < this.pointCount; i++) most = Math.max(most, this.choice[g * this.pointCount + i]); return most; }

  /** Shows guides as the stroke has them. */
  private preview(changed: Iterable<number>): void {
    const { session, work } = this, { guides } = session;
    if (!guides || !work) return;
    const stride = 3 * guides.pointCount;
    for (const g of changed) this.show(g, work.points.subarray(stride * g, stride * (g + 1)));
    session.changed();
  }
  /** Shows a guide with other points, 3 × points, m, in the present pose. */
  show(g: number, points: Float64Array): void {
    const { session } = this, { guides } = session;
    if (!guides) return;
    const n = guides.pointCount, o = 3 * n * g, root = guides.offsets.slice(o, o + 3), shape = guides.offsets.subarray(o, o + 3 * n);
    placeGuides(points, session.motions.subarray(7 * g, 7 * g + 7), n, shape, true);
    // roots stay as they are, to the bit
    shape.set(root);
    session.measure(g);
  }
  /** Makes the stroke an edit, or takes it back. Returns how many guides it changed. */
  end(name: string | null): number {
    const { work, session } = this;
    this.work = null;
    if (!work || !session.guides) return 0;
    if (name === null || work.changed.size === 0) { if (work.changed.size > 0) session.adoptShapes(); return 0; }
    this.setShapes(name, session.guides.offsets.slice(), work.changed);
    return work.changed.size;
  }

  // ------------------------------------------------------------ chosen strands

  choose(guides: Iterable<number>, how: HowToChoose): void { this.setChoice(chooseAlso(this.choice, wholeGuides(guides, this.count, this.pointCount), how)); }
  choosePoints(points: Iterable<number>, how: HowToChoose): void { const other = new Float32Array(this.count * this.pointCount); for (const p of points) other[p] = 1; this.setChoice(chooseAlso(this.choice, other, how)); }
  setChoice(choice: Choice | null): void {
    this.choice = choice && choice.some((v) => v > 0) ? choice : null;
    useEditor.setState({ chosen: this.choice ? chosenGuides(this.choice, this.pointCount).length : 0, choiceCount: useEditor.getState().choiceCount + 1 });
    this.session.changed();
  }
  /** Lets go of what the hand has: the cage, else the choice. False where there is neither. */
  letGo(): boolean {
    if (this.cage.cage) { this.cage.leave(); return true; }
    if (!this.choice) return false;
    this.setChoice(null);
    return true;
  }
  invert(): void { this.setChoice(this.choice ? invertChoice(this.choice) : null); }
  grow(shrink: boolean): void { const { rest, spacing } = this.roots(); if (this.choice) this.setChoice(growChoice(this.choice, this.pointCount, rest, 1.6 * spacing, shrink)); }
  soften(across: number): void { if (this.choice) this.setChoice(softenAcross(this.choice, this.pointCount, this.roots().rest, across)); }
  along(from: number, to: number, soft: number): void { this.setChoice(chooseAlong(this.choice ?? new Float32Array(this.count * this.pointCount).fill(1), this.pointCount, from, to, soft)); }
  byLength(from: number, to: number, how: HowToChoose): void { const { guides } = this.session; if (guides) this.choose(Array.from(guides.lengths.keys()).filter((g) => guides.lengths[g] >= from && guides.lengths[g] <= to), how); }
  byMap(map: MapName, from: number, to: number, how: HowToChoose): void {
    const { guides, desk } = this.session, values = desk.map(map);
    if (!guides) return;
    this.choose(Array.from(guides.planting.faces.keys()).filter((g) => { const v = values ? desk.grid.sample(values, guides.planting.faces[g], guides.planting.weights[2 * g], guides.planting.weights[2 * g + 1]) : 1; return v >= from - 1e-6 && v <= to + 1e-6; }), how);
  }

  // ------------------------------------------------------------ whole-groom changes

  chosenOrAll(): number[] { return this.choice ? chosenGuides(this.choice, this.pointCount) : Array.from({ length: this.count }, (_, g) => g); }
  /** Shapes as they are seen, changed; of the chosen guides, or all. */
  private reshape(name: string, change: (shapes: Float32Array, chosen: (g: number) => boolean) => Float32Array): void {
    const { guides } = this.session;
    if (!guides) return;
    const list = this.chosenOrAll(), on = new Set(list);
    this.setShapes(name, change(guides.offsets, (g) => on.has(g)), list);
  }
  /** `by`: metres, shorter by up to `spread` at random, times a map. */
  setLengths(by: number, spread: number, map: MapName | null, seed: number): void {
    const { guides, desk } = this.session, shares = randomShares(this.count, spread, seed), values = map ? desk.map(map) : null;
    if (!guides) return;
    this.reshape('Set lengths', (s, chosen) => relength(s, this.pointCount, (g) => by * shares[g] * (values ? desk.grid.sample(values, guides.planting.faces[g], guides.planting.weights[2 * g], guides.planting.weights[2 * g + 1]) : 1), chosen));
  }
  rootsOff(metres: number): void {
    const { guides, restSurface } = this.session, normals = new Float64Array(3 * this.count);
    guides?.planting.faces.forEach((f, g) => normals.set(restSurface.normal(f), 3 * g));
    this.reshape('Roots off the skin', (s, chosen) => rootsOff(s, this.pointCount, normals, metres, chosen));
  }
  cutAtMesh(name: string): number {
    const { session } = this, mesh = session.character.meshes.find((m) => m.name === name);
    if (!mesh || !session.guides) return 0;
    const P = new Float64Array(mesh.positions.length);
    skinPositions(session.character, mesh, session.pose, P);
    this.begin('cut', { radius: 0, strength: 1, falloff: 1, reverse: false });
    const cut = cutAtSurface(this.work!.points, this.pointCount, new Surface(P, mesh.triangles), this.mayCut);
    for (const g of cut) this.work!.changed.add(g);
    this.preview(cut);
    return this.end(`Cut at ${name}`);
  }
  /** Another number of points on every guide, in every layer. Returns how far the old points are off the new strands at most, m. */
  setPoints(wanted: number, byShape: boolean): number {
    const { session } = this, g = session.document.guides;
    if (!g || wanted === g.pointCount) return 0;
    const each = (shape: Float32Array): Float32Array => repoint(shape, g.pointCount, wanted, byShape).offsets, style = styleThrough(this.get, this.keep, g.style, g.pointCount, (k) => k, each);
    const now = repoint(floatsOf(this.get(g.offsets)!), g.pointCount, wanted, byShape), brought = g.brought && this.get(g.brought), shown = brought && this.keep(bytesOf(repoint(floatsOf(brought), g.pointCount, wanted, byShape).offsets));
    const composed = this.keep(bytesOf(style ? composeStyle(this.get, { ...g, pointCount: wanted, style }, this.mask) : now.offsets));
    this.setChoice(null);
    useEditor.getState().edit(`${many(wanted, 'point')} a guide`, (d) => { Object.assign(d.guides!, { pointCount: wanted, offsets: composed, style, brought: shown }); });
    return now.error;
  }
  /** Takes guides away, with what ties and layers hold of them. False where none would be left. */
  remove(guides: Iterable<number>): boolean {
    const { session } = this, g = session.document.guides, gone = new Set(guides);
    if (!g || !session.guides || gone.size === 0) return false;
    const left = Array.from({ length: g.count }, (_, k) => k).filter((k) => !gone.has(k));
    if (left.length === 0) return false;
    const to = new Int32Array(g.count).fill(-1), stride = 3 * g.pointCount, { planting } = session.guides, take = (id: BufferId): BufferId => { const all = floatsOf(this.get(id)!), out = new Float32Array(stride * left.length); left.forEach((k, i) => out.set(all.subarray(stride * k, stride * (k + 1)), stride * i)); return this.keep(bytesOf(out)); };
    left.forEach((k, i) => { to[k] = i; });
    const plantingId = this.keep(packPlanting({ faces: Uint32Array.from(left, (k) => planting.faces[k]), weights: Float32Array.from(left.flatMap((k) => [planting.weights[2 * k], planting.weights[2 * k + 1]])) }));
    const offsets = take(g.offsets), brought = g.brought ? take(g.brought) : undefined, style = styleThrough(this.get, this.keep, g.style, g.pointCount, (k) => to[k]);
    this.setChoice(null);
    useEditor.getState().edit(gone.size === 1 ? 'Remove a guide' : `Remove ${many(gone.size, 'guide')}`, (d) => {
      Object.assign(d.guides!, { count: left.length, planting: plantingId, offsets, brought, style, combed: true });
      for (const t of d.sway.ties) t.guides = t.guides.map((k) => to[k]).filter((k) => k >= 0);
      d.sway.ties = d.sway.ties.filter((t) => t.guides.length > 0);
    });
    return true;
  }
  removeOr(guides: readonly number[]): void { if (guides.length > 0 && !this.remove(guides)) this.session.onTrouble?.('All guides would go. Leave at least one, or clear the plot in Plant.'); }

  /** Lets guides fall as the solver has it, from the combed shape as the unloaded one; the more strength, the less hold keeps them. */
  settle(guides: readonly number[]): void {
    const { session } = this, { guides: all, document } = session, list = (this.choice ? guides.filter((g) => this.strengthOf(g) > 0) : [...guides]).sort((a, b) => a - b), stride = 3 * this.pointCount;
    if (!all || !document.guides || list.length === 0) return;
    const offsets = new Float32Array(stride * list.length), { strength } = useEditor.getState().brush;
    list.forEach((g, k) => offsets.set(all.offsets.subarray(stride * g, stride * (g + 1)), stride * k));
    this.settling = { request: ++this.settleNumber, guides: list, offsetsId: document.guides.offsets };
    useEditor.setState({ settling: true });
    const planting: Planting = { faces: Uint32Array.from(list, (g) => all.planting.faces[g]), weights: Float32Array.from(list.flatMap((g) => [all.planting.weights[2 * g], all.planting.weights[2 * g + 1]])) };
    // in the pose they are seen in
    const { clip, bindPose } = session, { shot } = document, pose = clip && !bindPose ? { clip: clip.name, time: clipTime(useEditor.getState().frame, shot.fps, clip, shot.cyclic) } : null;
    this.send({ kind: 'settle', request: this.settleNumber, planting, offsets, pointCount: all.pointCount, mesh: document.plot.mesh, hidden: document.hidden, pose, settings: { ...document.sway, hold: document.sway.hold * (1 - strength) } });
  }
  private settling: { request: number; guides: number[]; offsetsId: BufferId } | null = null;
  private settleNumber = 0;
  onSettled(request: number, shapes: Float32Array | null): void {
    const { settling, session } = this, { guides, document } = session;
    if (settling?.request !== request) return;
    this.settling = null;
    useEditor.setState({ settling: false });
    if (!shapes || !guides) return;
    if (document.guides?.offsets !== settling.offsetsId) { session.onTrouble?.('The hair was changed while it settled, so it was left as it is. Settle it again.'); return; }
    const stride = 3 * guides.pointCount, next = guides.offsets.slice();
    settling.guides.forEach((g, k) => {
      for (let i = 3; i < stride; i++) next[stride * g + i] = shapes[stride * k + i];
    });
    this.setShapes(settling.guides.length === 1 ? 'Settle a guide' : `Settle ${many(settling.guides.length, 'guide')}`, next, settling.guides);
  }

  /** Mirrors the style; `byWay`: by how the mesh hangs together. Returns what stands in the way. */
  mirror(fromLeft: boolean, byWay: boolean): string | null {
    const { guides, restSurface, rest, mesh } = this.session;
    if (!guides) return null;
    const twins = byWay ? mirroredEdges(rest, mesh.triangles) : null;
    if (byWay && !twins) return 'The faces of this mesh are not alike on both sides of its middle. Mirror by place instead.';
    const shapes = mirrorStyle({ surface: restSurface, planting: guides.planting, offsets: guides.offsets, pointCount: guides.pointCount }, fromLeft, twins);
    if (!shapes) return `There are no guides on the ${fromLeft ? 'left' : 'right'} to mirror.`;
    const { rest: roots } = this.roots(), side = fromLeft ? 1 : -1;
    this.setShapes(fromLeft ? 'Mirror left to right' : 'Mirror right to left', shapes, this.chosenOrAll().filter((g) => side * roots[3 * g] < 0));
    return null;
  }

  // ------------------------------------------------------------ layers

  private changeLayers(name: string, change: (layers: StyleLayer[]) => StyleLayer[], mergeKey?: string): void {
    const { document } = this.session, g = document.guides;
    if (!g) return;
    const base = g.style?.base ?? g.offsets, layers = change(g.style?.layers.map((l) => ({ ...l })) ?? []), style = layers.length > 0 ? { base, layers } : undefined;
    const offsets = style ? this.keep(bytesOf(composeStyle(this.get, { ...g, style }, this.mask)), g.offsets) : base;
    useEditor.getState().edit(name, (d) => { d.guides!.style = style; d.guides!.offsets = offsets; }, mergeKey);
  }
  addLayer(): void {
    const layers = this.session.document.guides?.style?.layers ?? [];
    let n = layers.length + 1;
    while (layers.some((l) => l.name === `layer ${n}` || l.id === `l${n}`)) n++;
    const shapes = this.keep(packLayer({ guides: new Uint32Array(0), shapes: new Float32Array(0) }));
    this.changeLayers(`Add layer ${n}`, (all) => [...all, { id: `l${n}`, name: `layer ${n}`, on: true, amount: 1, mask: null, shapes }]);
    useEditor.setState({ comb: { ...useEditor.getState().comb, layer: `l${n}` } });
  }
  removeLayer(id: string): void { const l = this.layerOf(id); if (l) this.changeLayers(`Remove ${l.name}`, (all) => all.filter((x) => x.id !== id)); }
  changeLayer(id: string, change: Partial<Pick<StyleLayer, 'name' | 'on' | 'amount' | 'mask'>>): void {
    const l = this.layerOf(id);
    if (l) this.changeLayers(change.on !== undefined ? `${change.on ? 'Show' : 'Hide'} ${l.name}` : change.name !== undefined ? `Name ${change.name}` : `${l.name}: ${change.amount !== undefined ? 'amount' : 'mask'}`, (all) => all.map((x) => (x.id === id ? { ...x, ...change } : x)), change.amount !== undefined ? `layer.${id}` : undefined);
  }
  moveLayer(id: string, to: number): void {
    const l = this.layerOf(id);
    if (l) this.changeLayers(`Move ${l.name}`, (all) => { const rest = all.filter((x) => x.id !== id); rest.splice(to, 0, all.find((x) => x.id === id)!); return rest; });
  }
  /** Where a painted map is stored; null where it is 1 everywhere. */
  mapId(map: MapName): BufferId | null { return this.session.desk.idOf(map); }
  private layerOf(id: string): StyleLayer | undefined { return this.session.document.guides?.style?.layers.find((l) => l.id === id); }
}
