/** All shots of a groom: what each one's newest take says, and running those that are out of date. */
import { motionKey } from '../../core/document/proof';
import { shotNames, withShot } from '../../core/document/shots';
import type { Take } from './api';
import { backgroundTake, keepBackground } from './background-take';
import type { Session } from './session';
import { useEditor, type ShotJob } from './store';
import { Cancelled } from './trial-desk';

export interface ShotRow { name: string; take: Take | null; /** Whether that take is of what is set now. */ fresh: boolean }

export class ShotDesk {
  private stop: AbortController | null = null;
  constructor(private readonly session: Session) {}
  /** Newest take of each shot: of what is set now, or else the last there was. */
  rows(): ShotRow[] {
    const { takes } = useEditor.getState(), { document, groom } = this.session;
    return shotNames(document).map((name) => {
      const key = motionKey(withShot(document, name), groom.character.packed), now = takes.find((t) => t.motionKey === key);
      return { name, take: now ?? takes.find((t) => t.shotName === name) ?? null, fresh: now !== undefined };
    });
  }
  private set(name: string, job: ShotJob | null): void { const { [name]: _, ...others } = useEditor.getState().shotJobs; useEditor.setState({ shotJobs: job ? { ...others, [name]: job } : others }); }
  cancel(): void { this.stop?.abort(); this.stop = null; }
  /** Runs shots in the background: those named, or all that are out of date. */
  async run(names = this.rows().filter((r) => !r.fresh).map((r) => r.name)): Promise<void> {
    const { session } = this, { document } = session;
    this.stop ??= new AbortController();
    const { signal } = this.stop;
    await Promise.all(names.map(async (name) => {
      this.set(name, { state: 'waits', progress: 0, message: '' });
      try {
        const of = withShot(document, name);
        await Promise.all(Object.values(of.sway.maps).map((id) => (id ? session.need(id) : null)));
        const take = await backgroundTake(session, of, { signal, onStart: () => this.set(name, { state: 'running', progress: 0, message: '' }), onProgress: (progress) => this.set(name, { state: 'running', progress, message: '' }) });
        await keepBackground(session, take);
        this.set(name, null);
      } catch (cause) { this.set(name, cause instanceof Cancelled ? null : { state: 'failed', progress: 0, message: cause instanceof Error ? cause.message : String(cause) }); }
    }));
    this.stop = null;
    session.takes.showNewest();
  }
}
