/**
 * The arrays behind the screen: the character, its pose at the play head, guides, filled strands, computed and baked frames.
 * It listens to the store, keeps itself up to date, and tells the view when something to be drawn has changed.
 */
import { characterOf } from '../../core/chain/character-of';
import { bufferId, floatsOf, uintsOf, unpackPlanting } from '../../core/document/buffers';
import { jump } from '../../core/document/edits';
import { mapIds, type Maps } from '../../core/bake/open-scene';
import { buffersOf, type BufferId, type GroomDocument } from '../../core/document/schema';
import { scaled } from '../../core/document/first-document';
import { motionKey } from '../../core/document/proof';
import type { FillOrder } from '../../core/fill/open-fill';
import type { FilledStrands } from '../../core/fill/strands';
import { placeGuides, restFrames, rootMotionsInto, type Planting } from '../../core/groom/planting';
import { lengthsOf, polylineLength } from '../../core/groom/polyline';
import { usualScale } from '../../core/mesh/rest-box';
import { Travel } from '../../core/mesh/travel';
import { leadingNodes, poseAtFrame, poseCharacter, restPositions, skinPositions, type Character, type CharacterMesh, type Clip, type Pose } from '../../core/mesh/character';
import { Surface } from '../../core/mesh/surface';
import type { ColliderSet } from '../../core/sway/colliders';
import type { Pill } from '../../core/sway/pills';
import { neighbourPairs } from '../../core/proof/frame-meter';
import { tiedPoints, tieMotion } from '../../core/sway/ties';
import { applyHand } from '../../core/mesh/hand';
import type { FillReply, FillRequest } from '../../workers/messages';
import * as api from './api';
import { BakeDesk } from './bake-desk';
import { BufferStore } from './buffer-store';
import { ChainDesk } from './chain-desk';
import { DrawnDesk } from './drawn-desk';
import { CombDesk } from './comb-desk';
import { CurveDesk } from './curve-desk';
import { MovieDesk } from './movie-desk';
import { FillDesk } from './fill-desk';
import { HandsDesk } from './hands-desk';
import { MendDesk } from './mend-desk';
import { MAP_NAMES, PlantDesk, type MapName } from './plant-desk';
import { RunDesk } from './run-desk';
import { ShotDesk } from './shot-desk';
import { BRUSH_RADIUS, NO_RUN, NO_TAKES, useEditor, type EditorState } from './store';
import { TakeDesk } from './take-desk';
import { TrialDesk } from './trial-desk';
import { WedgeDesk } from './wedge-desk';

export interface Guides {
  planting: Planting;
  frames: Float64Array;
  pointCount: number;
  /** Rest-oriented offsets; the live copy while a stroke is on. */
  offsets: Float32Array;
  lengths: Float32Array;
}

export interface Filled { strands: FilledStrands; frames: Float64Array; /** Of frozen filling: shapes between the combed guides (`FillShapes.X`). */ shapes: Float32Array<ArrayBuffer> | null }

type Change = 'all' | 'map';
type Listener = (what: Change) => void;

export class Session {
  readonly buffers = new BufferStore();
  /** The mesh the plot is on, its rest places and their surface. */
  mesh: CharacterMesh;
  rest: Float64Array;
  restSurface: Surface;
  readonly desk: PlantDesk;
  readonly curveDesk: CurveDesk;
  readonly combDesk: CombDesk;
  readonly fillDesk = new FillDesk(this, (m) => this.toFill(m));
  guides: Guides | null = null;
  plotFaces: Uint32Array = new Uint32Array(0);
  filled: Filled | null = null;
  pose: Pose;
  readonly restPose: Pose;
  /** The plot's mesh in the present pose. */
  skin: Float64Array;
  /** 7 × guides at the play head. */
  motions = new Float64Array(0);
  readonly runs: RunDesk;
  readonly takes: TakeDesk;
  readonly trials: TrialDesk;
  readonly hands: HandsDesk;
  readonly mend = new MendDesk(this);
  readonly wedges = new WedgeDesk(this);
  readonly shots = new ShotDesk(this);
  readonly chains = new ChainDesk(this);
  readonly drawn = new DrawnDesk(this);
  readonly bakes = new BakeDesk(this);
  readonly movies = new MovieDesk(this);
  onTrouble: ((message: string) => void) | null = null;
  onTold: ((message: string) => void) | null = null;
  /** The document asks for another character than this session has. */
  onOther: (() => void) | null = null;
  stale = false;
  saveNow: () => Promise<boolean> = () => Promise.resolve(false);

