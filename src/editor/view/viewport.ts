/**
 * The view: character, hair, guides and helpers in one picture, redrawn when something changed and refined while it rests.
 */
import { interpolateCividis } from 'd3-scale-chromatic';
import * as THREE from 'three';
import { OrbitControls } from 'three/addons/controls/OrbitControls.js';
import { ofChains } from '../../core/chain/character-of';
import type { GroomDocument } from '../../core/document/schema';
import { restBox } from '../../core/mesh/rest-box';
import { heatTop } from '../../core/proof/judge';
import { placeGuides, rootMotionsInto } from '../../core/groom/planting';
import { poseAtFrame, skinPositions } from '../../core/mesh/character';
import { OF_STRAND, STRAND_NUMBERS } from '../../core/proof/strand-meter';
import type { MapName } from '../state/plant-desk';
import type { Session } from '../state/session';
import { useEditor, type ViewName } from '../state/store';
import { CardView } from './card-view';
import { DrawnView } from './drawn-view';
import { DropsView } from './drops-view';
import { CharacterView } from './character-view';
import { Follower } from './follower';
import { HairRenderer, target } from './hair-renderer';
import { lightsOf } from './lights';
import { Overlays, setSegments } from './overlays';
import { canvasOf, jitter, SCENE_TARGET, Stills } from './stills';
import { MapView } from './map-view';
import { asHelper, Picture, type Shown } from './picture';
import { ACCUMULATE_FRAGMENT, OUTPUT_FRAGMENT, SCREEN_VERTEX } from './hair-shaders';

/** Frames of which a picture that rests is made, for how many pixels one is drawn. */
const STILL_FRAMES = { 1: 20, 2: 10, 4: 5 } as const;
/** m: a field of the ground, and how many there are each way. */
const GROUND_CELL = 0.25, GROUND_CELLS = 16;
/** Strands of a twentieth of a pixel and more are all drawn. */
const FAR_SHARE = 20;
/** ms of a turn of the turntable. */
const TURN_MS = 12_000;
/** A picture that has not changed for so long is drawn with all its strands. */
const REST_MS = 250;
/** One that has not changed for so long is made finer. */
const SETTLE_MS = 120;
/** Slower than this from one moving picture to the next, fewer strands are drawn; faster than that, more. */
const SLOW_MS = 90, FAST_MS = 40;
const FEWEST_MOVING = 1000;
/** Strands of a small picture. */
const SMALL_STRANDS = 2500;
/** Frames a small picture is made of; of one narrower than this (px) fewer, and of fewer strands. */
const SMALL_FRAMES = 4, TINY = 160;
/** Cividis, 256 steps, linear RGB. Source: Nuñez, Anderton & Renslow, PLoS ONE 13 (2018), as d3-scale-chromatic has it. */
const RAMP = Float32Array.from(Array.from({ length: 256 }, (_, k) => new THREE.Color(interpolateCividis(k / 255)).toArray()).flat());
/** The take that is shown, and the one that is laid over; linear RGB. Apart in lightness too. */
const MARKS: readonly [number, number, number][] = [[0.85, 0.33, 0.1], [0.1, 0.42, 0.62]];

/** Where a view is looked from, and to (m); between which depths it is drawn. */
/** `stood`: where the character stood then; `follow`: whether it goes along. */
export interface CameraPlace { from: [number, number, number]; to: [number, number, number]; near: number; far: number; stood: [number, number]; follow: boolean }

export class Viewport {
  readonly camera = new THREE.PerspectiveCamera(26, 1, 0.03, 40);
  readonly controls: OrbitControls;
  private readonly follower: Follower;
  private readonly renderer: THREE.WebGLRenderer;
  private readonly scene = new THREE.Scene();
  private readonly hair: HairRenderer;
  /** Hair of the take that is laid over, from when there first is one. */
  private other: HairRenderer | null = null;
  private otherStrands: unknown = null;
  private readonly groomLines: THREE.LineSegments<THREE.BufferGeometry, THREE.LineBasicMaterial>;
  private readonly character: CharacterView;
  private readonly cardView = new CardView();
  private readonly drawnView: DrawnView;
  private readonly dropsView = new DropsView();
  private readonly guideLines: THREE.LineSegments<THREE.BufferGeometry, THREE.LineBasicMaterial>;
  private readonly ghostLines: THREE.LineSegments<THREE.BufferGeometry, THREE.LineBasicMaterial>;
  private readonly seatedLines: THREE.LineSegments<THREE.BufferGeometry, THREE.LineBasicMaterial>;
  private readonly partLines: THREE.LineSegments<THREE.BufferGeometry, THREE.LineBasicMaterial>;
  private readonly lostLines: THREE.LineSegments<THREE.BufferGeometry, THREE.LineBasicMaterial>;
  private readonly markLine: THREE.LineSegments<THREE.BufferGeometry, THREE.LineBasicMaterial>;
  readonly overlays: Overlays;
  private readonly gripPoints: THREE.Points<THREE.BufferGeometry, THREE.PointsMaterial>;
  private readonly cageLines: THREE.LineSegments<THREE.BufferGeometry, THREE.LineBasicMaterial>;
  private readonly cagePoints: THREE.Points<THREE.BufferGeometry, THREE.PointsMaterial>;
  private readonly mapView: MapView;
  private readonly plotMesh: THREE.Mesh<THREE.BufferGeometry, THREE.MeshBasicMaterial>;
  private readonly brushRing: THREE.LineSegments<THREE.BufferGeometry, THREE.LineBasicMaterial>;
  /** The rig's lights for skin and cloth. */
  private readonly sceneLights = { key: new THREE.DirectionalLight(), rim: new THREE.DirectionalLight(), sky: new THREE.HemisphereLight(0xffffff, 0xffffff, 2.4) };
  private lit: unknown = null;
  private readonly drawing: Picture;
  private still = 0;
  private coarse = false;
  private movingStrands = 1e6;
  private lastTouch = 0;
  private lastDraw = 0;
  private refreshes = 0;
  private dirty = true;
  private mapStale = false;
  private strandsShown: unknown = null;
  private handle = 0;
  private plotShown: unknown = null;
  private readonly unsubscribe: () => void;
  private playFrom: { at: number; frame: number } | null = null;
  /** Strands the next picture was made of; for tests and pictures. */
  settled = false;
  get stillFrames(): number { return STILL_FRAMES[useEditor.getState().grain]; }

