/** How far each stage is: open, done, out of date, or in trouble. */
import { ofChains } from '../../core/chain/character-of';
import { plantKey, motionKey, SOLVER_VERSION, type Limits, type Proof } from '../../core/document/proof';
import { staleBecause } from '../../core/document/take';
import { judge, passes } from '../../core/proof/judge';
import { type EditorState, type Stage } from './store';

export type StageStatus = 'open' | 'done' | 'stale' | 'trouble';
export const STAGE_NAMES: Record<Stage, string> = { cast: 'Cast', plant: 'Plant', comb: 'Comb', fill: 'Fill', sway: 'Sway', proof: 'Proof', bake: 'Bake' };
export const STATUS_WORDS: Record<StageStatus, string> = { open: 'open', done: 'done', stale: 'out of date', trouble: 'has trouble' };

/** Whether a proof has a figure beyond its limit. */
export const inTrouble = (proof: Proof, limits: Limits): boolean => !passes(proof, limits);
/** How many have. */
export const troubles = (proof: Proof, limits: Limits): number => judge(proof, limits).filter((v) => !v.passes).length;

export function stageStatus(stage: Stage, state: Pick<EditorState, 'history' | 'groom' | 'run' | 'bakes' | 'limits'>): StageStatus {
  const document = state.history?.document;
  if (!document || !state.groom) return 'open';
  const key = motionKey(document, state.groom.character.packed), { guides } = document;
  switch (stage) {
    case 'cast': return 'done';
    case 'plant': return !guides ? 'open' : guides.plantKey === plantKey(document) ? 'done' : 'stale';
    case 'comb': return guides?.combed ? 'done' : 'open';
    case 'fill': return guides && !ofChains(document) ? 'done' : 'open';
    case 'sway': return state.run.state !== 'done' ? 'open' : state.run.key === key ? 'done' : 'stale';
    case 'proof': return state.run.state !== 'done' || !state.run.proof ? 'open' : state.run.key !== key ? 'stale' : inTrouble(state.run.proof, state.limits) ? 'trouble' : 'done';
    case 'bake': {
      const newest = state.bakes[0];
      if (!newest) return 'open';
      if (newest.state === 'failed') return 'trouble';
      const done = state.bakes.find((b) => b.state === 'done' && b.settings.shotName === document.shotName), { id } = state.groom.character;
      return !done ? 'open' : staleBecause(done.settings, document, { character: id, solver: SOLVER_VERSION }, { character: done.assetId, solver: done.solver }).length === 0 ? 'done' : 'stale';
    }
  }
}