  private readonly listeners = new Set<Listener>();
  private readonly fillWorker: Worker;
  /** Where the character stands, hands that move it left aside. */
  readonly travel: Travel;
  private fillNumber = 0;
  private fillTimer: ReturnType<typeof setTimeout> | undefined;
  private fillKey = '';
  private surfaceFrame = NaN;
  private posedSurface: Surface | null = null;
  private readonly unsubscribe: () => void;
  private closed = false;

  /** `before`: the character without what is drawn on it. */
  private constructor(readonly groom: api.Groom, readonly character: Character, readonly before: Character, packed: Uint8Array) {
    const document = groom.document;
    this.mesh = character.meshes.find((m) => m.name === document.plot.mesh) ?? character.meshes[0];
    this.pose = poseCharacter(character, null, 0);
    this.restPose = this.pose.slice();
    this.travel = new Travel(character);
    this.rest = restPositions(character, this.mesh);
    this.skin = this.rest.slice();
    this.restSurface = new Surface(this.rest, this.mesh.triangles);
    this.runs = new RunDesk(this, packed);
    this.trials = new TrialDesk(packed);
    this.takes = new TakeDesk(this);
    this.hands = new HandsDesk(this);
    this.fillWorker = new Worker(new URL('../../workers/fill.worker.ts', import.meta.url), { type: 'module' });
    this.fillWorker.onmessage = (e: MessageEvent<FillReply>) => this.onFill(e.data);
    this.toFill({ kind: 'surface', positions: this.rest, triangles: this.mesh.triangles });
    this.toFill({ kind: 'character', packed });
    this.desk = new PlantDesk(this, (bytes) => this.keep(bytes), (m) => this.toFill(m));
    this.curveDesk = new CurveDesk(this, (bytes) => this.keep(bytes));
    this.combDesk = new CombDesk(this, (bytes, after) => this.keep(bytes, after), (m) => this.toFill(m));
    useEditor.setState({ fetching: (d) => this.fetching(d) });
    this.unsubscribe = useEditor.subscribe((s, b) => this.onStore(s, b));
  }

  /** Loads a groom with everything it refers to and opens it in the store. */
  static async open(groomId: string): Promise<Session> {
    const groom = await api.getGroom(groomId);
    const packed = await api.getPackedCharacter(groom.character.id);
    const { packCharacter, unpackCharacter } = await import('../../formats/packed-character');
    const read = unpackCharacter(packed);
    if (!read.ok) throw new Error(read.error.message);
    const made = groom.document.drawn?.given, weights = made ? await api.getBuffer(made.weights) : null, character = characterOf(read.value, groom.document, weights), session = new Session(groom, character, read.value, character === read.value ? packed : packCharacter(character));
    await Promise.all(buffersOf(groom.document).map((id) => session.need(id)));
    useEditor.getState().open(groom);
    session.adoptDocument(groom.document);
    session.setFrame(groom.document.shot.start);
    const [takes, bakes, limits] = await Promise.all([api.listTakes(groomId), api.listBakes(groomId), api.showLimits(groom.production.id)]);
    useEditor.setState({ takes, limits, brush: { ...useEditor.getState().brush, radiusMm: scaled(BRUSH_RADIUS, usualScale(character)) } });
    session.takes.showNewest();
    session.bakes.take(bakes);
    return session;
  }

  close(): void {
    this.closed = true;
    this.combDesk.forget();
    this.unsubscribe();
    this.hands.close();
    this.drawn.close();
    this.runs.close();
    this.trials.close();
    this.bakes.close();
    this.movies.stop();
    this.shots.cancel();
    this.fillWorker.terminate();
    clearTimeout(this.fillTimer);
    useEditor.setState({ groom: null, history: null, run: NO_RUN, ...NO_TAKES, bakes: [], bakeId: null, bakeProof: null, bakeDamage: [], exports: [], movie: null, playing: false, marked: -1, bringing: null, fillTool: 'look', still: null, stillStrands: null, frozen: null, cards: { making: false, made: 0, shown: 'strands', level: 0 } });
  }