  /** Stills and movies of what is seen. */
  readonly stills: Stills;
  /** Width of the view for its height. */
  get aspect(): number { return this.width / this.height; }
  private get width(): number { return this.drawing.width; }
  private get height(): number { return this.drawing.height; }

  constructor(canvas: HTMLCanvasElement, private readonly session: Session) {
    this.renderer = new THREE.WebGLRenderer({ canvas, antialias: false, preserveDrawingBuffer: true });
    this.renderer.outputColorSpace = THREE.LinearSRGBColorSpace;
    this.renderer.autoClear = false;
    this.renderer.setPixelRatio(1);
    this.hair = new HairRenderer(this.renderer, RAMP);
    this.drawing = new Picture(this.renderer, this.scene, this.camera, this.hair);
    this.stills = new Stills(this.renderer, this.hair, this.scene, this.camera, {
      size: () => [this.width, this.height], mirrored: () => this.mirrored, hairShown: () => this.hairShown, floor: () => this.floor, controls: () => this.controls, session: this.session,
      refresh: () => this.refresh(false), lift: () => this.lift(), again: () => { this.dirty = true; this.touch(); },
    });
    session.takes.pause = (on) => { this.held = on; };
    session.onLook = (guide) => this.lookAt(guide);
    session.takes.picture = (points, frame, width, height) => this.picture(points, frame, width, height);
    this.character = new CharacterView(session.character, this.hair);
    this.drawnView = new DrawnView(session);
    const { key, rim, sky } = this.sceneLights;
    const line = (color: number, opacity: number, depthTest = true): THREE.LineSegments<THREE.BufferGeometry, THREE.LineBasicMaterial> => {
      const l = new THREE.LineSegments(new THREE.BufferGeometry(), new THREE.LineBasicMaterial({ color, transparent: true, opacity, depthTest }));
      l.frustumCulled = false;
      l.renderOrder = depthTest ? 1 : 2; // after the hair, which is drawn among the opaque things
      return l;
    };
    this.guideLines = line(0xf0c48a, 0.9);
    this.ghostLines = line(0x9fd0e8, 0.75);
    this.groomLines = line(0x9fd0e8, 0.5);
    this.markLine = line(0xff5a3c, 1, false);
    this.seatedLines = line(0xffc27a, 0.95);
    this.partLines = line(0x9fd0e8, 0.95, false);
    this.lostLines = line(0xff5a3c, 1, false);
    this.overlays = new Overlays(session);
    this.gripPoints = new THREE.Points(new THREE.BufferGeometry(), new THREE.PointsMaterial({ color: 0xffc27a, size: 11, sizeAttenuation: false, depthTest: false, transparent: true }));
    this.gripPoints.frustumCulled = false;
    this.gripPoints.renderOrder = 3;
    this.cageLines = line(0xffc27a, 0.5, false);
    this.cagePoints = new THREE.Points(new THREE.BufferGeometry(), new THREE.PointsMaterial({ color: 0xff5a3c, size: 11, sizeAttenuation: false, depthTest: false, transparent: true }));
    this.cagePoints.frustumCulled = false;
    this.cagePoints.renderOrder = 4;
    this.mapView = new MapView(session, RAMP);
    this.brushRing = line(0xffffff, 0.95, false);
    this.plotMesh = new THREE.Mesh(new THREE.BufferGeometry(), new THREE.MeshBasicMaterial({ color: 0xd98a4e, transparent: true, opacity: 0.42, polygonOffset: true, polygonOffsetFactor: -2, polygonOffsetUnits: -2 }));
    this.plotMesh.frustumCulled = false;
    const floor = (this.floor = new THREE.GridHelper(GROUND_CELLS * GROUND_CELL, GROUND_CELLS, 0x4a4641, 0x4a4641));
    (floor.material as THREE.Material).transparent = true;
    (floor.material as THREE.Material).opacity = 0.5;
    this.light();
    this.scene.add(this.character.group, this.hair.mesh, this.hair.planted, this.cardView.mesh, this.drawnView.group, this.dropsView.group, key, rim, sky, floor, this.plotMesh, this.guideLines, this.ghostLines, this.groomLines, this.seatedLines, this.lostLines, this.partLines, this.overlays.group, this.cageLines, this.gripPoints, this.cagePoints, this.mapView.mesh, this.markLine, this.brushRing);

    for (const helper of [this.plotMesh, this.guideLines, this.ghostLines, this.groomLines, this.seatedLines, this.lostLines, this.partLines, this.overlays.group, this.cageLines, this.gripPoints, this.cagePoints, this.mapView.mesh, this.markLine, this.brushRing]) asHelper(helper);

    this.controls = new OrbitControls(this.camera, canvas);
    this.controls.enableDamping = false;
    this.controls.zoomSpeed = 0.8;
    this.follower = new Follower(session, this.camera, this.controls);
    this.controls.mouseButtons = { LEFT: THREE.MOUSE.ROTATE, MIDDLE: THREE.MOUSE.PAN, RIGHT: THREE.MOUSE.PAN };
    this.controls.addEventListener('change', () => {
      if (this.follower.moving) return;
      if (useEditor.getState().viewName) useEditor.setState({ viewName: null });
      this.touch();
    });
    const offSession = session.onChange((what) => { if (what === 'all') this.dirty = true; else this.mapStale = true; this.touch(); });
    const offStore = useEditor.subscribe((s, b) => {
      if (s.viewRequest !== b.viewRequest) this.look(s.viewRequest.name);
      if (s.playing !== b.playing) this.playFrom = null;
      if (s.theme !== b.theme) this.touch();
      if (s.follow !== b.follow) { this.dirty = true; this.touch(); }
      if (s.grain !== b.grain) this.resize(this.width, this.height);
    });
    this.unsubscribe = () => { offSession(); offStore(); };
    this.look('threeQuarter');
    this.loop();
  }

