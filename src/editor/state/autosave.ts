/** Saves every change as it is made: buffers first, then the document on top of the version it was based on. */
import { historyOf, undo, type Edit, type History } from '../../core/document/edits';
import { buffersOf, type GroomDocument } from '../../core/document/schema';
import { ApiError, groomSteps, putBuffer, saveGroom, type SavedStep } from './api';
import type { Session } from './session';
import { useEditor } from './store';

const QUIET_MS = 350;
const RETRY_MS = 3000;
/** Steps since the last save that are stored one by one; of more only the last. */
const MOST_BETWEEN = 60;

function undoAll(history: History): History {
  let at = history;
  while (at.done.length > 0) at = undo(at);
  return at;
}

export function startAutosave(session: Session): () => void {
  const { groom } = useEditor.getState();
  if (!groom) return () => undefined;
  let stored: GroomDocument = groom.document, version = groom.version, busy = false, timer: ReturnType<typeof setTimeout> | undefined, ended = false;
  const { onServer } = session.buffers;
  for (const id of buffersOf(stored)) onServer.add(id);
  let storedSteps: readonly Edit[] = [];
  /** States between what is stored and what is now, where one has led to the other step by step. */
  const between = (history: History): SavedStep[] => {
    let same = 0;
    while (same < storedSteps.length && storedSteps[same] === history.done[same]) same++;
    if (same < storedSteps.length || history.done.length - same > MOST_BETWEEN) return [];
    const out: SavedStep[] = [];
    for (let at = undo(history); at.done.length > same; at = undo(at)) out.unshift({ label: at.done.at(-1)!.name, document: at.document });
    return out;
  };

  const save = async (): Promise<void> => {
    const { history, save: state } = useEditor.getState();
    if (busy || !history || state === 'behind' || history.document === stored) return;
    busy = true;
    const { document } = history, steps = between(history);
    useEditor.setState({ save: 'saving' });
    try {
      for (const id of new Set([...steps, { document }].flatMap((s) => buffersOf(s.document)))) {
        const bytes = session.buffers.get(id);
        if (onServer.has(id) || !bytes) continue;
        await putBuffer(id, bytes);
        onServer.add(id);
      }
      version = await saveGroom(groom.id, version, document, history.done.at(-1)?.name ?? 'Undo', steps);
      stored = document;
      storedSteps = history.done;
      useEditor.setState({ save: useEditor.getState().history?.document === document ? 'saved' : 'unsaved', saveMessage: '' });
    } catch (cause) {
      const error = cause instanceof ApiError ? cause : new ApiError(0, 'offline', String(cause));
      if (error.code === 'bufferMissing') onServer.clear();
      useEditor.setState({ save: error.code === 'behind' ? 'behind' : 'offline', saveMessage: error.message });
      if (error.code !== 'behind' && !ended) timer = setTimeout(() => void save(), RETRY_MS);
    } finally {
      busy = false;
    }
    if (useEditor.getState().save === 'unsaved') void save();
  };
  // steps of earlier sessions, before those of this one
  void groomSteps(groom.id).then((states) => {
    const { history } = useEditor.getState();
    if (ended || !history || states.length < 2 || useEditor.getState().groom?.id !== groom.id) return;
    const first = history.done.length > 0 ? undoAll(history).document : history.document, at = states.map((s) => JSON.stringify(s.document)).lastIndexOf(JSON.stringify(first));
    if (at < 1) return;
    const before = historyOf(states.slice(0, at + 1).map((s) => ({ document: s.document, name: s.label }))).done;
    storedSteps = [...before, ...storedSteps];
    useEditor.setState({ history: { ...history, done: [...before, ...history.done] } });
  }, () => undefined);
  const unsubscribe = useEditor.subscribe((state, before) => {
    if (state.history === before.history || !state.history || state.history.document === stored) return;
    if (state.save === 'saved') useEditor.setState({ save: 'unsaved' });
    clearTimeout(timer);
    timer = setTimeout(() => void save(), QUIET_MS);
  });
  const warn = (e: BeforeUnloadEvent): void => { if (useEditor.getState().save !== 'saved' || session.combDesk.cage.moved) e.preventDefault(); };
  window.addEventListener('beforeunload', warn);
  session.saveNow = async () => {
    clearTimeout(timer);
    for (let k = 0; k < 100 && useEditor.getState().history?.document !== stored && useEditor.getState().save !== 'behind'; k++) {
      await save();
      if (useEditor.getState().save === 'offline') break;
      if (busy) await new Promise((r) => { setTimeout(r, 50); });
    }
    return useEditor.getState().history?.document === stored;
  };
  return () => { ended = true; clearTimeout(timer); unsubscribe(); window.removeEventListener('beforeunload', warn); };
}