  onChange(listener: Listener): () => void {
    this.listeners.add(listener);
    return () => { this.listeners.delete(listener); };
  }
  /** `map`: nothing but the map that is being painted. */
  changed(what: Change = 'all'): void { for (const l of this.listeners) l(what); }

  async need(id: BufferId): Promise<void> {
    if (this.buffers.has(id)) return;
    this.buffers.set(id, await api.getBuffer(id));
    this.buffers.onServer.add(id);
  }
  /** `after`: the shapes it has come from, of which only what differs is kept. */
  keep(bytes: Uint8Array, after?: BufferId): BufferId {
    const id = bufferId(bytes);
    this.buffers.set(id, bytes);
    if (after) this.buffers.follow(after, id, 12 * (this.guides?.pointCount ?? 1));
    return id;
  }
  /** What a document refers to and is not here, on its way; null where all is. */
  private fetching(document: GroomDocument): Promise<unknown> | null {
    const missing = buffersOf(document).filter((id) => !this.buffers.has(id));
    return missing.length === 0 ? null : Promise.all(missing.map((id) => this.need(id)));
  }
  private toFill(message: FillRequest): void { this.fillWorker.postMessage(message); }
  get document(): GroomDocument { return useEditor.getState().history!.document; }
  get clip(): Clip | null { return this.character.clips.find((c) => c.name === this.document.shot.clip) ?? null; }
  get key(): string { return motionKey(this.document, this.groom.character.packed); }

  /** Guides of the step that is compared with. */
  private ghost: { step: number; guides: Guides } | null = null;
  /** World points of those guides in the present pose; null where nothing is compared. */
  ghostPoints(): { points: Float32Array; pointCount: number } | null {
    const { comparing } = useEditor.getState(), { ghost } = this;
    if (comparing === null || ghost?.step !== comparing) return null;
    const { guides } = ghost, motions = new Float64Array(7 * guides.planting.faces.length), points = new Float32Array(guides.offsets.length);
    rootMotionsInto(motions, guides.planting, guides.frames, this.skin, this.mesh.triangles);
    placeGuides(guides.offsets, motions, guides.pointCount, points);
    return { points, pointCount: guides.pointCount };
  }
  private async compare(step: number | null): Promise<void> {
    const { history } = useEditor.getState();
    this.ghost = null;
    if (step === null || !history) { this.changed(); return; }
    const { document } = jump(history, step);
    try { await this.fetching(document); } catch (cause) { this.onTrouble?.(`That step could not be fetched: ${cause instanceof Error ? cause.message : String(cause)}`); return; }
    const g = document.guides;
    if (!g || document.plot.mesh !== this.mesh.name || useEditor.getState().comparing !== step) { if (!g) this.onTrouble?.('There were no guides at that step.'); return; }
    const planting = unpackPlanting(this.buffers.get(g.planting)!), offsets = floatsOf(this.buffers.get(g.offsets)!);
    this.ghost = { step, guides: { planting, frames: restFrames(planting, this.rest, this.mesh.triangles), pointCount: g.pointCount, offsets, lengths: new Float32Array(0) } };
    this.changed();
  }

  // ------------------------------------------------------------ following the document

  private onStore(state: EditorState, before: EditorState): void {
    // other joints make another character: it is opened again
    if (state.history && !this.stale && givenKey(state.history.document) !== givenKey(this.groom.document)) { this.stale = true; this.onOther?.(); }
    if (this.stale) return;
    if (state.history?.document !== before.history?.document && state.history && before.history) {
      this.adoptDocument(state.history.document, before.history.document);
      this.changed();
    }
    if (state.history && (state.stage !== before.stage || state.comb.layer !== before.comb.layer || (state.comb.tool === 'look') !== (before.comb.tool === 'look')) && this.document.guides?.style) this.adoptShapes();
    if (state.stage !== before.stage || state.comb.keepOff !== before.comb.keepOff) this.combDesk.warmSoon();
    // a hand is on the character only where it is seen to move
    if (state.stage !== before.stage && state.stage !== 'sway' && state.stage !== 'proof') queueMicrotask(() => this.hands.stop());
    if (state.stillStrands !== before.stillStrands) this.fill();
    if (state.comparing !== before.comparing) void this.compare(state.comparing);
    if (state.comb.bindPose !== before.comb.bindPose) this.setFrame(state.frame);
    // a cage that is left standing has its shape taken
    if ((state.stage !== before.stage || state.comb.tool !== before.comb.tool) && before.stage === 'comb' && before.comb.tool === 'cage') queueMicrotask(() => this.combDesk.cage.take());
    if (state.frame !== before.frame || (state.stage !== before.stage && (state.comb.bindPose || this.drawn.on)) || (state.draw !== before.draw && (state.draw.tool === null) !== (before.draw.tool === null)) || (state.bringing === null) !== (before.bringing === null)) this.setFrame(state.frame);
    if (state.plantTool !== before.plantTool || state.draw !== before.draw || state.stage !== before.stage || state.bakeId !== before.bakeId || state.show !== before.show || state.brush !== before.brush || state.comb !== before.comb || state.selected !== before.selected || state.swayTool !== before.swayTool || state.heat !== before.heat || state.shownTake !== before.shownTake || state.compare !== before.compare || state.fillTool !== before.fillTool || state.light !== before.light || state.cards !== before.cards || state.playing !== before.playing || state.marked !== before.marked) this.changed();
  }

