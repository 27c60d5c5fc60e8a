'use client';
/** A moving picture of the bake, or of the take that is shown. */
import { Film } from 'lucide-react';
import { parameter } from '../../core/document/schema';
import { useEditor } from '../state/store';
import { Button, Choice, Fold, Note, NumberField, OneOf, Toggle } from './controls';
import { trying } from './trying';
import { useWorkshop } from './context';
import { toast } from 'sonner';

const HEIGHT = parameter('Height', 'px', 180, 2160, 2, 720, 'Height of the picture; its width follows the view.', true), STRANDS = parameter('Strands', '', 100, 250000, 100, 6000, 'Strands it is drawn with.', true), FINE = parameter('Drawn over', 'times', 1, 64, 1, 12, 'How often each frame is drawn over until it is smooth: more takes longer.', true);
const none = (): void => undefined;

export function MoviePart() {
  const { session, viewport } = useWorkshop(), bakeId = useEditor((s) => (s.bakes.some((b) => b.id === s.bakeId && b.state === 'done') ? s.bakeId : null)), all = useEditor((s) => s.takes), shownTake = useEditor((s) => s.shownTake), movie = useEditor((s) => s.movie), shot = useEditor((s) => s.history!.document.shot), name = useEditor((s) => s.history!.document.shotName), preview = useEditor((s) => s.history!.document.fill.preview), view = useEditor((s) => s.viewName);
  const wish = useEditor((s) => s.movieSettings), { as, height, strands, fine, turntable, words, of: wanted } = wish, set = (change: Partial<typeof wish>): void => useEditor.setState({ movieSettings: { ...wish, ...change } });
  const takes = all.filter((t) => t.hasFrames && t.shotName === name), of = wanted !== null && (wanted === '' || wanted === bakeId || takes.some((t) => t.id === wanted)) ? wanted : bakeId ?? takes.find((t) => t.id === shownTake)?.id ?? takes.at(0)?.id ?? '', take = takes.find((t) => t.id === of), bake = of === bakeId ? bakeId : null;
  const save = async (): Promise<void> => {
    const port = viewport.current;
    if (!port) return;
    const width = 2 * Math.round((height * port.aspect) / 2), title = `${session.groom.character.name}, ${session.groom.name}, ${take ? take.name : name}`, { show, light } = useEditor.getState();
    const told = await session.movies.draw({ of: bake ? { kind: 'bake', id: bake } : take ? { kind: 'take', id: take.id } : { kind: 'combed' }, camera: port.cameraPlace, show, light, name: title, wish: { as, from: take?.proof.start ?? shot.start, to: take?.proof.end ?? shot.end, fps: shot.fps, width, height, strands, fine, turntable, words: words ? title : null } });
    if (told) toast.success(told);
  };
  return (
    <Fold id="movie" title="Movie" summary={movie ? `${Math.round(100 * movie.share)} %` : undefined}>
      <OneOf label="Of" testId="movie-of" value={of} onChange={(v) => set({ of: v })} options={[...(bakeId ? [{ value: bakeId, label: 'the bake that is shown', help: 'Frames of the bake, as they are handed over.' }] : []), ...takes.map((t) => ({ value: t.id, label: t.name, aside: 'take', help: 'Frames of a take of this shot.' })), { value: '', label: 'the combed shape', help: 'The hair as it is combed, carried along by the animation.' }]} />
      <div className="mb-1 flex gap-1"><Choice label="As" value={as} options={[{ value: 'webm', label: 'WebM' }, { value: 'png', label: 'PNG frames', help: 'Numbered pictures in a zip.' }]} onChange={(v) => set({ as: v })} /></div>
      <NumberField testId="movie-height" parameter={HEIGHT} value={height} onChange={(v) => set({ height: 2 * Math.round(v / 2) })} onCommit={none} />
      <NumberField testId="movie-strands" parameter={{ ...STRANDS, fallback: preview }} value={strands ?? preview} onChange={(v) => set({ strands: v === preview ? null : v })} onCommit={none} />
      <NumberField testId="movie-fine" parameter={FINE} value={fine} onChange={(v) => set({ fine: v })} onCommit={none} />
      <Toggle label="Turntable" help="Turned round once over the range." checked={turntable} onChange={(v) => set({ turntable: v })} />
      <Toggle label="Frame and name burnt in" help="At the foot of every frame." checked={words} onChange={(v) => set({ words: v })} />
      {movie ? <div className="mt-1 flex items-center gap-2"><Button onClick={() => session.movies.stop()}>Stop</Button><progress aria-label="Drawing the movie" value={movie.share} max={1} className="h-1.5 flex-1 accent-copper" /><span className="num text-faint">{movie.frame}</span></div>
        : <div className="mt-1"><Button data-testid="save-movie" onClick={() => trying(save())}><Film size={13} />Save the movie</Button></div>}
      <Note>{movie ? 'It is drawn beside your work: go on as you like. It ends with this page.' : <>As the view looks at it{view ? '' : ' now'}: turn it before you begin. It is drawn beside your work.</>}</Note>
    </Fold>
  );
}
