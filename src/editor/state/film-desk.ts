/** Movies that are drawn in a page of their own, in a frame nobody sees, while the workshop is worked in. */
import type { MovieMade, MovieWish } from '../view/movie';
import type { CameraPlace } from '../view/viewport';
import { saveFile } from './save-file';
import type { Session } from './session';
import { useEditor, type EditorState } from './store';

/** What a movie is of: a bake, a take, or the combed shape. */
export type FilmOf = { kind: 'bake' | 'take'; id: string } | { kind: 'combed' };
export interface FilmOrder { of: FilmOf; camera: CameraPlace; show: EditorState['show']; light: EditorState['light']; wish: MovieWish; name: string }
export type FilmReply = { kind: 'ready' } | { kind: 'drawn'; share: number; frame: number } | ({ kind: 'made' } & MovieMade) | { kind: 'failed'; message: string };

export class FilmDesk {
  private stopped: (() => void) | null = null;
  constructor(private readonly session: Session) {}
  stop(): void { this.stopped?.(); }

  /** Draws a movie of the groom as it is now and saves it; what was saved in words, '' where it was stopped. */
  async draw(order: FilmOrder): Promise<string> {
    if (this.stopped) throw new Error('A movie is being drawn already.');
    const frame = document.createElement('iframe');
    Object.assign(frame, { inert: true, tabIndex: -1, title: 'Draws a movie' });
    frame.style.cssText = 'position:fixed;left:0;bottom:0;width:8px;height:8px;border:0;opacity:0;pointer-events:none';
    let onMessage: (e: MessageEvent<FilmReply>) => void = () => undefined;
    useEditor.setState({ movie: { share: 0, frame: order.wish.from } });
    try {
      const made = await new Promise<MovieMade | null>((resolve, reject) => {
        this.stopped = () => resolve(null);
        onMessage = ({ source, origin, data }) => {
          if (source !== frame.contentWindow || origin !== window.location.origin) return;
          if (data.kind === 'ready') frame.contentWindow!.postMessage(order, window.location.origin);
          else if (data.kind === 'drawn') useEditor.setState({ movie: { share: data.share, frame: data.frame } });
          else if (data.kind === 'made') resolve(data);
          else reject(new Error(data.message));
        };
        window.addEventListener('message', onMessage);
        // what is drawn is what is kept
        this.session.saveNow().then((saved) => {
          if (!saved) { reject(new Error('The groom could not be saved, so no movie was drawn of it.')); return; }
          frame.src = `/film/${this.session.groom.id}`;
          document.body.append(frame);
        }, reject);
      });
      if (!made) return '';
      saveFile(made.bytes, made.file, made.type);
      return made.words;
    } finally {
      window.removeEventListener('message', onMessage);
      frame.remove();
      this.stopped = null;
      useEditor.setState({ movie: null });
    }
  }
}