  /** Shapes of the guides as the stage and the chosen layer have them. */
  adoptShapes(document = this.document): void {
    if (!this.guides || !document.guides) return;
    const offsets = this.combDesk.shapes(document);
    this.guides = { ...this.guides, offsets, lengths: lengthsOf(offsets, this.guides.pointCount) };
    this.changed();
  }
  /** New guides take the place of those that layers of style were made on. */
  layersGo(): void { const n = this.document.guides?.style?.layers.length ?? 0; if (n > 0) this.onTrouble?.(`${n === 1 ? 'A layer of style was' : `${n} layers of style were`} made on the guides that are replaced: ${n === 1 ? 'it goes' : 'they go'} with them. Undo brings all of it back.`); }
  /** A guide's length is measured again. */
  measure(g: number): void { const { guides } = this; if (guides) guides.lengths[g] = polylineLength(guides.offsets, g * guides.pointCount, guides.pointCount); }

  private adoptDocument(document: GroomDocument, before?: GroomDocument): void {
    this.buffers.inUse = new Set(buffersOf(document));
    if (before && document.plot.mesh !== before.plot.mesh) this.useMesh(document.plot.mesh);
    if (document.plot.faces !== before?.plot.faces) this.plotFaces = document.plot.faces ? uintsOf(this.buffers.get(document.plot.faces)!) : new Uint32Array(0);
    if (document.guides?.planting !== before?.guides?.planting || document.guides?.offsets !== before?.guides?.offsets || document.guides?.pointCount !== before?.guides?.pointCount || document.guides?.style !== before?.guides?.style) {
      const g = document.guides;
      if (!g) this.guides = null;
      else {
        const planting = g.planting === before?.guides?.planting && this.guides ? this.guides.planting : unpackPlanting(this.buffers.get(g.planting)!);
        const frames = planting === this.guides?.planting ? this.guides.frames : restFrames(planting, this.rest, this.mesh.triangles);
        this.guides = { planting, frames, pointCount: g.pointCount, offsets: new Float32Array(0), lengths: new Float32Array(0) };
        const offsets = this.combDesk.shapes(document);
        Object.assign(this.guides, { offsets, lengths: lengthsOf(offsets, g.pointCount) });
        if (g.count !== before?.guides?.count || g.pointCount !== before.guides.pointCount) this.combDesk.setChoice(null);
      }
      this.setFrame(useEditor.getState().frame, true);
    }
    if (document.shot !== before?.shot) this.setFrame(useEditor.getState().frame, true);
    if (before) this.runs.follow();
    if (before && document.shotName !== before.shotName && !before.otherShots.every((o) => document.otherShots.includes(o))) this.openShot(document.shot);
    // what was seen of the skin is of the hair before
    if (before && this.bareFaces && (document.fill !== before.fill || document.guides !== before.guides || document.plot !== before.plot)) this.uncover();
    this.scheduleFill(before === undefined ? 0 : 120);
  }

  /** Another shot is open: within its frames, with the take it has. */
  private openShot({ start, end }: GroomDocument['shot']): void {
    const { frame } = useEditor.getState();
    if (frame < start || frame > end) queueMicrotask(() => { if (!this.closed) useEditor.setState({ frame: start }); });
    queueMicrotask(() => { if (!this.closed) this.takes.showNewest(); });
  }

