/** Wedges: one or two settings over a range, a take of each, side by side. */
import { produce } from 'immer';
import type { Draft } from 'immer';
import { CAGE_PARAMETERS, inCages, type CageParameter } from '../../core/cage/cages';
import { BAKE_PARAMETERS, SWAY_PARAMETERS, type GroomDocument, type Parameter } from '../../core/document/schema';
import { SHEET_PARAMETERS, type SheetParameter } from '../../core/sway/cloth';
import type { PackedFrames } from '../../core/bake/frame-codec';
import { backgroundTake, framesOf, keepBackground, type BackgroundTake } from './background-take';
import type { Session } from './session';
import { useEditor, type WedgeAxis, type WedgeCell, type WedgeState } from './store';
import { Cancelled } from './trial-desk';

/** Numbers of cages that can be, and what else counts in a cage. */
const OF_CAGES: CageParameter[] = ['hz', 'damping', 'amount', 'rise', 'still', 'weightG', 'firm', 'bulk', 'air'], IN_CAGES = new Set(['give', 'gravity', 'windSpeed', 'windTurn', 'windRise', 'windReach', 'gust', 'gustHz', 'carryTravel', 'carryTurning', 'pillCover', 'skinGapMm', 'substeps', 'preRoll']);
/** What a sheet has in the units of its cloth, or not at all. */
const NOT_IN_SHEETS = new Set(['thickness', 'weight', 'stiffness', 'twistStiffness', 'lock', 'spread']);
/** Takes of one wedge at most. */
export const MOST_CELLS = 16;
/** Settings that can be spread out. */
export const WEDGE_SETTINGS: Record<string, Parameter> = {
  ...Object.fromEntries(Object.entries(SWAY_PARAMETERS).filter(([k]) => k !== 'gustSeed' && !k.startsWith('windX') && !k.startsWith('windY') && !k.startsWith('windZ'))), preRoll: BAKE_PARAMETERS.preRoll,
  ...Object.fromEntries(OF_CAGES.map((k) => [`cages.${k}`, { ...CAGE_PARAMETERS[k], label: `${CAGE_PARAMETERS[k].label}, cages` }])),
  ...Object.fromEntries(Object.entries(SHEET_PARAMETERS).map(([k, q]) => [`sheet.${k}`, { ...q, label: `${q.label}, cloth` }])),
};
/** Those that count: in cages, and of sheets, other ones than of strands. */
export const wedgeKeys = ({ sway }: GroomDocument): string[] => Object.keys(WEDGE_SETTINGS).filter((k) => (inCages(sway) ? k.startsWith('cages.') || IN_CAGES.has(k) : sway.sheet ? !k.startsWith('cages.') && !NOT_IN_SHEETS.has(k) : !k.includes('.')));
export const valueOf = (d: GroomDocument, key: string): number => (key === 'preRoll' ? d.bake.preRoll : key.startsWith('sheet.') ? (d.sway.sheet?.[key.slice(6) as SheetParameter] ?? WEDGE_SETTINGS[key].fallback) : key.startsWith('cages.') ? (d.sway.cages?.find((c) => c.on)?.[key.slice(6) as CageParameter] ?? WEDGE_SETTINGS[key].fallback) : d.sway[key as keyof typeof SWAY_PARAMETERS]);
function setValue(d: Draft<GroomDocument>, key: string, v: number): void {
  if (key === 'preRoll') d.bake.preRoll = v;
  else if (key.startsWith('sheet.')) { if (d.sway.sheet) d.sway.sheet[key.slice(6) as SheetParameter] = v; }
  else if (key.startsWith('cages.')) { for (const c of d.sway.cages ?? []) if (c.on) c[key.slice(6) as CageParameter] = v; } else { d.sway[key as keyof typeof SWAY_PARAMETERS] = v; if (key === 'substeps') d.sway.chooseSubsteps = false; }
}

/** So many values of a setting from one to another: by ratio where the range is wide, else evenly. */
export function spreadOf({ key, from, to, count }: WedgeAxis): number[] {
  const p = WEDGE_SETTINGS[key], byRatio = p.min > 0 && from > 0 && to > 0 && Math.max(from / to, to / from) > 8;
  const values = Array.from({ length: count }, (_, k) => { const t = count === 1 ? 0 : k / (count - 1), v = byRatio ? from * Math.pow(to / from, t) : from + (to - from) * t; return Math.min(p.max, Math.max(p.min, p.integer ? Math.round(v) : Number(v.toPrecision(4)))); });
  return [...new Set(values)];
}

