import type { NamedFile } from '../../formats/file-set';
import type { ImportReply, ImportRequest } from '../../workers/import.worker';

type Outcome = { character: Extract<ImportReply, { kind: 'read' }>; curves: Extract<ImportReply, { kind: 'curves' }> };

/** Reads files off the main thread; rejects with what is wrong with them, in words. */
export function readFiles<K extends ImportRequest['kind']>(kind: K, files: NamedFile[], step?: (text: string) => void, signal?: AbortSignal): Promise<Outcome[K]> {
  const worker = new Worker(new URL('../../workers/import.worker.ts', import.meta.url), { type: 'module' });
  return new Promise<Outcome[K]>((resolve, reject) => {
    signal?.addEventListener('abort', () => { worker.terminate(); reject(new Error('stopped')); });
    worker.onerror = (e) => { worker.terminate(); reject(new Error(`The file could not be read: ${e.message || 'the reader ran out of memory'}.`)); };
    worker.onmessage = ({ data }: MessageEvent<ImportReply>) => {
      if (data.kind === 'step') { step?.(data.text); return; }
      worker.terminate();
      if (data.kind === 'refused') reject(new Error(data.error.message));
      else resolve(data as Outcome[K]);
    };
    worker.postMessage({ kind, files } satisfies ImportRequest);
  });
}