  /** The plot is on another mesh of the character from now on. */
  private useMesh(name: string): void {
    this.mesh = this.character.meshes.find((m) => m.name === name) ?? this.character.meshes[0];
    this.rest = restPositions(this.character, this.mesh);
    this.skin = this.rest.slice();
    this.restSurface = new Surface(this.rest, this.mesh.triangles);
    this.guides = null;
    this.filled = null;
    this.desk.forget();
    this.combDesk.forget();
    this.toFill({ kind: 'surface', positions: this.rest, triangles: this.mesh.triangles });
    this.setFrame(useEditor.getState().frame, true);
  }

  /** Whether the bind pose is seen, whatever the frame: to comb in. */
  get bindPose(): boolean { const { stage, comb } = useEditor.getState(); return (stage === 'comb' && comb.bindPose) || this.drawn.shown; }

  /** Whether the character goes away from its place in this shot, so that the view has to go along. */
  get goesAway(): boolean { return useEditor.getState().history !== null && this.travel.goesAway(this.clip, this.document.shot); }
  /** Whether the view goes along with it: as it was asked to, or where the character goes away. */
  get followed(): boolean { return useEditor.getState().follow ?? this.goesAway; }
  toggleFollow(): void { useEditor.setState({ follow: !this.followed }); }
  /** Moves the pose and everything on it to a frame. */
  setFrame(frame: number, force = false): void {
    if (!useEditor.getState().history) return;
    // curves are placed against the rest pose
    const { shot } = this.document, clip = useEditor.getState().bringing || this.bindPose ? null : this.clip;
    this.pose = poseAtFrame(this.character, clip, shot, frame);
    this.travel.stand(this.pose);
    applyHand(this.pose, this.character, this.hands.shown);
    skinPositions(this.character, this.mesh, this.pose, this.skin);
    this.surfaceFrame = NaN;
    if (this.guides) {
      if (force || this.motions.length !== 7 * this.guides.planting.faces.length) this.motions = new Float64Array(7 * this.guides.planting.faces.length);
      rootMotionsInto(this.motions, this.guides.planting, this.guides.frames, this.skin, this.mesh.triangles);
    }
    this.combDesk.warmSoon();
    this.changed();
  }

  /** The plot's mesh at the play head, for picking and for brushes. */
  surfaceNow(): Surface {
    const { frame } = useEditor.getState();
    if (!this.posedSurface || this.surfaceFrame !== frame) {
      this.posedSurface = new Surface(this.skin.slice(), this.mesh.triangles);
      this.surfaceFrame = frame;
    }
    return this.posedSurface;
  }

  /** What the groom can touch as the settings ask for, in the rest pose; found in a worker, the last that was found until then. */
  colliders(): ColliderSet {
    const { hidden, sway } = this.document, key = JSON.stringify([hidden, sway.roles, sway.meshes, sway.groupsOff, sway.pillsWithout, sway.pills, sway.colliders, sway.pillCover]);
    if (this.colliderKey !== key) {
      this.colliderKey = key;
      this.toFill({ kind: 'colliders', key, hidden, settings: sway });
    }
    return this.foundColliders;
  }
  /** Pills that stand for skin and cloth where light is concerned; whatever collides. */
  lightPills(): Pill[] { this.colliders(); return this.fittedPills; }
  private colliderKey = '';
  private foundColliders: ColliderSet = { pills: [], floors: [], shells: [], notes: [] };
  private fittedPills: Pill[] = [];

  /** Joint that most roots hang on; −1 for none. */
  mainJoint(): number {
    const { guides } = this, count = new Map<number, number>();
    if (!guides || this.mesh.skin < 0) return this.mesh.skin < 0 ? this.mesh.node : -1;
    const lead = leadingNodes(this.character, this.mesh);
    for (const f of guides.planting.faces) { const n = lead[this.mesh.triangles[3 * f]]; count.set(n, (count.get(n) ?? 0) + 1); }
    return [...count].reduce((a, b) => (b[1] > a[1] ? b : a), [-1, 0])[0];
  }
  /** m: the lowest of all that is shown, in the rest pose. */
  lowestPoint(): number {
    const rest = poseCharacter(this.character, null, 0);
    let low = Infinity;
    for (const m of this.character.meshes) {
      if (this.document.hidden.includes(m.name)) continue;
      const P = new Float64Array(m.positions.length);
      skinPositions(this.character, m, rest, P);
      for (let v = 1; v < P.length; v += 3) low = Math.min(low, P[v]);
    }
    return Number.isFinite(low) ? low : 0;
  }

