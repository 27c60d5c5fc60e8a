/** Remedies: troubles a proof shows, changes that may cure them, tried in the background on the frames concerned and held against what was. */
import { produce, type Draft } from 'immer';
import { restoreSettings, type TakeSettings } from '../../core/document/take';
import { figureOf } from '../../core/proof/judge';
import { compare, findTroubles, framesConcerned, offersFor, TRIAL_MEASURES, TROUBLES, type Offer, type Patient, type TrialFigures, type TrialMeasure, type TroubleName } from '../../core/proof/remedies';
import { roleOf, type GroomDocument } from '../../core/document/schema';
import { nodeKey } from '../../core/mesh/character';
import { backgroundTake, framesOf, keepBackground, type BackgroundTake } from './background-take';
import type { Session } from './session';
import { useEditor, type MendState, type TriedOffer } from './store';
import { Cancelled } from './trial-desk';

/** Size of the pictures before and after. */
const WIDE = 252, HIGH = 190;
/** Nodes that may carry a character: the first few from the root of the tree. */
const CARRIERS = 3;

export class MendDesk {
  private offers: Offer[] = [];
  private results: (BackgroundTake | null)[] = [];
  private stop: AbortController | null = null;
  /** The document that is being mended. */
  private of: GroomDocument | null = null;
  private settings: TakeSettings | null = null;
  constructor(private readonly session: Session) {}
  /** What is mended may be an older take: from its settings a change goes on. */
  private begin(d: Draft<GroomDocument>): void { if (this.settings) restoreSettings(d, this.settings); }

  private patient(): Patient | null {
    const { session } = this, shown = session.takes.shownProof();
    if (!shown) return null;
    const { document, character } = session, settings = shown.take?.settings ?? null;
    return {
      document: settings ? { sway: settings.sway, bake: { ...document.bake, preRoll: settings.preRoll }, shot: settings.shot, hidden: settings.hidden } : document, proof: shown.proof,
      garments: character.meshes.filter((m) => ['garment', 'accessory'].includes(roleOf(m, document.sway))).map((m) => m.name),
      spacing: session.guideSpacing(),
      carriers: character.nodes.map((_, i) => i).filter((i) => character.nodes[i].parent < 0 || character.nodes[character.nodes[i].parent].parent < 0).slice(0, CARRIERS).map((i) => nodeKey(character, i)),
    };
  }
  /** What the proof that is shown suffers from. */
  found(): { name: TroubleName; because: string }[] { const p = this.patient(); return p ? findTroubles(p, useEditor.getState().limits) : []; }

  private set(change: Partial<MendState>): void { const { mend } = useEditor.getState(); if (mend) useEditor.setState({ mend: { ...mend, ...change } }); }
  private setOffer(k: number, change: Partial<TriedOffer>): void { const { mend } = useEditor.getState(); if (mend) this.set({ offers: mend.offers.map((o, i) => (i === k ? { ...o, ...change } : o)) }); }

  /** Lists what may help against a trouble of the shown take; `because`: why it is thought of. */
  choose(name: TroubleName, because: string): void {
    this.cancel();
    const p = this.patient(), { session } = this;
    if (!p) return;
    this.offers = offersFor(name, p);
    this.results = this.offers.map(() => null);
    const { take } = session.takes.shownProof()!;
    if (take?.settings && take.settings.shotName !== session.document.shotName) { session.onTold?.(`This take is of the shot “${take.settings.shotName}”: open that shot to mend it.`); return; }
    this.settings = take?.settings ?? null;
    this.of = produce(session.document, (d) => this.begin(d));
    const { end } = framesConcerned(name, p.proof);
    useEditor.setState({ mend: { trouble: name, because, measure: TROUBLES[name].measure, end, before: null, picture: null, running: false, offers: this.offers.map((o) => ({ label: o.label, state: 'waits', progress: 0, result: null, message: '', picture: null, key: '' })) } });
  }
  close(): void { this.cancel(); useEditor.setState({ mend: null }); }
  cancel(): void { this.stop?.abort(); this.stop = null; }

  /** Tries all the offers, or one; what was, first. */
  async try(only?: number): Promise<void> {
    const { mend } = useEditor.getState(), { session, of } = this;
    if (!mend || !of || mend.running) return;
    const stop = (this.stop = new AbortController()), { signal } = stop, name = mend.trouble, range = { start: of.shot.start, end: mend.end }, exact = mend.measure in TRIAL_MEASURES ? [mend.measure as TrialMeasure] : [], { limits } = useEditor.getState();
    this.set({ running: true });
    try {
      const before = await backgroundTake(session, of, { range, exact, signal });
      const was: TrialFigures = { proof: before.proof, more: before.more }, value = exact.length > 0 ? before.more[exact[0]] ?? 0 : figureOf(before.proof, mend.measure as never)?.value ?? 0;
      const frame = this.frameToShow(before);
      this.set({ before: value, picture: this.pictureOf(before, frame) });
      await Promise.all(this.offers.map(async (offer, k) => {
        if (only !== undefined && k !== only) return;
        try {
          const after = await backgroundTake(session, produce(of, (d) => { offer.change(d); }), { range, exact, signal, onStart: () => this.setOffer(k, { state: 'running' }), onProgress: (progress) => this.setOffer(k, { progress }) });
          this.results[k] = after;
          this.setOffer(k, { state: 'done', progress: 1, result: compare(name, was, { proof: after.proof, more: after.more }, limits), picture: this.pictureOf(after, frame), key: after.key });
        } catch (cause) {
          if (cause instanceof Cancelled) this.setOffer(k, { state: 'waits', progress: 0 });
          else this.setOffer(k, { state: 'failed', message: cause instanceof Error ? cause.message : String(cause) });
        }
      }));
    } catch (cause) {
      if (!(cause instanceof Cancelled)) session.onTrouble?.(`The trial could not be run: ${cause instanceof Error ? cause.message : String(cause)}`);
    } finally {
      if (this.stop === stop) { this.stop = null; this.set({ running: false }); }
    }
  }
  private frameToShow({ proof }: BackgroundTake): number { const { mend } = useEditor.getState(), f = mend && !(mend.measure in TRIAL_MEASURES) ? figureOf(proof, mend.measure as never) : figureOf(proof, 'depth'); return Math.min(proof.end, Math.max(proof.start, f?.frame ?? proof.start)); }
  private pictureOf(take: BackgroundTake, frame: number): string | null { const at = take.frames.get(frame); return (at && this.session.takes.picture?.(at.points, frame, WIDE, HIGH)?.toDataURL('image/png')) ?? null; }

  /** Takes a change over as one step; where the whole range was tried, its frames are the run's. */
  apply(k: number): void {
    const offer = this.offers.at(k), { mend } = useEditor.getState(), result = this.results[k], { session, of } = this;
    if (!offer || !mend || !of) return;
    this.cancel();
    useEditor.getState().edit(`${TROUBLES[mend.trouble].title}: ${offer.label}`, (d) => {
      this.begin(d);
      offer.change(d);
    });
    useEditor.setState({ mend: null, shownTake: null });
    if (result && result.proof.end === session.document.shot.end && session.key === result.key) {
      session.runs.adopt(result.key, result.proof, framesOf(result.frames));
      void keepBackground(session, result);
    } else session.runs.restart();
  }
}
