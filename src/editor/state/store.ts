/** What the screen shows: records only. Arrays live in the session (session.ts). */
import { create } from 'zustand';
import type { Draft } from 'immer';
import { closeStep, edit, redo, startHistory, undo, type History } from '../../core/document/edits';
import type { GroomDocument, PlotMap, SwayMap } from '../../core/document/schema';
import type { CurvePlacement } from '../../core/groom/seat';
import type { Proof } from '../../core/document/proof';
import type { Bake, Groom } from './api';

export const STAGES = ['cast', 'plant', 'comb', 'fill', 'sway', 'proof', 'bake'] as const;
export type Stage = (typeof STAGES)[number];
export type BrushName = 'comb' | 'cut' | 'skin' | 'paint' | 'tie' | 'draw' | 'between' | 'flow' | 'redraw';
/** A collider by its key, a mesh by its name, a tie by its id. */
export type Selected = { kind: 'collider' | 'mesh' | 'tie'; key: string } | null;
/** Paint a map: toward a value; gather guides for the chosen tie. */
export type SwayTool = { name: 'look' } | { name: 'paint'; map: SwayMap; value: number } | { name: 'tie' };
/** What the pointer does in Plant: choose faces by brush, outline or loose part; paint a map toward a value, smooth it, or draw a gradient. */
export type PlantTool = { name: 'faces'; how: 'brush' | 'outline' | 'part'; take: boolean } | { name: 'paint'; map: PlotMap; how: 'toward' | 'smooth' | 'gradient'; value: number }
  /** Draw a guide along the skin or in the plane of the view; put guides between others. */
  | { name: 'draw'; how: 'skin' | 'view' }
  | { name: 'between' }
  /** Strokes along which hair lies. */
  | { name: 'flow' }
  /** Redraw a guide from where the stroke begins on it. */
  | { name: 'redraw' };
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
  lost: { curve: number; distance: number }[];
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

export interface EditorState {
  groom: Groom | null;
  loadError: string | null;
  history: History | null;
  save: SaveState;
  saveMessage: string;
  stage: Stage;
  frame: number;
  playing: boolean;
  brush: { name: BrushName; radiusMm: number; strength: number; falloff: number };
  show: { hair: boolean; guides: boolean; pills: boolean; marks: boolean };
  /** What the tray and the view have in hand. */
  selected: Selected;
  /** What the pointer does in Sway besides looking around. */
  swayTool: SwayTool;
  plantTool: PlantTool;
  strip: 'time' | 'profile';
  run: RunState;
  bakes: Bake[];
  /** Bake that is played in the Bake stage. */
  bakeId: string | null;
  bakeProof: Proof | null;
  marked: number;
  viewName: ViewName | null;
  viewRequest: { name: ViewName; count: number };
  filling: boolean;
  planting: boolean;
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
  set: (patch: Partial<EditorState>) => void;
  open: (groom: Groom) => void;
  edit: (name: string, change: (draft: Draft<GroomDocument>) => void, mergeKey?: string) => void;
  endStep: () => void;
  undo: () => void;
  redo: () => void;
}

export const NO_RUN: RunState = { state: 'none', key: '', proof: null, rate: 0, head: 0 };

export const useEditor = create<EditorState>((set, get) => ({
  groom: null, loadError: null, history: null, save: 'saved', saveMessage: '',
  stage: 'cast', frame: 0, playing: false,
  brush: { name: 'comb', radiusMm: 28, strength: 0.7, falloff: 0.8 },
  show: { hair: true, guides: false, pills: false, marks: false },
  selected: null, swayTool: { name: 'look' }, plantTool: { name: 'faces', how: 'brush', take: false },
  strip: 'time', run: NO_RUN, bakes: [], bakeId: null, bakeProof: null, marked: -1,
  viewName: 'threeQuarter', viewRequest: { name: 'threeQuarter', count: 0 }, filling: false, planting: false, covering: false, covered: null, bringing: null, drawing: { liftMm: 8, smoothing: 0.4, longestCm: 60 }, colliderCount: 0, fillCount: 0,
  commandOpen: false, keysOpen: false, theme: 'peat',
  set: (patch) => set(patch),
  open: (groom) => set({ groom, history: startHistory(groom.document), frame: groom.document.shot.start, save: 'saved' }),
  edit: (name, change, mergeKey) => {
    const { history } = get();
    if (!history) return;
    const next = edit(history, name, change, mergeKey);
    if (next !== history) set({ history: next });
  },
  endStep: () => { const { history } = get(); if (history) set({ history: closeStep(history) }); },
  undo: () => { const { history } = get(); if (history) set({ history: undo(history) }); },
  redo: () => { const { history } = get(); if (history) set({ history: redo(history) }); },
}));
