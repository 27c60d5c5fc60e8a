/** Movies of the groom that is open, drawn beside the work. */
import { doAside, type MovieOrder } from './aside';
import { saveFile } from './save-file';
import type { Session } from './session';
import { useEditor } from './store';

export class MovieDesk {
  private going: AbortController | null = null;
  constructor(private readonly session: Session) {}
  stop(): void { this.going?.abort(); }

  /** Draws a movie of the groom as it is now and saves it; what was saved in words, '' where it was stopped. */
  async draw(order: MovieOrder): Promise<string> {
    if (this.going) throw new Error('A movie is being drawn already.');
    const going = (this.going = new AbortController());
    useEditor.setState({ movie: { share: 0, frame: order.wish.from } });
    try {
      // what is drawn is what is kept
      if (!(await this.session.saveNow())) throw new Error('The groom could not be saved, so no movie was drawn of it.');
      const made = await doAside(this.session.groom.id, { kind: 'movie', ...order }, (news) => { if (news.kind === 'drawn') useEditor.setState({ movie: { share: news.share, frame: news.frame } }); }, going.signal);
      if (made?.kind !== 'made') return '';
      saveFile(made.bytes, made.file, made.type);
      return made.words;
    } finally {
      this.going = null;
      useEditor.setState({ movie: null });
    }
  }
}
