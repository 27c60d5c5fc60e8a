/** Work that a groom does in a page of its own (components/aside.tsx), in a frame nobody sees: movies of this one, runs of others. */
import type { MovieMade, MovieWish } from '../view/movie';
import type { CameraPlace } from '../view/viewport';
import type { EditorState, ShotJob } from './store';

/** What a movie is of: a bake, a take, or the combed shape. */
export type MovieOf = { kind: 'bake' | 'take'; id: string } | { kind: 'combed' };
export interface MovieOrder { of: MovieOf; camera: CameraPlace; show: EditorState['show']; light: EditorState['light']; wish: MovieWish; name: string }
export type AsideOrder = ({ kind: 'movie' } & MovieOrder) | { kind: 'shots'; names: string[] };
export type AsideNews = { kind: 'drawn'; share: number; frame: number } | { kind: 'jobs'; jobs: Record<string, ShotJob> };
export type AsideEnd = { kind: 'ended' } | ({ kind: 'made' } & MovieMade);
export type AsideReply = { kind: 'ready' } | { kind: 'failed'; message: string } | AsideNews | AsideEnd;

/** Has a groom do something; how it ended, or null where `signal` stopped it. */
export async function doAside(groomId: string, order: AsideOrder, onNews: (news: AsideNews) => void, signal: AbortSignal): Promise<AsideEnd | null> {
  if (signal.aborted) return null;
  const frame = document.createElement('iframe');
  Object.assign(frame, { inert: true, tabIndex: -1, title: 'Works beside you' });
  frame.style.cssText = 'position:fixed;left:0;bottom:0;width:8px;height:8px;border:0;opacity:0;pointer-events:none';
  let onMessage: (e: MessageEvent<AsideReply>) => void = () => undefined;
  try {
    return await new Promise<AsideEnd | null>((resolve, reject) => {
      signal.addEventListener('abort', () => resolve(null), { once: true });
      onMessage = ({ source, origin, data }) => {
        if (source !== frame.contentWindow || origin !== window.location.origin) return;
        if (data.kind === 'ready') frame.contentWindow!.postMessage(order, window.location.origin);
        else if (data.kind === 'failed') reject(new Error(data.message));
        else if (data.kind === 'ended' || data.kind === 'made') resolve(data);
        else onNews(data);
      };
      window.addEventListener('message', onMessage);
      frame.src = `/aside/${groomId}`;
      document.body.append(frame);
    });
  } finally {
    window.removeEventListener('message', onMessage);
    frame.remove();
  }
}