  dispose(): void {
    cancelAnimationFrame(this.handle);
    this.unsubscribe();
    this.controls.dispose();
    this.hair.dispose();
    this.other?.dispose();
    this.session.takes.picture = null;
    this.session.takes.pause = null;
    this.session.onLook = null;
    this.overlays.dispose();
    this.cardView.dispose();
    this.drawnView.dispose();
    this.dropsView.dispose();
    this.gripPoints.geometry.dispose();
    this.mapView.dispose();
    this.character.dispose();
    this.drawing.dispose();
    this.renderer.dispose();
  }

  resize(width: number, height: number): void {
    if (!this.drawing.resize(width, height, useEditor.getState().grain)) return;
    this.camera.aspect = width / height;
    this.camera.updateProjectionMatrix();
    this.touch();
  }

  private readonly floor: THREE.GridHelper;
  /** Lights the hair, skin and cloth as the rig says. */
  private light(): void {
    const { light } = useEditor.getState(), l = (this.hair.lights = lightsOf(light.rig, light.turnDeg)), { key, rim, sky } = this.sceneLights, colour = (c: THREE.Color, v: THREE.Vector3, k: number): void => { c.setRGB(k * v.x, k * v.y, k * v.z, THREE.LinearSRGBColorSpace); };
    this.lit = light;
    colour(key.color, l.keyPower, 0.8); colour(rim.color, l.rimPower, 0.7); colour(sky.color, l.sky, 1); colour(sky.groundColor, l.ground, 1);
    key.position.copy(l.key); rim.position.copy(l.rim);
  }

  /** The picture has to be drawn again. */
  touch(): void { this.still = 0; this.settled = false; this.lastTouch = performance.now(); }

  /** Where it is looked from. */
  get cameraPlace(): CameraPlace { const { position, near, far } = this.camera; return { from: position.toArray(), to: this.controls.target.toArray(), near, far, stood: this.follower.place, follow: this.session.followed }; }
  lookFrom({ from, to, near, far, stood, follow }: CameraPlace): void {
    useEditor.setState({ follow });
    this.follower.stay(stood);
    Object.assign(this.camera, { near, far });
    this.camera.position.set(...from);
    this.controls.target.set(...to);
    this.camera.updateProjectionMatrix();
    this.controls.update();
    this.touch();
  }

  /** Turns to a named view, framing the groom (or the whole figure). */
  look(name: ViewName): void {
    const { session } = this;
    const box = new THREE.Box3();
    if (name === 'whole') {
      const { low, high } = restBox(session.character), { place, rest } = session.travel;
      box.set(new THREE.Vector3(...low), new THREE.Vector3(...high)).translate(new THREE.Vector3(place[0] - rest[0], 0, place[1] - rest[1]));
    } else {
      const shown = session.shownGuides();
      const take = (p: ArrayLike<number>, stride: number): void => { for (let i = 0; i + 2 < p.length; i += stride) box.expandByPoint(new THREE.Vector3(p[i], p[i + 1], p[i + 2])); };
      if (session.plotFaces.length > 0) for (const f of session.plotFaces) { const v = 3 * session.mesh.triangles[3 * f]; take(session.skin.subarray(v, v + 3), 3); }
      if (shown) take(shown.points, 9);
      if (box.isEmpty()) take(session.skin, 30);
    }
    const centre = box.getCenter(new THREE.Vector3()), size = box.getSize(new THREE.Vector3());
    const half = Math.max(size.y, size.x / Math.max(this.camera.aspect, 0.4), size.z / Math.max(this.camera.aspect, 0.4)) * (name === 'whole' ? 0.56 : 0.72);
    const distance = half / Math.tan((this.camera.fov * Math.PI) / 360) + 0.3 * size.z;
    const directions: Record<ViewName, [number, number, number]> = { front: [0, 0.06, 1], side: [-1, 0.06, 0.02], back: [0, 0.08, -1], top: [0, 1, 0.02], threeQuarter: [-0.62, 0.12, 0.78], whole: [-0.42, 0.1, 0.9] };
    this.camera.position.copy(centre).addScaledVector(new THREE.Vector3(...directions[name]).normalize(), distance);
    // whatever units a file came in, the whole of it lies between the planes
    this.camera.near = distance / 60;
    this.camera.far = distance * 30;
    this.camera.updateProjectionMatrix();
    this.controls.target.copy(centre);
    this.follower.stay();
    this.controls.update();
    useEditor.setState({ viewName: name });
    this.touch();
  }

  // ---------------------------------------------------------------- what is shown

