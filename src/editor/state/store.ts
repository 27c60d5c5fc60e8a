/** What the screen shows: records only. Arrays live in the session (session.ts). */
import { create } from 'zustand';
import type { Draft } from 'immer';
import { closeStep, edit, jump, redo, startHistory, undo, type History } from '../../core/document/edits';
import type { GroomDocument, Parameter, PlotMap, SwayMap } from '../../core/document/schema';
import type { AlongName } from '../../core/groom/comb/along';
import type { Profile } from '../../core/math/profile';
import type { HowToChoose } from '../../core/groom/comb/choice';
import type { CurvePlacement } from '../../core/groom/seat';
import type { Limits, MeasureName, Proof } from '../../core/document/proof';
import { keepOwn } from '../../core/document/shots';
import type { AnyMeasure, Comparison, TroubleName } from '../../core/proof/remedies';
import type { Rig } from '../view/lights';
import { handOverSchema, USUAL_RECEIVERS, type HandOver } from '../../core/document/hand-over';
import type { Bake, Export, Groom, KeptReceiver, Take } from './api';

export const STAGES = ['cast', 'plant', 'comb', 'fill', 'sway', 'proof', 'bake'] as const;
export type Stage = (typeof STAGES)[number];
/** What the next movie is to be like. `of`: the take or bake, '' for the combed shape, null for what there is; `strands` null: those of the preview. */
export interface MovieSettings { of: string | null; as: 'webm' | 'png'; height: number; strands: number | null; fine: number; turntable: boolean; words: boolean }
/** A movie that is being drawn: how far, and at which frame. */
export interface MovieState { share: number; frame: number }
/** What the pointer does in Comb. */
export const COMB_TOOLS = ['look', 'comb', 'smooth', 'straighten', 'part', 'gather', 'spread', 'lift', 'press', 'twist', 'curl', 'longer', 'match', 'cut', 'settle', 'add', 'remove', 'paint', 'choose', 'cage'] as const;
export type CombTool = (typeof COMB_TOOLS)[number];
export interface CombState {
  tool: CombTool;
  /** Cut at the brush, or along a line. */
  cut: 'brush' | 'line';
  /** How parts of a strand take the brush, root → tip; `own`: as `ownAlong` has it. */
  along: AlongName | 'own';
  ownAlong: Profile;
  /** Share of the length below which strands are let be. */
  from: number;
  curlMm: number;
  pitchMm: number;
  symmetric: boolean;
  keepOff: 'skin' | 'clothes' | 'nothing';
  /** Radius in the world, or in pixels of the screen. */
  size: 'world' | 'screen';
  choose: 'click' | 'brush' | 'outline';
  how: HowToChoose;
  what: 'strands' | 'points';
  map: PlotMap | SwayMap;
  value: number;
  /** Layer that strokes go to; '' for the base, null for the uppermost there is. */
  layer: string | null;
  colour: 'plain' | 'length' | 'chosen' | 'hold';
  xray: boolean;
  isolate: boolean;
  mirrored: boolean;
  bindPose: boolean;
  /** Handles along each edge of the cage. */
  cageSize: number;
  /** How far from a handle its neighbours go along. */
  cageFalloffCm: number;
  cageKeepsLengths: boolean;
}
export type BrushName = 'parting' | 'comb' | 'skin' | 'paint' | 'tie' | 'draw' | 'between' | 'flow' | 'redraw';
/** A collider by its key, a mesh by its name, a tie by its id. */
export type Selected = { kind: 'collider' | 'mesh' | 'tie' | 'cage'; key: string } | null;
/** Paint a map: toward a value; gather guides for the chosen tie. */
export type SwayTool = { name: 'look' } | { name: 'paint'; map: SwayMap; value: number } | { name: 'tie' } | { name: 'hand'; how: 'move' | 'turn' };
/** What the pointer does in Plant: choose faces by brush, outline or loose part; paint a map toward a value, smooth it, or draw a gradient. */
export type PlantTool = { name: 'faces'; how: 'brush' | 'outline' | 'part'; take: boolean } | { name: 'paint'; map: PlotMap; how: 'toward' | 'smooth' | 'gradient'; value: number }
  /** Draw a guide along the skin or in the plane of the view; put guides between others. */
  | { name: 'draw'; how: 'skin' | 'view' }
  | { name: 'between' }
  /** Strokes along which hair lies. */
  | { name: 'flow' }
  /** Redraw a guide from where the stroke begins on it. */
  | { name: 'redraw' };
