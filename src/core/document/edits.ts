/**
 * Edits: the only way to change a document. Each has a name a person reads, and its exact reverse.
 */
import { enablePatches, applyPatches, produceWithPatches, type Draft, type Patch } from 'immer';
import type { GroomDocument } from './schema';

enablePatches();

export interface Edit {
  name: string;
  forward: Patch[];
  backward: Patch[];
  /** Edits of the same kind in a row become one step (a number being dragged). */
  mergeKey?: string;
}

export interface History {
  document: GroomDocument;
  done: Edit[];
  undone: Edit[];
}

export const startHistory = (document: GroomDocument): History => ({ document, done: [], undone: [] });

/** Applies a change; returns the same history where nothing changed. */
export function edit(history: History, name: string, change: (draft: Draft<GroomDocument>) => void, mergeKey?: string): History {
  const [document, forward, backward] = produceWithPatches(history.document, (draft) => { change(draft); });
  if (forward.length === 0) return history;
  const last = history.done.at(-1);
  const merged = mergeKey !== undefined && last?.mergeKey === mergeKey && history.undone.length === 0
    ? { ...last, forward: [...last.forward, ...forward], backward: [...backward, ...last.backward] }
    : null;
  const done = merged ? [...history.done.slice(0, -1), merged] : [...history.done, { name, forward, backward, mergeKey }];
  return { document, done, undone: [] };
}

/** Ends a run of merged edits: the next one is a step of its own. */
export function closeStep(history: History): History {
  const last = history.done.at(-1);
  if (!last?.mergeKey) return history;
  return { ...history, done: [...history.done.slice(0, -1), { ...last, mergeKey: undefined }] };
}

export function undo(history: History): History {
  const last = history.done.at(-1);
  if (!last) return history;
  return { document: applyPatches(history.document, last.backward), done: history.done.slice(0, -1), undone: [...history.undone, { ...last, mergeKey: undefined }] };
}

export function redo(history: History): History {
  const next = history.undone.at(-1);
  if (!next) return history;
  return { document: applyPatches(history.document, next.forward), done: [...history.done, next], undone: history.undone.slice(0, -1) };
}

/** To where so many steps are done, forward or back. */
export function jump(history: History, done: number): History {
  let at = history;
  while (at.done.length > Math.max(0, done)) at = undo(at);
  while (at.done.length < done && at.undone.length > 0) at = redo(at);
  return at;
}

/** Steps that lead from one document to the next, the oldest first, as a history that stands at the last; states that were gone back to end what came after. */
export function historyOf(states: readonly { document: GroomDocument; name: string }[]): History {
  let history = startHistory(states[0].document);
  const seen = [JSON.stringify(states[0].document)];
  for (const { document, name } of states.slice(1)) {
    const text = JSON.stringify(document), was = seen.indexOf(text);
    if (was >= 0) { while (history.done.length > was) history = { ...undo(history), undone: [] }; seen.length = was + 1; continue; }
    const next = edit(history, name, (draft) => {
      const d = draft as unknown as Record<string, unknown>, to = document as unknown as Record<string, unknown>;
      for (const key of new Set([...Object.keys(d), ...Object.keys(to)])) if (JSON.stringify(d[key]) !== JSON.stringify(to[key])) { if (to[key] === undefined) delete d[key]; else d[key] = to[key]; }
    });
    if (next === history) continue;
    history = next;
    seen.push(text);
  }
  return history;
}