  /** Nodes of filled strands lifted out of what they pierce, of the picture that is shown now; null until they are known. */
  pushed: { key: string; nodes: Float32Array } | null = null;
  private pushAsked = '';
  /** Whether such nodes are on their way. */
  get pushing(): boolean { return this.pushAsked !== '' && this.pushAsked !== this.pushed?.key; }
  /** Nodes as last asked for, where they have come. */
  get lastPushed(): Float32Array | null { return this.pushed?.key === this.pushAsked ? this.pushed.nodes : null; }
  /** Asks for filled strands (`nodes` as the GPU has them) to be lifted out of the colliders in the present pose. */
  pushOut(key: string, nodes: Float32Array, count: number): void {
    if (this.pushAsked === key) return;
    this.pushAsked = key;
    const { hidden, sway } = this.document;
    this.toFill({ kind: 'push', key, nodes, nodeCount: this.filled?.strands.nodes ?? 16, count, pose: this.pose.slice(), hidden, settings: sway });
  }

  mapBuffers(document = this.document): Maps {
    return Object.fromEntries(mapIds(document.sway).flatMap(([name, id]) => { const bytes = this.buffers.get(id); return bytes ? [[name, bytes]] : []; }));
  }
  /** What a worker needs for a run of a document. */
  forWorker(document = this.document): { document: GroomDocument; planting: Uint8Array; offsets: Uint8Array; maps: Maps } {
    const g = document.guides!;
    return { document, planting: this.buffers.get(g.planting)!, offsets: this.buffers.get(g.offsets)!, maps: this.mapBuffers(document) };
  }
  /** The groomed shape in the rest pose, 3 × points, m. */
  groomedShape(): Float64Array {
    const { guides } = this, out = new Float64Array(guides?.offsets.length ?? 0);
    if (!guides) return out;
    const motions = new Float64Array(7 * guides.planting.faces.length);
    rootMotionsInto(motions, guides.planting, guides.frames, this.rest, this.mesh.triangles);
    placeGuides(guides.offsets, motions, guides.pointCount, out);
    return out;
  }

  /** m: between neighbouring guides, in the middle. */
  guideSpacing(): number {
    const { guides } = this, shape = this.groomedShape();
    if (!guides || guides.planting.faces.length < 2) return 0.01;
    const stride = 3 * guides.pointCount, pairs = neighbourPairs(Float64Array.from({ length: 3 * guides.planting.faces.length }, (_, k) => shape[stride * Math.floor(k / 3) + (k % 3)])), far = Float64Array.from({ length: pairs.length / 2 }, (_, k) => { const a = stride * pairs[2 * k], b = stride * pairs[2 * k + 1]; return Math.hypot(shape[a] - shape[b], shape[a + 1] - shape[b + 1], shape[a + 2] - shape[b + 2]); }).sort();
    return far[far.length >> 1];
  }