/** Of chains drawn through meshes: the line whose places are clicked (''; a new one), through the mesh or on it; or painting what a line moves. */
export type DrawTool = { name: 'line'; line: string; through: boolean } | { name: 'share'; who: string; take: boolean };
export interface DrawState { tool: DrawTool | null; /** What colours show: who moves what, or how the two ways of weighing differ. */ shown: 'shares' | 'difference'; /** Degrees that chains are bent by, to see what their meshes do. */ bend: number; /** Place that is chosen. */ place: { line: string; at: number } | null }
/** What is known and chosen of curves from a file, before they are taken. */
export interface Bringing {
  fileName: string;
  count: number;
  notes: string[];
  placement: CurvePlacement;
  rootsLast: boolean;
  limitMm: number;
  /** Of those seated: how many, and how far their roots were from the skin at most, m. */
  seated: number;
  farthest: number;
  lost: { curve: number; distance: number; beside: boolean }[];
}
export type SaveState = 'saved' | 'unsaved' | 'saving' | 'offline' | 'behind';
export type ViewName = 'front' | 'side' | 'back' | 'top' | 'threeQuarter' | 'whole';

export interface RunState {
  state: 'none' | 'running' | 'done';
  /** Motion key of what was run. */
  key: string;
  proof: Proof | null;
  /** Frames computed in a second. */
  rate: number;
  /** Newest frame computed. */
  head: number;
}

/** How the hair of a take is told apart from that of another. */
export const GRAINS = [1, 2, 4] as const;
export type Grain = (typeof GRAINS)[number];

export interface CompareState { take: string; mode: 'wipe' | 'both'; /** Where the wipe stands across the view, 0 … 1. */ at: number }
export const HEATS = ['none', 'depth', 'stretch', 'jump', 'jitter', 'drift'] as const;
export type Heat = (typeof HEATS)[number];
/** A run that is stepped frame by frame while a hand is on it. */
export interface LiveState {
  on: boolean;
  /** Whether the clip goes on, or the pose stays while hair moves. */
  mode: 'play' | 'hold';
  paused: boolean;
  /** Of the clip's own speed. */
  speed: number;
  /** Node that the hand is on; −1: the whole character. */
  node: number;
  rate: number;
  depth: number;
  /** Of so many guides one is computed (0: not known yet), and whether that is chosen to keep the rate; how many those are. */
  share: number;
  auto: boolean;
  computed: number;
}
/** A change that is being tried, or has been. */
export interface TriedOffer { label: string; state: 'waits' | 'running' | 'done' | 'failed'; progress: number; result: Comparison | null; message: string; picture: string | null; key: string }
export interface MendState { trouble: TroubleName; because: string; measure: AnyMeasure; end: number; before: number | null; picture: string | null; offers: TriedOffer[]; running: boolean }
export interface WedgeAxis { key: string; from: number; to: number; count: number }
export interface WedgeCell { values: number[]; label: string; state: 'waits' | 'running' | 'done' | 'failed'; progress: number; proof: Proof | null; key: string; message: string }
export interface WedgeState { axes: WedgeAxis[]; cells: WedgeCell[]; measure: MeasureName; running: boolean }
export interface ShotJob { state: 'waits' | 'running' | 'failed'; progress: number; message: string }