  private refresh(coarse: boolean): void {
    const { session } = this, state = useEditor.getState(), { stage } = state;
    const document = state.history?.document;
    if (!document) return;
    if (this.lit !== state.light) this.light();
    this.follower.go();
    // the ground is as large as is seen of it: it lies where the character is, its lines where they were
    const { place } = session.travel;
    this.floor.position.set(GROUND_CELL * Math.round(place[0] / GROUND_CELL), this.floor.position.y, GROUND_CELL * Math.round(place[1] / GROUND_CELL));
    this.character.setPose(session.chains.dressed(session.pose));
    this.character.setWorn(session.wornMotions());
    this.character.setHidden([...document.hidden, ...this.drawnView.update()]);
    const shown = session.shownGuides(), { guides, filled } = session;
    this.dropsView.update(session.shownDrops(), (document.sway.drops ?? []).some((s) => s.on && s.density > 1500));

    const hairOn = stage === 'comb' && state.comb.isolate && state.chosen > 0 ? false : stage !== 'plant' && stage !== 'cast' ? state.show.hair : stage === 'cast' ? state.show.hair : false;
    if (hairOn && guides && filled && shown) {
      if (this.strandsShown !== filled) { this.hair.setStrands(filled.strands, filled.frames, session.mesh.triangles, document.fill.count); this.hair.setFrozen(filled.shapes); this.strandsShown = filled; }
      let local: ArrayLike<number> = guides.offsets;
      if (shown.from !== 'combed') {
        const turned = new Float32Array(shown.points.length);
        placeGuides(shown.points, session.motions, guides.pointCount, turned, true);
        local = turned;
      }
      this.hair.setGuides(local, guides.lengths, guides.pointCount);
      this.hair.setSkin(session.skin);
      this.hair.setPlanted(session.fillDesk.smallMesh, { wide: document.planted.wide, spin: document.planted.spin, seed: document.plant.seed });
      const drawn = Math.min(coarse ? this.movingStrands : Infinity, this.enough(document.fill)), relight = !coarse || this.movingStrands >= this.hair.strandCount || this.refreshes++ % 6 === 0;
      if (relight) this.hair.setBounds(shown.points);
      const pills = this.pillsNow();
      this.hair.setHeat(this.heatNow());
      this.hair.mark.amount = 0;
      this.hair.update(document.fill, pills, drawn, relight, shown.from === 'combed' && stage !== 'comb');
      this.layOver(pills, drawn, relight);
      if (!coarse && document.sway.pushFilled && (stage === 'sway' || stage === 'proof' || stage === 'bake') && !state.playing && !state.live.on && !state.compare) this.pushFilled(document, pills, shown.points);
    }
    const { cards } = session.fillDesk, cardsOn = stage === 'fill' && hairOn && cards !== null && state.cards.shown !== 'strands';
    if (cardsOn) this.cardView.show(cards, state.cards.level, session.rest, session.skin, session.mesh.triangles);
    this.cardView.mesh.visible = cardsOn;
    this.hairShown = hairOn && !!guides && !!filled && !!shown && !(cardsOn && state.cards.shown === 'cards');

    if (!hairOn) this.otherShown = false;
    this.groomLines.visible = state.show.groomed && (stage === 'sway' || stage === 'proof') && guides !== null;
    if (this.groomLines.visible && guides) setSegments(this.groomLines.geometry, guideSegments(session.groomedNow(), guides.pointCount));
    const guidesOn = !!shown && (stage === 'plant' || stage === 'comb' || state.show.guides);
    this.guideLines.visible = guidesOn;
    if (guidesOn && guides) this.showGuides(shown.points, guides.pointCount);
    this.partLines.visible = stage === 'fill' && document.fill.partings.some((p) => p.on);
    if (this.partLines.visible) setSegments(this.partLines.geometry, session.fillDesk.lines());
    const ghost = stage === 'comb' ? session.ghostPoints() : null;
    this.ghostLines.visible = ghost !== null;
    if (ghost) setSegments(this.ghostLines.geometry, guideSegments(ghost.points, ghost.pointCount));
    // rods of chains lie inside what they move
    const through = (stage === 'comb' && state.comb.xray) || ofChains(document);
    this.guideLines.material.depthTest = !through;
    this.guideLines.renderOrder = through ? 2 : 1;
    this.guideLines.material.opacity = stage === 'comb' && hairOn ? (state.chosen > 0 || state.comb.colour !== 'plain' || session.combDesk.marked ? 0.7 : 0.18) : stage === 'plant' && state.plantTool.name === 'paint' ? 0.16 : 0.9;

    const marked = state.marked >= 0 && shown && guides ? state.marked : -1;
    this.markLine.visible = marked >= 0 && (stage === 'proof' || stage === 'bake' || stage === 'sway');
    if (this.markLine.visible && guides && shown) setSegments(this.markLine.geometry, guideSegments(shown.points.subarray(3 * marked * guides.pointCount, 3 * (marked + 1) * guides.pointCount), guides.pointCount));

    this.plotMesh.visible = stage === 'plant' && session.plotFaces.length > 0 && state.plantTool.name === 'faces';
    if (this.plotMesh.visible) {
      if (this.plotShown !== session.plotFaces) {
        this.plotShown = session.plotFaces;
        const index = new Uint32Array(3 * session.plotFaces.length);
        session.plotFaces.forEach((f, i) => { for (let k = 0; k < 3; k++) index[3 * i + k] = session.mesh.triangles[3 * f + k]; });
        this.plotMesh.geometry.setIndex(new THREE.BufferAttribute(index, 1));
      }
      this.plotMesh.geometry.setAttribute('position', new THREE.BufferAttribute(Float32Array.from(session.skin), 3));
    }

    const moving = stage === 'sway' || stage === 'proof', proof = stage === 'bake' ? state.bakeProof : state.run.key === session.key ? state.run.proof : null, at = Math.round(state.frame);
    this.overlays.update({
      colliders: state.show.pills && moving, marks: state.show.marks && moving && state.run.key === session.key, sway: stage === 'sway', chosen: stage === 'sway' ? (state.selected?.key ?? null) : null,
      guides: shown?.points ?? null, frame: at, flow: stage === 'plant' && session.document.plot.flow !== null && (state.plantTool.name === 'flow' || !hairOn), torn: proof?.frames.find((f) => f.frame === at)?.broken ?? [],
    });
    const grips = this.gripPlaces();
    this.gripPoints.visible = grips.length > 0;
    if (grips.length > 0) setSegments(this.gripPoints.geometry, Float32Array.from(grips.flatMap((g) => g.toArray())));
    this.showCage(grips.length > 0 && stage === 'comb');
    this.brushRing.visible &&= (stage === 'comb' && state.comb.tool !== 'look') || stage === 'plant' || (stage === 'fill' && state.fillTool === 'parting') || (stage === 'sway' && state.swayTool.name !== 'look');
    const bare = stage === 'fill' && state.covered !== null;
    const bringing = stage === 'plant' ? session.curveDesk.shown() : null;
    this.seatedLines.visible = !!bringing && bringing.seated.length > 0;
    this.lostLines.visible = !!bringing && bringing.lost.length > 0;
    if (bringing) { setSegments(this.seatedLines.geometry, bringing.seated); setSegments(this.lostLines.geometry, bringing.lost); }
    if (bringing || session.drawn.shown) this.guideLines.visible = false;
    if (bare) this.mapView.showBare(session.bareFaces);
    else this.mapView.show(this.mapNow());
    this.drawing.forget();
  }
  /** The map that is being painted. */
  private mapNow(): MapName | null {
    const { stage, comb, swayTool, plantTool } = useEditor.getState();
    if (stage === 'comb') return comb.tool === 'paint' ? comb.map : null;
    if (stage === 'sway') return swayTool.name === 'paint' ? swayTool.map : null;
    return stage === 'plant' && plantTool.name === 'paint' ? plantTool.map : null;
  }
  private hairShown = false;
  private otherShown = false;
  /** What each guide is to be coloured by, 0 … 1; null for nothing. */
  private heatNow(): Float32Array | null {
    const { heat, stage, limits } = useEditor.getState(), numbers = stage === 'proof' && heat !== 'none' ? this.session.strandNumbers() : null;
    if (!numbers || heat === 'none') return null;
    const most = heatTop(heat, this.session.takes.shownProof()?.proof ?? null, limits), at = OF_STRAND[heat];
    return Float32Array.from({ length: numbers.length / STRAND_NUMBERS }, (_, g) => Math.min(1, numbers[STRAND_NUMBERS * g + at] / most));
  }
  /** Shapes another set of hair as the take that is laid over has it, and marks both. */
  private layOver(pills: Float64Array, drawn: number, relight: boolean): void {
    const { session } = this, { guides, filled } = session, points = session.comparedGuides(), { history } = useEditor.getState();
    this.otherShown = points !== null && guides !== null && filled !== null;
    if (!points || !guides || !filled || !history) return;
    const { document } = history, other = (this.other ??= this.makeOther());
    if (this.otherStrands !== filled) { other.setStrands(filled.strands, filled.frames, session.mesh.triangles, document.fill.count); this.otherStrands = filled; }
    const turned = new Float32Array(points.length);
    placeGuides(points, session.motions, guides.pointCount, turned, true);
    other.setGuides(turned, guides.lengths, guides.pointCount);
    other.setSkin(session.skin);
    if (relight) other.setBounds(points);
    other.lights = this.hair.lights;
    other.mark.colour.set(...MARKS[1]);
    other.mark.amount = 0.55;
    other.setHeat(null);
    this.hair.mark.colour.set(...MARKS[0]);
    this.hair.mark.amount = 0.55;
    other.update(document.fill, pills, drawn, relight);
  }
  private makeOther(): HairRenderer {
    const other = new HairRenderer(this.renderer, RAMP);
    this.scene.add(other.mesh);
    return other;
  }

