/** Saves every change as it is made: buffers first, then the document on top of the version it was based on. */
import { buffersOf, type GroomDocument } from '../../core/document/schema';
import { ApiError, putBuffer, saveGroom } from './api';
import type { Session } from './session';
import { useEditor } from './store';

const QUIET_MS = 350;
const RETRY_MS = 3000;

export function startAutosave(session: Session): () => void {
  const { groom } = useEditor.getState();
  if (!groom) return () => undefined;
  let stored: GroomDocument = groom.document, version = groom.version, busy = false, timer: ReturnType<typeof setTimeout> | undefined, ended = false;
  const onServer = new Set(buffersOf(stored));

  const save = async (): Promise<void> => {
    const { history, save: state } = useEditor.getState();
    if (busy || !history || state === 'behind' || history.document === stored) return;
    busy = true;
    const { document } = history;
    useEditor.setState({ save: 'saving' });
    try {
      for (const id of buffersOf(document)) {
        const bytes = session.buffers.get(id);
        if (onServer.has(id) || !bytes) continue;
        await putBuffer(id, bytes);
        onServer.add(id);
      }
      version = await saveGroom(groom.id, version, document, history.done.at(-1)?.name ?? 'Undo');
      stored = document;
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
  const unsubscribe = useEditor.subscribe((state, before) => {
    if (state.history === before.history || !state.history || state.history.document === stored) return;
    if (state.save === 'saved') useEditor.setState({ save: 'unsaved' });
    clearTimeout(timer);
    timer = setTimeout(() => void save(), QUIET_MS);
  });
  const warn = (e: BeforeUnloadEvent): void => { if (useEditor.getState().save !== 'saved') e.preventDefault(); };
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