export interface EditorState {
  groom: Groom | null;
  loadError: string | null;
  history: History | null;
  save: SaveState;
  saveMessage: string;
  stage: Stage;
  frame: number;
  playing: boolean;
  brush: { radiusMm: number; radiusPx: number; strength: number; falloff: number };
  comb: CombState;
  /** Chosen guides, and a number that goes up when others are. */
  chosen: number;
  choiceCount: number;
  settling: boolean;
  /** Step of the history (its number of steps done) that is compared with; null for none. */
  comparing: number | null;
  /** Told by the session: what a document needs that is on its way; null where all is here. */
  fetching: (document: GroomDocument) => Promise<unknown> | null;
  show: { hair: boolean; guides: boolean; pills: boolean; marks: boolean; /** The groomed shape as lines beside what moves. */ groomed: boolean };
  /** What the tray and the view have in hand. */
  selected: Selected;
  /** What the pointer does in Sway besides looking around. */
  swayTool: SwayTool;
  plantTool: PlantTool;
  draw: DrawState;
  /** What the pointer does in Fill. */
  fillTool: 'look' | 'parting';
  light: { rig: Rig; turnDeg: number; turning: boolean };
  /** Cards that have been made (a number that goes up), and which of them are seen. */
  cards: { making: boolean; made: number; shown: 'strands' | 'cards' | 'both'; level: number };
  /** How far a still is drawn, 0 … 1; null for none. Strands it is drawn with. */
  still: number | null;
  stillStrands: number | null;
  /** Filling that is kept as it is, with the memory it takes; null while it follows. */
  frozen: { bytes: number } | null;
  strip: 'time' | 'profile' | 'chart';
  run: RunState;
  /** Kept takes, the newest first; the one that is looked at instead of the run, and the one that is laid over. */
  takes: Take[];
  shownTake: string | null;
  compare: CompareState | null;
  limits: Limits;
  heat: Heat;
  chart: MeasureName;
  live: LiveState;
  mend: MendState | null;
  wedge: WedgeState | null;
  shotJobs: Record<string, ShotJob>;
  /** Filled strands that are being measured: how far, 0 … 1. */
  measuring: number | null;
  /** Goes up when the view has been turned from elsewhere. */
  turned: number;
  /** What stands before the view. */
  board: 'none' | 'wedge' | 'shots';
  /** Whether changes of movement are for this shot alone. */
  onlyHere: boolean;
  bakes: Bake[];
  /** Bake that is played in the Bake stage. */
  bakeId: string | null;
  bakeProof: Proof | null;
  /** Frames of it that cannot be read. */
  bakeDamage: { from: number; to: number }[];
  /** What was handed over of it, and to whom things are handed over. */
  exports: Export[];
  receivers: KeptReceiver[];
  wish: HandOver;
  movie: MovieState | null;
  movieSettings: MovieSettings;
  marked: number;
  viewName: ViewName | null;
  viewRequest: { name: ViewName; count: number };
  filling: boolean;
  planting: boolean;
  /** Share of the guides that is planted, while they are. */
  plantingShare: number;
  /** How much skin shows: whether it is being looked at, from where, and which of the bald spots is shown (−1: none). */
  covering: boolean;
  covered: { from: 'here' | 'round'; bare: number; spots: { face: number; bare: number }[]; at: number } | null;
  /** Curves that are being brought in. */
  bringing: Bringing | null;
  /** How guides are drawn. */
  drawing: { liftMm: number; smoothing: number; longestCm: number };
  /** Goes up whenever the colliders have been found anew. */
  colliderCount: number;
  fillCount: number;
  commandOpen: boolean;
  keysOpen: boolean;
  theme: 'peat' | 'linen';
  /** Whether the view goes along with the character; null for where it goes away. */
  follow: boolean | null;
  /** Pixels of the view along and across for each that is drawn. */
  grain: Grain;
  set: (patch: Partial<EditorState>) => void;
  open: (groom: Groom) => void;
  edit: (name: string, change: (draft: Draft<GroomDocument>) => void, mergeKey?: string) => void;
  /** Asks before a shot that is baked is changed; false where it is to stay. */
  mayChange: (before: GroomDocument, next: GroomDocument) => boolean;
  endStep: () => void;
  undo: () => void;
  redo: () => void;
  /** Where the history goes as soon as what it needs has come; null where it stands still. */
  heading: History | null;
  /** To where so many steps are done. */
  jump: (done: number) => void;
  goTo: (next: History) => void;
}

export const NO_RUN: RunState = { state: 'none', key: '', proof: null, rate: 0, head: 0 };

/** Before anything has been run. */
export const NO_TAKES = {
  takes: [] as Take[], shownTake: null, compare: null, limits: {} as Limits, heat: 'none' as Heat, chart: 'depth' as MeasureName, live: { on: false, mode: 'play' as const, paused: false, speed: 1, node: -1, rate: 0, depth: 0, share: 0, auto: true, computed: 0 }, mend: null, wedge: null, shotJobs: {}, measuring: null, board: 'none' as const, turned: 0, onlyHere: false,
};