  /** Strands that are enough from as far as this: where each is far thinner than a pixel, fewer and thicker ones look the same. */
  private enough(fill: GroomDocument['fill']): number {
    const { strandCount } = this.hair, one = (fill.widthUm * 1e-6 * Math.max(1, fill.count / Math.max(1, strandCount)) ** 0.7) / this.metresPerPixel(Math.max(0.01, this.depthOfTarget()));
    return Math.max(Math.min(strandCount, FEWEST_MOVING), Math.ceil(strandCount * Math.min(1, FAR_SHARE * one)));
  }

  /** Guides as lines; in Comb coloured by what is asked for, and only the chosen ones where the rest is hidden. */
  private showGuides(points: ArrayLike<number>, pointCount: number): void {
    const { stage, comb, chosen } = useEditor.getState(), { combDesk: desk, guides } = this.session, combing = stage === 'comb' && guides !== null, only = combing && comb.isolate && chosen > 0;
    const all = guideSegments(points, pointCount, only ? (g) => desk.strengthOf(g) > 0 : undefined), { geometry, material } = this.guideLines;
    setSegments(geometry, all);
    const coloured = combing && (comb.colour !== 'plain' || chosen > 0 || desk.marked !== null);
    if (material.vertexColors !== coloured) { material.vertexColors = coloured; material.needsUpdate = true; material.color.set(coloured ? 0xffffff : 0xf0c48a); }
    if (!coloured || !guides) return;
    const colours = new Float32Array(all.length), plain = new THREE.Color(0xf0c48a), mark = new THREE.Color(0xff5a3c);
    let longest = 1e-6, o = 0;
    for (const l of guides.lengths) longest = Math.max(longest, l);
    const put = (r: number, g: number, b: number, dim: number): void => { colours[o++] = r * dim; colours[o++] = g * dim; colours[o++] = b * dim; };
    for (let g = 0; g < guides.lengths.length; g++) {
      if (only && desk.strengthOf(g) === 0) continue;
      const value = comb.colour === 'length' ? guides.lengths[g] / longest : comb.colour === 'hold' ? desk.holdAtRoot(g) : -1, marked = desk.marked?.has(g);
      for (let i = 0; i < pointCount - 1; i++) for (let e = 0; e < 2; e++) {
        const take = chosen > 0 ? desk.choiceAt(g, i + e) : 1, dim = chosen > 0 && comb.colour !== 'chosen' ? 0.25 + 0.75 * take : 1, v = comb.colour === 'chosen' ? take : value;
        if (marked) put(mark.r, mark.g, mark.b, 1);
        else if (v >= 0) { const k = 3 * Math.round(255 * Math.min(1, v)); put(RAMP[k], RAMP[k + 1], RAMP[k + 2], dim); }
        else put(plain.r, plain.g, plain.b, dim);
      }
    }
    const known = geometry.getAttribute('color') as THREE.BufferAttribute | undefined;
    if (known && known.array.length === colours.length) { known.array.set(colours); known.needsUpdate = true; }
    else geometry.setAttribute('color', new THREE.BufferAttribute(colours, 3));
  }

