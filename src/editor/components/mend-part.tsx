'use client';
/** What troubles the take, and changes that may cure it, tried before they are taken. */
import { Check, FlaskConical, X } from 'lucide-react';
import { toast } from 'sonner';
import { MEASURES } from '../../core/document/proof';
import { hardlyShows, measureWords, TROUBLE_NAMES, TROUBLES, wordsOf, type TroubleName } from '../../core/proof/remedies';
import { useEditor, type TriedOffer } from '../state/store';
import { Button, helpProps, Note, OneOf, Question } from './controls';
import { useWorkshop } from './context';

const VERDICTS = { cures: 'cures it', helps: 'helps', 'no help': 'does not help', worse: 'makes it worse', 'at a price': 'helps, at a price' } as const;

export function MendPart() {
  const { session } = useWorkshop(), mend = useEditor((s) => s.mend);
  useEditor((s) => s.run); useEditor((s) => s.shownTake); useEditor((s) => s.limits);
  const found = session.mend.found(), others = TROUBLE_NAMES.filter((n) => !found.some((f) => f.name === n));
  if (mend) return <Tried />;
  return (
    <Question title="What is wrong?">
      {found.length === 0 && <p className="text-faint">Nothing that the measures show. If something looks wrong, say what:</p>}
      <ul className="flex flex-col gap-0.5">
        {found.map(({ name, because }) => (
          <li key={name}><button type="button" data-testid={`trouble-${name}`} onClick={() => session.mend.choose(name, because)} {...helpProps(TROUBLES[name].help)} className="flex w-full flex-col rounded px-1.5 py-1 text-left hover:bg-raised"><span className="flex w-full items-center"><b className="font-semibold">{TROUBLES[name].title}</b><span className="ml-auto text-copper">mend …</span></span><span className="text-[12px] text-faint">{because}</span></button></li>
        ))}
      </ul>
      <OneOf label="Or" testId="trouble-other" value={'' as TroubleName | ''} onChange={(v) => { if (v) session.mend.choose(v, ''); }} options={[{ value: '' as const, label: 'choose a complaint', help: 'Troubles that only an eye can see, or that the measures let pass.' }, ...others.map((value) => ({ value, label: TROUBLES[value].title, help: TROUBLES[value].help }))]} />
    </Question>
  );
}

function Tried() {
  const { session } = useWorkshop(), mend = useEditor((s) => s.mend)!, { label } = measureWords(mend.measure), done = mend.offers.some((o) => o.state === 'done');
  const best = mend.offers.map((o, k) => ({ k, gain: o.result && o.result.broke.length === 0 ? o.result.gain : -1 })).sort((a, b) => b.gain - a.gain)[0];
  return (
    <Question title={TROUBLES[mend.trouble].title} aside={<button type="button" aria-label="Close" title="Close" data-testid="mend-close" className="rounded p-1 text-faint hover:text-text" onClick={() => session.mend.close()}><X size={14} /></button>}>
      <p className="text-[12px] text-faint">{mend.because || TROUBLES[mend.trouble].help} Judged by <b className="font-medium text-soft">{label.toLowerCase()}</b>, frames to {mend.end}.</p>
      {mend.offers.length === 0 && <p className="mt-1 text-soft">There is nothing left that could be changed against this. It is already set as far as it goes.</p>}
      {mend.offers.length > 0 && <div className="mt-1.5 flex gap-2">
        {mend.running ? <Button data-testid="mend-stop" onClick={() => session.mend.cancel()}>Stop</Button> : <Button primary data-testid="mend-try" onClick={() => { session.mend.try().catch((e: unknown) => toast.error(String(e))); }}><FlaskConical size={14} />{done ? 'Try again' : 'Try them all'}</Button>}
        {mend.before !== null && <span className="ml-auto self-center text-soft">now <span className="num text-text">{wordsOf(mend.measure, mend.before)}</span></span>}
      </div>}
      {mend.before !== null && hardlyShows(mend.measure, mend.before, useEditor.getState().limits) && <Note>This take hardly shows the trouble: its {label.toLowerCase()} is far within the limit. What you see may be another one.</Note>}
      <ul className="mt-1.5 flex flex-col gap-1">{mend.offers.map((o, k) => <OfferRow key={k} offer={o} k={k} best={done && !mend.running && best.k === k && best.gain >= 0.1} />)}</ul>
      {done && !mend.running && best.gain < 0.1 && <Note>None of these helps. Undo nothing: nothing has been changed. Look at the strand itself, or at how it is combed.</Note>}
      <Note>Trials run in the background; nothing is changed until you take one.</Note>
    </Question>
  );
}
function OfferRow({ offer, k, best }: { offer: TriedOffer; k: number; best: boolean }) {
  const { session } = useWorkshop(), mend = useEditor((s) => s.mend)!, { result } = offer, good = result && (result.verdict === 'cures' || result.verdict === 'helps');
  return (
    <li data-testid="offer" data-verdict={result?.verdict ?? offer.state} className={`rounded border px-2 py-1.5 ${best ? 'border-copper' : 'border-edge'}`}>
      <div className="flex items-center gap-2"><span className="min-w-0 flex-1">{offer.label}</span>
        {offer.state === 'waits' && !mend.running && <button type="button" className="rounded px-1.5 text-copper hover:bg-lifted" onClick={() => { session.mend.try(k).catch((e: unknown) => toast.error(String(e))); }}>try</button>}
        <button type="button" data-testid="offer-take" disabled={offer.state === 'running'} className="flex items-center gap-1 rounded px-1.5 text-copper hover:bg-lifted disabled:opacity-40" title="Take this change, as one step that can be undone" onClick={() => session.mend.apply(k)}><Check size={12} />take</button>
      </div>
      {offer.state === 'running' && <div className="mt-1 h-1 rounded bg-edge"><div className="h-full rounded bg-copper" style={{ width: `${offer.progress * 100}%` }} /></div>}
      {offer.state === 'failed' && <p className="text-[12px] text-trouble">{offer.message}</p>}
      {result && (
        <>
          <p className="flex items-center gap-1 text-[12px]"><span className={good ? 'text-good' : result.verdict === 'no help' ? 'text-faint' : 'text-trouble'}>{good ? '● ' : '▲ '}{VERDICTS[result.verdict]}</span><span className="num ml-auto text-soft">{wordsOf(mend.measure, result.before)} → {wordsOf(mend.measure, result.after)}</span></p>
          {result.broke.length > 0 && <p className="text-[12px] text-trouble">beyond its limit now: {result.broke.map((m) => MEASURES[m].label.toLowerCase()).join(', ')}</p>}
          {mend.picture && offer.picture && <details open={best}><summary className="cursor-pointer text-[12px] text-faint">pictures</summary><div className="mt-1 grid grid-cols-2 gap-1"><figure><img alt="Before" src={mend.picture} className="w-full rounded-sm" draggable={false} /><figcaption className="text-[11px] text-faint">before</figcaption></figure><figure><img alt="After" src={offer.picture} className="w-full rounded-sm" draggable={false} /><figcaption className="text-[11px] text-faint">after</figcaption></figure></div></details>}
        </>
      )}
    </li>
  );
}
