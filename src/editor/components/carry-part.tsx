'use client';
/** Takes the groom over to a newer file of its character, or to another one, and tells what moved how far. */
import { useEffect, useState } from 'react';
import { getOverview } from '../state/api';
import { carryGroom, type Carried } from '../state/carry-groom';
import { useEditor } from '../state/store';
import { Button, helpProps, Note, OneOf, Question } from './controls';
import { useWorkshop } from './context';

export function CarryPart() {
  const { session } = useWorkshop(), guides = useEditor((s) => !!s.history?.document.guides), own = session.groom.character.id;
  const [others, setOthers] = useState<{ id: string; name: string; fileName: string; version: number }[]>([]), [to, setTo] = useState(''), [busy, setBusy] = useState(false), [done, setDone] = useState<Carried | null>(null), [error, setError] = useState<string | null>(null);
  useEffect(() => { getOverview().then((o) => setOthers(o.productions.flatMap((p) => p.assets).filter((a) => a.id !== own)), () => undefined); }, [own]);
  const carry = async (): Promise<void> => {
    setBusy(true);
    setError(null);
    setDone(null);
    try { setDone(await carryGroom(session, to)); }
    catch (e) { setError(e instanceof Error ? e.message : String(e)); }
    setBusy(false);
  };
  if (others.length === 0) return null;
  const mm = (v: number): string => `${(1000 * v).toFixed(v < 0.001 ? 2 : 1)} mm`;
  return (
    <Question title="A newer file, another character?">
      <OneOf label="To" testId="carry-to" value={to} onChange={setTo} options={[{ value: '', label: 'choose one …', help: 'A newer file is brought in on the first page, beside the old one.' }, ...[...others].reverse().map((a) => ({ value: a.id, label: a.version > 1 ? `${a.name}, version ${a.version}` : a.name, aside: a.fileName, help: 'The groom is carried over to it; this one stays as it is.' }))]} />
      <div className="mt-1"><Button data-testid="carry" disabled={to === '' || busy || !guides} onClick={() => void carry()} {...helpProps('Makes a groom on the other character: roots by the same triangles, or by the nearest skin in the rest pose.')}>{busy ? 'Carrying it over …' : 'Carry this groom over'}</Button></div>
      {!guides && <Note>There are no guides to carry over yet.</Note>}
      {error && <p role="alert" className="mt-1 text-[12px] text-trouble">{error}</p>}
      {done && (
        <p data-testid="carried" className="mt-1.5 text-[12px] leading-snug text-soft">
          {done.same ? `The mesh “${done.mesh}” has the same triangles` : `The mesh “${done.mesh}” has other triangles: roots went to the nearest skin`}. {done.report.moved === 0 ? 'No root moved.' : <>{done.report.moved.toLocaleString('en')} of {done.report.roots.toLocaleString('en')} roots moved, by <span className="num">{mm(done.report.mean)}</span> on average and <span className="num">{mm(done.report.farthest)}</span> at most{done.report.far > 0 ? `; ${done.report.far.toLocaleString('en')} by more than 5 mm` : ''}.</>}{done.clipLost ? ` Its clip “${done.clipLost}” is not there; the first one is chosen.` : ''} <a className="text-copper underline" href={`/groom/${done.groomId}`}>Open it</a>
        </p>
      )}
    </Question>
  );
}