  /** The picture rests: shows filled strands lifted out of what they pierce, as soon as they are known. */
  private pushFilled(document: GroomDocument, pills: Float64Array, points: Float32Array): void {
    const { session } = this, { frame, stage, run, bakeId } = useEditor.getState();
    let sum = 0;
    for (let i = 0; i < points.length; i += 7) sum += points[i] * ((i % 31) + 1);
    const key = JSON.stringify([Math.round(frame), stage, run.key, bakeId, this.hair.strandCount, sum, document.fill, document.hidden, session.key]);
    if (session.pushed?.key === key) this.lift(pills);
    else session.pushOut(key, this.hair.readNodes(), this.hair.strandCount);
  }

  /** Shows the filled strands as they were lifted the last time that was asked for. */
  private lift(pills = this.pillsNow()): void { const nodes = this.session.lastPushed, { history } = useEditor.getState(); if (nodes && history) this.hair.replaceNodes(nodes, history.document.fill, pills); }

  /** Turns to a face of the plot, seen straight on from near by. */
  flyTo(face: number): void {
    const surface = this.session.surfaceNow(), p = new THREE.Vector3(...surface.place(face, [1 / 3, 1 / 3, 1 / 3])), n = new THREE.Vector3(...surface.normal(face));
    this.controls.target.copy(p);
    this.camera.position.copy(p).addScaledVector(n, 0.45);
    this.controls.update();
    useEditor.setState({ viewName: null });
    this.touch();
  }
  /** Turns to a strand: to the middle of it, near enough to see it among its neighbours. */
  private lookAt(guide: number): void {
    const { session } = this, shown = session.shownGuides(), { guides } = session;
    if (!shown || !guides || guide < 0 || guide >= guides.lengths.length) return;
    const o = 3 * guide * guides.pointCount, end = o + 3 * (guides.pointCount - 1), root = new THREE.Vector3(...shown.points.subarray(o, o + 3)), tip = new THREE.Vector3(...shown.points.subarray(end, end + 3)), middle = root.clone().add(tip).multiplyScalar(0.5), out = root.clone().sub(this.hairMiddle(shown.points)).setY(0);
    if (out.lengthSq() < 1e-6) out.set(0, 0, 1);
    const away = this.camera.position.clone().sub(this.controls.target).normalize();
    // from the strand's own side, unless it is seen from there already
    if (away.dot(out.normalize()) < 0.3) away.copy(out).setY(0.15).normalize();
    this.controls.target.copy(middle);
    this.follower.stay();
    this.camera.position.copy(middle).addScaledVector(away, Math.max(0.35, 2.6 * guides.lengths[guide]));
    this.controls.update();
    useEditor.setState({ viewName: null });
    this.touch();
  }
  private hairMiddle(points: ArrayLike<number>): THREE.Vector3 { const c = new THREE.Vector3(); for (let p = 0; p < points.length; p += 3) c.add(new THREE.Vector3(points[p], points[p + 1], points[p + 2])); return c.multiplyScalar(3 / Math.max(3, points.length)); }
  /** A line through places, over everything; none to take it away. */
  showPath(places: readonly THREE.Vector3[]): void {
    this.brushRing.visible = places.length > 1;
    const P: number[] = [];
    for (let i = 1; i < places.length; i++) P.push(...places[i - 1].toArray(), ...places[i].toArray());
    if (P.length > 0) setSegments(this.brushRing.geometry, Float32Array.from(P));
    this.touch();
  }
  /** Lines between the handles of a cage; those that are chosen stand out. */
  private showCage(on: boolean): void {
    const { cage: desk } = this.session.combDesk, { cage } = desk;
    this.cageLines.visible = on && cage !== null;
    this.cagePoints.visible = on && cage !== null && desk.chosen.size > 0;
    if (!on || !cage) return;
    const { n, handles } = cage, lines: number[] = [];
    for (let h = 0; h < n ** 3; h++) for (let c = 0; c < 3; c++) if (Math.floor(h / n ** c) % n < n - 1) for (const k of [h, h + n ** c]) lines.push(handles[3 * k], handles[3 * k + 1], handles[3 * k + 2]);
    setSegments(this.cageLines.geometry, Float32Array.from(lines));
    if (desk.chosen.size > 0) setSegments(this.cagePoints.geometry, Float32Array.from([...desk.chosen].flatMap((h) => [handles[3 * h], handles[3 * h + 1], handles[3 * h + 2]])));
  }
  /** Given by the grips of what is chosen. */
  gripPlaces: () => THREE.Vector3[] = () => [];

  /** Pills for the light volume in the present pose, those nearest the hair first, as it takes only so many: a xyz r, b xyz r. */
  private pillsNow(): Float64Array {
    const c = this.controls.target, posed = this.session.lightPills().map((p) => this.overlays.posedPill(p)), far = (p: readonly number[]): number => Math.hypot((p[0] + p[4]) / 2 - c.x, (p[1] + p[5]) / 2 - c.y, (p[2] + p[6]) / 2 - c.z);
    return Float64Array.from(posed.sort((a, b) => far(a) - far(b)).flat());
  }

  /** Ring on the surface: radius and, inside, where the strength begins to fall. */
  showBrush(place: { point: ArrayLike<number>; normal: ArrayLike<number> } | null, radius: number, falloff: number): void {
    this.brushRing.visible = place !== null;
    if (place) {
      const n = new THREE.Vector3(place.normal[0], place.normal[1], place.normal[2]), u = new THREE.Vector3(Math.abs(n.x) < 0.9 ? 1 : 0, Math.abs(n.x) < 0.9 ? 0 : 1, 0).cross(n).normalize(), w = n.clone().cross(u);
      const P: number[] = [];
      for (const r of [radius, radius * (1 - falloff)]) {
        if (r < 1e-4) continue;
        const at = (k: number): number[] => { const a = (k / 48) * 2 * Math.PI; return [0, 1, 2].map((c) => place.point[c] + 0.002 * n.getComponent(c) + r * (Math.cos(a) * u.getComponent(c) + Math.sin(a) * w.getComponent(c))); };
        for (let k = 0; k < 48; k++) if (r === radius || k % 2 === 0) P.push(...at(k), ...at(k + 1));
      }
      setSegments(this.brushRing.geometry, Float32Array.from(P));
    }
    this.touch();
  }