export class WedgeDesk {
  private results: (BackgroundTake | null)[] = [];
  private stop: AbortController | null = null;
  constructor(private readonly session: Session) {}
  private set(change: Partial<WedgeState>): void { const { wedge } = useEditor.getState(); if (wedge) useEditor.setState({ wedge: { ...wedge, ...change } }); }
  private setCell(k: number, change: Partial<WedgeCell>): void { const { wedge } = useEditor.getState(); if (wedge) this.set({ cells: wedge.cells.map((c, i) => (i === k ? { ...c, ...change } : c)) }); }

  /** Opens the board with one setting about its present value. */
  open(key = inCages(this.session.document.sway) ? 'cages.hz' : 'hold'): void {
    const p = WEDGE_SETTINGS[key], now = valueOf(this.session.document, key), wide = p.min > 0 ? [now / 3, now * 3] : [Math.max(p.min, now - 0.25 * (p.max - p.min)), Math.min(p.max, now + 0.25 * (p.max - p.min))];
    // a board of settings that no longer count is not kept
    const keys = wedgeKeys(this.session.document), open = useEditor.getState().wedge;
    if (!open || open.axes.some((x) => !keys.includes(x.key))) useEditor.setState({ wedge: { axes: [{ key, from: Math.max(p.min, Number(wide[0].toPrecision(3))), to: Math.min(p.max, Number(wide[1].toPrecision(3))), count: 4 }], cells: [], measure: 'depth', running: false } });
    useEditor.setState({ board: 'wedge', stage: 'sway', playing: false });
  }
  cancel(): void { this.stop?.abort(); this.stop = null; this.set({ running: false }); }
  /** Takes the board's takes away; those that were finished stay among the takes. */
  clear(): void { this.cancel(); this.results = []; useEditor.setState({ wedge: null, board: 'none' }); }
  setAxes(axes: WedgeAxis[]): void { this.cancel(); this.results = []; this.set({ axes, cells: [] }); }
  /** Values of the rows and columns. */
  grid(axes: readonly WedgeAxis[]): number[][] { return axes.map(spreadOf); }

  async run(): Promise<void> {
    const { wedge } = useEditor.getState(), { session } = this, base = session.document;
    if (!wedge || wedge.running || !base.guides) return;
    const [across, down = [null]] = this.grid(wedge.axes) as [number[], (number | null)[]?], combos = (down).flatMap((b) => across.map((a) => (b === null ? [a] : [a, b])));
    if (combos.length > MOST_CELLS) { session.onTrouble?.(`That would be ${combos.length} takes; ${MOST_CELLS} at most at once. Take fewer values.`); return; }
    this.stop?.abort();
    const stop = (this.stop = new AbortController()), label = (values: number[]): string => values.map((v, i) => `${WEDGE_SETTINGS[wedge.axes[i].key].label} ${v}`).join(', ');
    this.results = combos.map(() => null);
    this.set({ running: true, cells: combos.map((values) => ({ values, label: label(values), state: 'waits', progress: 0, proof: null, key: '', message: '' })) });
    await Promise.all(combos.map(async (values, k) => {
      const document = produce(base, (d) => { values.forEach((v, i) => { setValue(d, wedge.axes[i].key, v); }); });
      try {
        const take = await backgroundTake(session, document, { signal: stop.signal, onStart: () => this.setCell(k, { state: 'running' }), onProgress: (progress) => this.setCell(k, { progress }) });
        if (this.stop !== stop) return;
        this.results[k] = take;
        this.setCell(k, { state: 'done', progress: 1, proof: take.proof, key: take.key });
        await keepBackground(session, take, label(values));
      } catch (cause) {
        if (this.stop !== stop) return;
        this.setCell(k, cause instanceof Cancelled ? { state: 'waits', progress: 0 } : { state: 'failed', message: cause instanceof Error ? cause.message : String(cause) });
      }
    }));
    if (this.stop === stop) { this.stop = null; this.set({ running: false }); }
  }
  /** Points of a cell in a frame. */
  frame(k: number, frame: number): PackedFrames | undefined { return this.results[k]?.frames.get(frame); }
  /** Takes a cell's settings over as one step; its frames are the run's. */
  pick(k: number): void {
    const result = this.results[k], { wedge } = useEditor.getState(), { session } = this;
    if (!result || !wedge) return;
    this.cancel();
    useEditor.getState().edit(`Wedge: ${wedge.cells[k].label}`, (d) => {
      wedge.axes.forEach(({ key }, i) => { setValue(d, key, wedge.cells[k].values[i]); });
    });
    useEditor.setState({ board: 'none' });
    if (session.key === result.key) session.runs.adopt(result.key, result.proof, framesOf(result.frames));
    else session.onTold?.('Something else has changed since these takes were made: run again to see the settings move.');
  }
}