  /** World points of the guides as the stage shows them, and where they come from. */
  shownGuides(): { points: Float32Array; from: 'combed' | 'computed' | 'baked' | 'take' } | null {
    const { guides } = this;
    if (!guides) return null;
    const { stage, frame, run, bakeId, shownTake } = useEditor.getState();
    const at = Math.round(frame), moving = stage === 'sway' || stage === 'proof', fits = (points: Float32Array | undefined): points is Float32Array => points?.length === guides.offsets.length;
    if (moving && this.hands.points && fits(this.hands.points)) return { points: this.hands.points, from: 'computed' };
    if (moving && shownTake) {
      const points = this.takes.frame(shownTake, at)?.points;
      if (fits(points)) return { points, from: 'take' };
    } else if (moving && run.key === this.key) {
      const points = this.runs.live.get(at);
      if (fits(points)) return { points, from: 'computed' };
    }
    if (stage === 'bake' && bakeId) {
      const points = this.bakes.frames.get(at);
      if (fits(points)) return { points, from: 'baked' };
    }
    return { points: this.groomedNow(), from: 'combed' };
  }
  /** Drops in the frame the stage shows, `DROP_NUMBERS` each; null where there are none. */
  shownDrops(): Float32Array | null {
    const { stage, frame, run, bakeId, shownTake } = useEditor.getState(), at = Math.round(frame);
    if (stage === 'bake') return bakeId ? (this.bakes.frames.drops(at) ?? null) : null;
    if (stage !== 'sway' && stage !== 'proof') return null;
    if (this.hands.points) return this.hands.drops;
    return (shownTake ? this.takes.frame(shownTake, at)?.drops : run.key === this.key ? this.runs.drops.get(at) : undefined) ?? null;
  }
  /** World points of the groomed shape in the present pose. */
  groomedNow(): Float32Array {
    const { guides } = this, points = new Float32Array(guides?.offsets.length ?? 0);
    if (guides) placeGuides(this.chains.shapeIn(this.pose) ?? guides.offsets, this.motions, guides.pointCount, points);
    return points;
  }
  /** Points of the take that is laid over, in the present frame; null where there is none. */
  comparedGuides(): Float32Array | null {
    const { compare, frame, stage } = useEditor.getState(), points = compare && stage === 'proof' ? this.takes.frame(compare.take, Math.round(frame))?.points : null;
    return points && points.length === this.guides?.offsets.length ? points : null;
  }
  /** Numbers of the strands in the present frame (`STRAND_NUMBERS` each); null where none are known. */
  strandNumbers(): Float32Array | null {
    const { shownTake, run, frame } = useEditor.getState(), at = Math.round(frame);
    return (shownTake ? this.takes.frame(shownTake, at)?.strands : run.key === this.key ? this.runs.strands.get(at) : null) ?? null;
  }

  /** How accessories move that are worn on ties, from where the skin alone would carry them. */
  wornMotions(): Map<string, Float64Array> {
    const out = new Map<string, Float64Array>(), { guides } = this, shown = this.shownGuides();
    if (!guides || !shown || shown.from === 'combed') return out;
    const combed = new Float32Array(guides.offsets.length);
    let placed = false;
    for (const tie of this.document.sway.ties) {
      if (!tie.on || !tie.wears) continue;
      if (!placed) placeGuides(guides.offsets, this.motions, guides.pointCount, combed);
      placed = true;
      const points = tiedPoints(tie, guides.planting.faces.length, guides.pointCount), motion = new Float64Array(7);
      if (points.length < 2) continue;
      tieMotion(combed, shown.points, points, guides.pointCount, motion);
      out.set(tie.wears, motion);
    }
    return out;
  }
  /** Asked of the view: to fly to a strand. */
  onLook: ((guide: number) => void) | null = null;
  lookAt(guide: number): void { this.onLook?.(guide); }
  /** Middle of all guide points that are shown, m. */
  middleOfHair(): [number, number, number] {
    const points = this.shownGuides()?.points, c: [number, number, number] = [0, 0, 0];
    if (points) for (let a = 0; a < points.length; a++) c[a % 3] += points[a] / (points.length / 3);
    return c;
  }


  // ------------------------------------------------------------ filling