  /** Whether the picture is seen as in a mirror. */
  private get mirrored(): boolean { const { stage, comb } = useEditor.getState(); return stage === 'comb' && comb.mirrored; }
  /** Ray through a place on the canvas, in pixels. */
  ray(x: number, y: number): { origin: THREE.Vector3; direction: THREE.Vector3 } {
    const caster = new THREE.Raycaster();
    this.camera.updateMatrixWorld(); // a view may just have been chosen and not drawn yet
    caster.setFromCamera(new THREE.Vector2(((this.mirrored ? this.width - x : x) / this.width) * 2 - 1, 1 - (y / this.height) * 2), this.camera);
    return { origin: caster.ray.origin, direction: caster.ray.direction };
  }
  /** Where a place is on the canvas, in pixels. */
  project(place: THREE.Vector3): [number, number] {
    this.camera.updateMatrixWorld();
    const p = place.clone().project(this.camera);
    const x = ((p.x + 1) / 2) * this.width;
    return [this.mirrored ? this.width - x : x, ((1 - p.y) / 2) * this.height];
  }
  /** The filled strand that is seen at a place on the canvas, in pixels, or next to it. */
  strandAt(x: number, y: number): { strand: number; depth: number } | null { return this.hairShown ? this.hair.pick(this.camera, this.character.group, this.mirrored ? this.width - x : x, y, this.width, this.height) : null; }
  /** m that a pixel of the picture is wide at a depth. */
  metresPerPixel(depth: number): number { return (2 * depth * Math.tan((this.camera.fov * Math.PI) / 360)) / Math.max(1, this.height); }
  /** Depth of what the view turns about, m. */
  depthOfTarget(): number { return this.controls.target.clone().sub(this.camera.position).dot(this.forward); }
  get right(): THREE.Vector3 { return new THREE.Vector3().setFromMatrixColumn(this.camera.matrixWorld, 0); }
  get forward(): THREE.Vector3 { return this.camera.getWorldDirection(new THREE.Vector3()); }

  // ---------------------------------------------------------------- drawing

  private loop = (): void => {
    this.handle = requestAnimationFrame(this.loop);
    if (this.stills.draw()) return;
    this.play();
    if (this.held) return;
    const now = performance.now();
    this.turn(now);
    const rested = now - this.lastTouch > REST_MS, sharpen = this.coarse && rested;
    if (!this.drawing.ready || (this.still >= this.stillFrames && !this.dirty && !sharpen)) return;
    // brush, lines and maps over a picture that is there cost what they cost, whatever the hair does
    const over = !this.dirty && !sharpen && this.still === 0 && this.drawing.keeps(this.shownNow());
    if (this.still === 0 && !sharpen && !over) this.pace(now);
    if (this.mapStale && !this.dirty) this.mapView.show(this.mapNow());
    this.mapStale = false;
    if (this.dirty || sharpen) {
      this.coarse = !sharpen && this.movingStrands < this.hair.strandCount;
      this.refresh(this.coarse);
      this.dirty = false;
      this.still = 0;
      this.settled = false;
    } else if (this.still === 0 && !over && !this.coarse && this.movingStrands < this.hair.strandCount) {
      // only the camera moves: the same strands, fewer of them
      this.coarse = true;
      this.hair.setDrawn(this.movingStrands);
      this.drawing.forget();
    }
    // a hand that moves is not kept waiting by the picture before being made finer
    if (this.still > 0 && (this.coarse || now - this.lastTouch < SETTLE_MS)) return;
    this.draw();
  };

  /** Fits the number of strands drawn in motion to what this machine draws in a blink. */
  private pace(now: number): void {
    const { strandCount } = this.hair, gap = now - this.lastDraw;
    this.lastDraw = now;
    if (strandCount === 0 || gap > 2000) return;
    if (gap > SLOW_MS) this.movingStrands = Math.max(FEWEST_MOVING, Math.min(this.movingStrands, strandCount) * 0.6);
    else if (gap < FAST_MS) this.movingStrands = Math.min(this.movingStrands * 1.25, 1e6);
    this.movingStrands = Math.round(this.movingStrands);
  }

  /** Goes round what the view is centred on, while the turntable is on. */
  private turn(now: number): void {
    const { turning } = useEditor.getState().light, since = this.turnedAt === null ? 0 : now - this.turnedAt;
    this.turnedAt = turning ? now : null;
    if (!turning || since === 0) return;
    const away = this.camera.position.clone().sub(this.controls.target).applyAxisAngle(new THREE.Vector3(0, 1, 0), (2 * Math.PI * Math.min(since, 500)) / TURN_MS);
    this.camera.position.copy(this.controls.target).add(away);
    this.controls.update();
  }
  private turnedAt: number | null = null;

  private shownNow(): Shown {
    const { compare } = useEditor.getState(), wipe = this.otherShown && compare?.mode === 'wipe' ? (this.mirrored ? 1 - compare.at : compare.at) : null;
    return { hair: this.hairShown, other: this.other, otherHair: this.otherShown, wipe, mirrored: this.mirrored };
  }
  private draw(): void {
    this.still = this.drawing.draw(this.still, this.shownNow(), this.stillFrames);
    this.settled = this.still >= this.stillFrames && !this.coarse;
  }

