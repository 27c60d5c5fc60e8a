/** All shots of a groom: what each one's newest take says, and running those that are out of date; and those of the character's other grooms. */
import { mapIds } from '../../core/bake/open-scene';
import { motionKey } from '../../core/document/proof';
import { shotNames, withShot } from '../../core/document/shots';
import type { GroomDocument } from '../../core/document/schema';
import { doAside } from './aside';
import { getGroom, getOverview, listTakes, listVersions, type Take } from './api';
import { backgroundTake, keepBackground } from './background-take';
import type { Session } from './session';
import { useEditor, type ShotJob } from './store';
import { Cancelled } from './trial-desk';

export interface ShotRow { name: string; take: Take | null; /** Whether that take is of what is set now. */ fresh: boolean }

/** What the job of another groom's shot is called in the store; of this one's it is the shot's name. */
export const jobKey = (groom: string, shot: string): string => `${groom}/${shot}`;
/** Another groom of the character, as it is stored. */
export interface OtherGroom { id: string; name: string; rows: ShotRow[] }

/** Newest take of each shot: of what is set now, or else the last there was. */
const rowsOf = (document: GroomDocument, packed: string, takes: readonly Take[]): ShotRow[] => shotNames(document).map((name) => {
  const key = motionKey(withShot(document, name), packed), now = takes.find((t) => t.motionKey === key);
  return { name, take: now ?? takes.find((t) => t.shotName === name) ?? null, fresh: now !== undefined };
});

export class ShotDesk {
  private stop: AbortController | null = null;
  constructor(private readonly session: Session) {}
  rows(): ShotRow[] { const { document, groom } = this.session; return rowsOf(document, groom.character.packed, useEditor.getState().takes); }
  /** Those of all other grooms on any version of this character. */
  async others(): Promise<OtherGroom[]> {
    const { groom } = this.session, [all, versions] = await Promise.all([getOverview(), listVersions(groom.character.id)]), mine = new Set(versions.map((v) => v.id));
    const grooms = all.productions.flatMap((p) => p.assets).filter((a) => mine.has(a.id)).flatMap((a) => a.grooms).filter((g) => g.id !== groom.id && g.shot !== null);
    return Promise.all(grooms.map(async ({ id, name }) => { const [{ document, character }, takes] = await Promise.all([getGroom(id), listTakes(id)]); return { id, name, rows: rowsOf(document, character.packed, takes) }; }));
  }
  private set(name: string, job: ShotJob | null): void { const { [name]: _, ...others } = useEditor.getState().shotJobs; useEditor.setState({ shotJobs: job ? { ...others, [name]: job } : others }); }
  cancel(): void { this.stop?.abort(); this.stop = null; for (const going of this.beside.values()) going.abort(); }
  /** Other grooms that are run, each in a page of its own. */
  private readonly beside = new Map<string, AbortController>();
  /** Runs shots of another groom beside the work. */
  async runOther(id: string, names: string[]): Promise<void> {
    if (this.beside.has(id)) throw new Error('This groom is being run already.');
    const going = new AbortController(), all = (jobs: (name: string) => ShotJob | null): void => { for (const name of names) this.set(jobKey(id, name), jobs(name)); };
    this.beside.set(id, going);
    all(() => ({ state: 'waits', progress: 0, message: '' }));
    try {
      await doAside(id, { kind: 'shots', names }, (news) => { if (news.kind === 'jobs') all((name) => news.jobs[name] ?? null); }, going.signal);
      for (const name of names) if (useEditor.getState().shotJobs[jobKey(id, name)]?.state !== 'failed') this.set(jobKey(id, name), null);
    } catch (cause) {
      all(() => ({ state: 'failed', progress: 0, message: cause instanceof Error ? cause.message : String(cause) }));
    } finally { this.beside.delete(id); }
  }
  /** Runs shots in the background: those named, or all that are out of date. */
  async run(names = this.rows().filter((r) => !r.fresh).map((r) => r.name)): Promise<void> {
    const { session } = this, { document } = session;
    this.stop ??= new AbortController();
    const { signal } = this.stop;
    await Promise.all(names.map(async (name) => {
      this.set(name, { state: 'waits', progress: 0, message: '' });
      try {
        const of = withShot(document, name);
        await Promise.all(mapIds(of.sway).map(([, id]) => session.need(id)));
        const take = await backgroundTake(session, of, { signal, onStart: () => this.set(name, { state: 'running', progress: 0, message: '' }), onProgress: (progress) => this.set(name, { state: 'running', progress, message: '' }) });
        await keepBackground(session, take);
        this.set(name, null);
      } catch (cause) { this.set(name, cause instanceof Cancelled ? null : { state: 'failed', progress: 0, message: cause instanceof Error ? cause.message : String(cause) }); }
    }));
    this.stop = null;
    session.takes.showNewest();
  }
}