  /** How much of each face of the plot shows between the strands; NaN where it was not seen. */
  bareFaces: Float32Array | null = null;
  private coverNumber = 0;
  /** Looks how much skin shows in the rest pose, from the directions given (toward the viewer). */
  cover(directions: [number, number, number][], from: 'here' | 'round'): void {
    const { filled, guides } = this, { fill } = this.document;
    if (!filled || !guides) return;
    this.coverFrom = from;
    useEditor.setState({ covering: true });
    this.toFill({ kind: 'coverage', request: ++this.coverNumber, faces: this.plotFaces, strands: filled.strands, offsets: guides.offsets, pointCount: guides.pointCount, look: fill, full: fill.count, directions });
  }
  private coverFrom: 'here' | 'round' = 'round';
  uncover(): void { this.bareFaces = null; this.coverNumber++; useEditor.setState({ covered: null, covering: false }); this.changed(); }
  private scheduleFill(delay: number): void {
    clearTimeout(this.fillTimer);
    this.fillTimer = setTimeout(() => this.fill(), delay);
  }
  private fill(): void {
    const { guides } = this;
    if (!guides || this.plotFaces.length === 0) {
      this.filled = null;
      this.fillKey = '';
      this.changed();
      return;
    }
    const { fill } = this.document, { stillStrands, frozen } = useEditor.getState();
    // what only the picture depends on does not count
    const content = this.fillContent();
    // what is frozen thaws when anything above it changes
    if (frozen && content !== this.frozenKey) { useEditor.setState({ frozen: null }); this.onTold?.('The hair above has changed: its filling is not frozen any more.'); }
    const keeps = useEditor.getState().frozen !== null, shown = stillStrands ?? (keeps ? fill.count : Math.min(fill.preview, fill.count)), key = `${shown} ${keeps} ${content}`;
    if (key === this.fillKey) return;
    this.fillKey = key;
    useEditor.setState({ filling: true });
    this.toFill({ kind: 'fill', request: ++this.fillNumber, order: this.fillOrder(shown)!, shapes: keeps });
  }
  /** All that filled strands depend on but how many are shown. */
  private fillContent(): string { const { fill, guides, plot, sway, plant } = this.document; return JSON.stringify([fill.count, fill.turnCm, fill.nodes, fill.partings, fill.treatments, guides, plot.faces, plot.maps, sway.maps, plant.seed]); }
  private frozenKey = '';
  /** Keeps the finished filling as it is: all strands, their shapes computed once for the combed guides. */
  freeze(): void {
    if (!this.guides) return;
    this.frozenKey = this.fillContent();
    useEditor.setState({ frozen: { bytes: 0 } });
    this.fill();
  }
  thaw(): void { useEditor.setState({ frozen: null }); this.fill(); }
  /** What so many filled strands are made from; null where there is nothing to fill. */
  fillOrder(count: number): FillOrder | null {
    const { guides, plotFaces } = this, { fill, plant } = this.document, maps: Record<string, Uint8Array> = {};
    if (!guides || plotFaces.length === 0) return null;
    for (const name of Object.keys(MAP_NAMES) as MapName[]) { const bytes = this.desk.bytesOf(name); if (bytes) maps[name] = bytes; }
    return { fill, seed: plant.seed, faces: plotFaces, planting: guides.planting, offsets: guides.offsets, pointCount: guides.pointCount, count, full: fill.count, maps };
  }
  private onFill(reply: FillReply): void {
    if (reply.kind === 'colliders') {
      if (reply.key !== this.colliderKey) return;
      this.foundColliders = reply.colliders;
      this.fittedPills = reply.light;
      useEditor.setState({ colliderCount: useEditor.getState().colliderCount + 1 });
    } else if (reply.kind === 'pushed') {
      if (reply.key !== this.pushAsked) return;
      this.pushed = { key: reply.key, nodes: reply.nodes };
    } else if (reply.kind === 'planting') {
      this.desk.onPlanting(reply.request, reply.share);
      return;
    } else if (reply.kind === 'planted') {
      this.desk.onPlanted(reply.request, reply.planting, reply.offsets);
    } else if (reply.kind === 'settled') {
      this.combDesk.onSettled(reply.request, reply.shapes);
    } else if (reply.kind === 'carded') {
      this.fillDesk.onCarded(reply.request, reply);
    } else if (reply.kind === 'covered') {
      if (reply.request !== this.coverNumber) return;
      this.bareFaces = reply.result.faces;
      useEditor.setState({ covering: false, covered: { from: this.coverFrom, bare: reply.result.bare, spots: reply.result.spots, at: -1 } });
    } else if (reply.kind === 'failed') {
      if (reply.what === 'push') this.pushAsked = '';
      if (reply.what === 'settle') this.combDesk.onSettled(reply.request, null);
      if (reply.what === 'cards') this.fillDesk.onCarded(reply.request, null);
      useEditor.setState(reply.what === 'plant' ? { planting: false } : reply.what === 'fill' ? { filling: false } : reply.what === 'coverage' ? { covering: false } : {});
      this.onTrouble?.(reply.message);
    } else if (reply.request === this.fillNumber) {
      this.filled = { strands: reply.strands, frames: restFrames(reply.strands.roots, this.rest, this.mesh.triangles), shapes: reply.shapes };
      if (reply.shapes && useEditor.getState().frozen) useEditor.setState({ frozen: { bytes: reply.shapes.byteLength + reply.strands.steps.reduce((n, s) => n + s.own.byteLength, 0) } });
      useEditor.setState({ filling: false, fillCount: reply.strands.count });
    } else return;
    this.changed();
  }
}

/** What of a document makes another character. */
const givenKey = ({ drawn }: GroomDocument): string => drawn?.given?.weights ?? '';