  /** While a row of small pictures is made the view itself waits. */
  private held = false;
  /** A small picture of the hair, or of the chains, in a frame as these guides have it, as the view looks at it; null where there is none. */
  private picture(points: Float32Array, frame: number, width: number, height: number): HTMLCanvasElement | null {
    const { session, camera, renderer } = this, { guides, filled, character } = session, state = useEditor.getState(), document_ = state.history?.document;
    const chained = document_ !== undefined && ofChains(document_);
    if (!document_ || !guides || (!filled && !chained) || points.length !== guides.offsets.length || this.stills.busy) return null;
    const { shot } = document_, clip = session.clip, pose = poseAtFrame(character, clip, shot, frame), skin = new Float64Array(session.skin.length), motions = new Float64Array(7 * guides.planting.faces.length), local = new Float32Array(points.length);
    skinPositions(character, session.mesh, pose, skin);
    rootMotionsInto(motions, guides.planting, guides.frames, skin, session.mesh.triangles);
    placeGuides(points, motions, guides.pointCount, local, true);
    if (filled && this.strandsShown !== filled) { this.hair.setStrands(filled.strands, filled.frames, session.mesh.triangles, document_.fill.count); this.hair.setFrozen(filled.shapes); this.strandsShown = filled; }
    this.character.setPose(session.chains.dressedAs(pose, points));
    this.character.setHidden(document_.hidden);
    if (filled) this.hair.setGuides(local, guides.lengths, guides.pointCount);
    this.hair.setSkin(skin);
    this.hair.setHeat(null);
    this.hair.mark.amount = 0;
    this.hair.setPlanted(session.fillDesk.smallMesh, { wide: document_.planted.wide, spin: document_.planted.spin, seed: document_.plant.seed });
    this.hair.setBounds(points);
    const tiny = width < TINY;
    if (filled) this.hair.update(document_.fill, this.pillsNow(), Math.min(tiny ? SMALL_STRANDS / 2 : SMALL_STRANDS, this.enough(document_.fill)), true);
    const helpers = this.scene.children.filter((c) => c.visible && (c instanceof THREE.LineSegments || c instanceof THREE.Points || c === this.overlays.group || c === this.mapView.mesh || c === this.plotMesh || c === this.cardView.mesh)), aspect = camera.aspect, otherOn = this.other?.mesh.visible ?? false;
    for (const h of helpers) h.visible = false;
    if (this.other) this.other.mesh.visible = false;
    const place = camera.position.clone(), [along, across] = this.follower.wayTo(pose);
    camera.position.add(new THREE.Vector3(along, 0, across));
    camera.aspect = width / height;
    camera.clearViewOffset();
    camera.updateProjectionMatrix();
    camera.updateMatrixWorld();
    const main = target(width, height, SCENE_TARGET), out = new THREE.WebGLRenderTarget(width, height, { depthBuffer: false }), pixels = new Uint8Array(4 * width * height);
    let sum = target(width, height), next = target(width, height);
    for (let k = 0; k < (tiny ? SMALL_FRAMES / 2 : SMALL_FRAMES); k++) {
      const [jx, jy] = k === 0 ? [0, 0] : jitter(k);
      camera.setViewOffset(width, height, jx, jy, width, height);
      camera.updateMatrixWorld();
      this.hair.prepare(camera, height, k, filled !== null);
      this.drawing.render(main, null, null);
      this.hair.pass(this.hair.setUniforms(this.hair.material('accumulate', SCREEN_VERTEX, ACCUMULATE_FRAGMENT), { tOld: sum.texture, tNew: main.texture, uShare: 1 / (k + 1) }), next);
      [sum, next] = [next, sum];
    }
    this.hair.pass(this.hair.setUniforms(this.hair.material('output', SCREEN_VERTEX, OUTPUT_FRAGMENT), { tLinear: sum.texture, uMirrored: 0 }), out);
    renderer.readRenderTargetPixels(out, 0, 0, width, height, pixels);
    for (const t of [main, out, sum, next]) t.dispose();
    camera.clearViewOffset();
    camera.aspect = aspect;
    camera.position.copy(place);
    camera.updateProjectionMatrix();
    for (const h of helpers) h.visible = true;
    if (this.other) this.other.mesh.visible = otherOn;
    this.dirty = true;
    this.touch();
    return canvasOf(pixels, width, height);
  }

  /** Turns the view about its middle, as a drag over so many pixels does. */
  orbit(dx: number, dy: number): void {
    const { camera, controls } = this, s = new THREE.Spherical().setFromVector3(camera.position.clone().sub(controls.target));
    s.theta -= 0.008 * dx;
    s.phi = Math.min(Math.PI - 0.05, Math.max(0.05, s.phi - 0.008 * dy));
    camera.position.copy(controls.target).add(new THREE.Vector3().setFromSpherical(s));
    controls.update();
  }

  /** Moves the play head; in Sway it waits for the frames as they are computed. */
  private play(): void {
    const state = useEditor.getState(), shot = state.history?.document.shot;
    if (!state.playing || !shot || state.live.on) return;
    const now = performance.now();
    this.playFrom ??= { at: now, frame: state.frame >= shot.end ? shot.start : state.frame };
    let frame = Math.floor(this.playFrom.frame + ((now - this.playFrom.at) / 1000) * shot.fps);
    if (frame > shot.end) { frame = shot.start; this.playFrom = { at: now, frame }; }
    const computed = state.stage === 'sway' && !state.shownTake && state.run.key === this.session.key;
    if (computed && !this.session.runs.live.has(frame) && state.run.state === 'running') {
      // never ahead of the computation: go to its head and start the clock anew from there
      frame = Math.max(shot.start, Math.min(frame, state.run.head));
      this.playFrom = { at: now, frame };
    }
    if (frame !== state.frame) useEditor.setState({ frame });
  }

  /** For tests: hair nodes as the GPU has them. */
  readNodes(): Float32Array { return this.hair.readNodes(); }
}

function guideSegments(points: ArrayLike<number>, pointCount: number, which?: (guide: number) => boolean): Float32Array {
  const guides = points.length / (3 * pointCount), out = new Float32Array(6 * guides * (pointCount - 1));
  let o = 0;
  for (let g = 0; g < guides; g++) if (!which || which(g)) for (let i = 0; i < pointCount - 1; i++) {
    const p = 3 * (g * pointCount + i);
    for (let k = 0; k < 6; k++) out[o++] = points[p + k];
  }
  return which ? out.slice(0, o) : out;
}
