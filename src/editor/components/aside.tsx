'use client';
/** A page without a screen, which the workshop opens in a frame nobody sees: a groom is opened in it, and does what it is asked, while the workshop is worked in. */
import { useEffect, useRef } from 'react';
import type { AsideOrder, AsideReply, MovieOrder } from '../state/aside';
import { Session } from '../state/session';
import { useEditor } from '../state/store';
import { makeMovie } from '../view/movie';
import { Viewport } from '../view/viewport';

/** ms between strokes of the clock that draws where the browser draws no frames, as behind another tab. */
const UNSEEN_MS = 40;

export function Aside({ groomId }: { groomId: string }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const send = (reply: AsideReply): void => { window.parent.postMessage(reply, window.location.origin); }, failed = (cause: unknown): void => send({ kind: 'failed', message: cause instanceof Error ? cause.message : String(cause) });
    let ended = false, close = (): void => undefined, carryOut: ((order: AsideOrder) => Promise<void>) | null = null;
    const told = useEditor.subscribe((s, before) => {
      if (s.movie && s.movie !== before.movie) send({ kind: 'drawn', ...s.movie });
      if (s.shotJobs !== before.shotJobs) send({ kind: 'jobs', jobs: s.shotJobs });
    });
    const onMessage = (e: MessageEvent<AsideOrder>): void => { if (e.source === window.parent && e.origin === window.location.origin) carryOut?.(e.data).catch(failed); };
    window.addEventListener('message', onMessage);
    Session.open(groomId).then((session) => {
      if (ended || !canvas.current) { session.close(); return; }
      const view = new Viewport(canvas.current, session), clock = setInterval(() => { if (document.hidden) view.stills.draw(); }, UNSEEN_MS);
      close = () => { clearInterval(clock); view.dispose(); session.close(); };
      carryOut = async (order) => {
        if (order.kind === 'shots') {
          let trouble = '';
          session.onTrouble = (message) => { trouble = message; };
          await session.shots.run(order.names);
          if (trouble) throw new Error(trouble);
          send({ kind: 'ended' });
          return;
        }
        await prepare(session, order);
        view.lookFrom(order.camera);
        const made = await makeMovie(view.stills, order.wish, order.name);
        if (made) send({ kind: 'made', ...made });
      };
      send({ kind: 'ready' });
    }).catch(failed);
    return () => { ended = true; window.removeEventListener('message', onMessage); told(); close(); };
  }, [groomId]);
  return <canvas ref={canvas} />;
}

/** Opens what the movie is of, with all its frames. */
async function prepare(session: Session, { of, show, light }: MovieOrder): Promise<void> {
  useEditor.setState({ show, light: { ...light, turning: false }, stage: of.kind === 'take' ? 'proof' : 'bake' });
  if (of.kind === 'take') await session.takes.show(of.id);
  else await session.bakes.show(of.kind === 'bake' ? of.id : null);
  const { bakeDamage } = useEditor.getState();
  if (bakeDamage.length > 0) throw new Error(`Frames ${bakeDamage.map((d) => `${d.from} … ${d.to}`).join(', ')} of this bake cannot be read. Have them baked again, then draw the movie.`);
}