/** Size of the brush in the world. */
export const BRUSH_RADIUS: Parameter = { label: 'Radius', unit: 'mm', min: 0.2, max: 2000, step: 1, fallback: 28, help: 'Size of the brush. Hold R and move the pointer sideways to change it.' };

export const useEditor = create<EditorState>((set, get) => ({
  groom: null, loadError: null, history: null, save: 'saved', saveMessage: '',
  stage: 'cast', frame: 0, playing: false,
  brush: { radiusMm: BRUSH_RADIUS.fallback, radiusPx: 90, strength: 0.7, falloff: 0.8 },
  comb: { tool: 'comb', cut: 'brush', along: 'whole', ownAlong: [[0, 1], [1, 1]], from: 0, curlMm: 9, pitchMm: 60, symmetric: false, keepOff: 'skin', size: 'world', choose: 'brush', how: 'only', what: 'strands', map: 'hold', value: 0.5, layer: null, colour: 'plain', xray: false, isolate: false, mirrored: false, bindPose: false, cageSize: 3, cageFalloffCm: 0, cageKeepsLengths: true },
  chosen: 0, choiceCount: 0, settling: false, comparing: null, heading: null, fetching: () => null,
  show: { hair: true, guides: false, pills: false, marks: false, groomed: false },
  selected: null, swayTool: { name: 'look' }, plantTool: { name: 'faces', how: 'brush', take: false }, draw: { tool: null, shown: 'shares', bend: 0, place: null },
  fillTool: 'look', light: { rig: 'bench', turnDeg: 0, turning: false }, still: null, stillStrands: null, frozen: null, cards: { making: false, made: 0, shown: 'strands', level: 0 },
  strip: 'time', run: NO_RUN, ...NO_TAKES, bakes: [], bakeId: null, bakeProof: null, bakeDamage: [], exports: [], movieSettings: { of: null, as: 'webm', height: 720, strands: null, fine: 12, turntable: false, words: true }, receivers: [], wish: handOverSchema.parse({ format: 'usdc', receiver: USUAL_RECEIVERS[0] }), movie: null, marked: -1,
  viewName: 'threeQuarter', viewRequest: { name: 'threeQuarter', count: 0 }, filling: false, planting: false, plantingShare: 0, covering: false, covered: null, bringing: null, drawing: { liftMm: 8, smoothing: 0.4, longestCm: 60 }, colliderCount: 0, fillCount: 0,
  commandOpen: false, keysOpen: false, theme: 'peat', follow: null, grain: 1,
  set: (patch) => set(patch),
  open: (groom) => set({ groom, history: startHistory(groom.document), frame: groom.document.shot.start, save: 'saved' }),
  edit: (name, change, mergeKey) => {
    const { history } = get();
    if (!history) return;
    const { onlyHere } = get(), next = edit(history, name, onlyHere ? (d) => { change(d); if (d.shotName === history.document.shotName) keepOwn(d, history.document); } : change, mergeKey);
    if (next !== history && get().mayChange(history.document, next.document)) set({ history: next });
  },
  mayChange: () => true,
  endStep: () => { const { history } = get(); if (history) set({ history: closeStep(history) }); },
  undo: () => { const { history, heading, goTo } = get(); if (history) goTo(undo(heading ?? history)); },
  redo: () => { const { history, heading, goTo } = get(); if (history) goTo(redo(heading ?? history)); },
  jump: (done) => { const { history, heading, goTo } = get(); if (history) goTo(jump(heading ?? history, done)); },
  goTo: (next) => {
    const { history, fetching } = get(), wait = fetching(next.document);
    if (!wait) { set({ history: next, heading: null, saveMessage: '' }); return; }
    // what a step long ago needs is asked of the server; whoever goes on working meanwhile stays where he is
    set({ heading: next, saveMessage: 'Fetching an earlier step …' });
    wait.then(() => { if (get().heading === next) set({ heading: null, saveMessage: '', ...(get().history === history ? { history: next } : {}) }); }, (cause: unknown) => set({ heading: null, saveMessage: `The earlier step could not be fetched: ${cause instanceof Error ? cause.message : String(cause)}` }));
  },
}));

/** Changes what is in hand in Comb. */
export const setComb = (change: Partial<CombState>): void => useEditor.setState({ comb: { ...useEditor.getState().comb, ...change } });
