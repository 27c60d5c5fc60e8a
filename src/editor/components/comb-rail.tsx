'use client';
/** The seven stages as the teeth of a comb. */
import { STAGE_NAMES, STATUS_WORDS, stageStatus, type StageStatus } from '../state/stages';
import { STAGES, useEditor } from '../state/store';

export function CombRail() {
  const stage = useEditor((s) => s.stage), history = useEditor((s) => s.history), groom = useEditor((s) => s.groom), run = useEditor((s) => s.run), bakes = useEditor((s) => s.bakes), limits = useEditor((s) => s.limits);
  return (
    <nav aria-label="Stages" className="relative bg-panel">
      <div className="absolute inset-x-0 top-0 h-[7px] bg-copperdeep" />
      <div className="absolute inset-x-0 top-[7px] h-[9px] opacity-60" style={{ backgroundImage: 'repeating-linear-gradient(90deg, var(--edge) 0 1px, transparent 1px 6px)' }} />
      <ol className="relative flex justify-between px-5 pt-[7px]">
        {STAGES.map((s, i) => {
          const status = stageStatus(s, { history, groom, run, bakes, limits }), now = s === stage;
          return (
            <li key={s}>
              <button
                type="button" data-testid={`stage-${s}`} data-status={status} aria-current={now ? 'step' : undefined} title={`${STAGE_NAMES[s]}: ${STATUS_WORDS[status]} (key ${i + 1})`} onClick={() => useEditor.setState({ stage: s })}
                className={`relative flex w-[152px] items-center gap-2.5 px-6 text-left ${now ? 'h-[43px] font-semibold text-toothink' : 'h-[35px] text-text hover:brightness-110'}`}
              >
                <svg className="absolute inset-0 h-full w-full" viewBox="0 0 152 40" preserveAspectRatio="none" aria-hidden>
                  <path d="M0 0H152L146 34Q144 40 138 40H14Q8 40 6 34Z" strokeWidth="1" vectorEffect="non-scaling-stroke" strokeDasharray={status === 'stale' && !now ? '5 3' : undefined} className={now ? 'fill-tooth stroke-tooth' : 'fill-raised stroke-edge'} />
                </svg>
                <span className={`num relative ${now ? 'text-copperdeep' : 'text-faint'}`}>{i + 1}</span>
                <span className="relative text-[13.5px]">{STAGE_NAMES[s]}</span>
                <span className="relative ml-auto"><StatusMark status={status} now={now} /></span>
              </button>
            </li>
          );
        })}
      </ol>
    </nav>
  );
}

/** Shape as well as colour: tick, ring, three strokes, triangle. */
export function StatusMark({ status, now }: { status: StageStatus; now?: boolean }) {
  return (
    <svg width="14" height="14" viewBox="0 0 14 14" role="img" aria-label={STATUS_WORDS[status]}>
      {status === 'done' && <path d="M2 7.5l3.2 3.2L12 3.5" fill="none" strokeWidth="2" className={now ? 'stroke-toothink' : 'stroke-good'} />}
      {status === 'open' && <circle cx="7" cy="7" r="3.2" fill="none" strokeWidth="1.4" className="stroke-faint" />}
      {status === 'stale' && <path d="M1.5 11.5l3.5-9M5.5 11.5l3.5-9M9.5 11.5l3.5-9" fill="none" strokeWidth="1.6" className="stroke-copper" />}
      {status === 'trouble' && <path d="M7 1.5l6 11H1z" className="fill-trouble" />}
    </svg>
  );
}
