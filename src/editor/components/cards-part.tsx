'use client';
/** Hair cards for engines: made from the strands, seen beside them, saved. */
import { Download, RotateCw } from 'lucide-react';
import { useEffect, useRef, useState } from 'react';
import { toast } from 'sonner';
import { ATLAS_SIZES, CARD_PARAMETERS, type GroomDocument } from '../../core/document/schema';
import { useEditor } from '../state/store';
import { Button, Choice, Fold, helpProps, Note } from './controls';
import { Field } from './panel-parts';
import { useWorkshop } from './context';
import { many } from '../state/many';

export function CardsPart({ document }: { document: GroomDocument }) {
  const { session } = useWorkshop(), desk = session.fillDesk, { making, shown, level, made } = useEditor((s) => s.cards), cards = made > 0 ? desk.cards : null, old = cards !== null && desk.cardsAreOld, set = (change: Partial<ReturnType<typeof useEditor.getState>['cards']>): void => useEditor.setState({ cards: { ...useEditor.getState().cards, ...change } }), [saving, setSaving] = useState(false);
  const save = (): void => { setSaving(true); desk.saveCards().catch((e: unknown) => toast.error(e instanceof Error ? e.message : String(e))).finally(() => setSaving(false)); };
  return (
    <Fold id="cards" title="Cards for an engine?" summary={cards ? `${cards.set.levels[0].cards} cards${old ? ', out of date' : ''}` : 'none made'}>
      {(Object.keys(CARD_PARAMETERS) as (keyof typeof CARD_PARAMETERS)[]).filter((n) => n !== 'bow' || document.cards.across > 1).map((n) => <Field key={n} group="cards" name={n} table={CARD_PARAMETERS} />)}
      <div className="flex items-center gap-2 text-soft" {...helpProps('Side of the square picture that all cards share, in pixels.')}><span className="w-[98px]">Atlas</span><Choice label="Atlas" value={document.cards.atlas} onChange={(v) => useEditor.getState().edit('Size of the atlas', (d) => { d.cards.atlas = v; })} options={ATLAS_SIZES.map((value) => ({ value, label: value }))} /></div>
      <div className="mt-1.5 flex items-center gap-2">
        <Button data-testid="make-cards" primary={!cards || old} disabled={making} onClick={() => desk.makeCards()}><RotateCw size={13} />{making ? 'Making cards …' : cards ? 'Make them anew' : 'Make cards'}</Button>
        {cards && <Button data-testid="save-cards" disabled={saving || old} title={old ? 'Make them anew first' : ''} onClick={save} {...helpProps('A zip: cards.glb with a level a mesh, the atlas as PNG, and what they are in words.')}><Download size={13} />Save</Button>}
      </div>
      {old && <p role="status" className="mt-1 text-[12px] text-copper">▲ The hair or these settings have changed since they were made.</p>}
      {cards && (
        <>
          <div className="mt-1.5 flex items-center gap-2 text-soft"><span className="w-[62px]">Shown</span><Choice label="What is shown" value={shown} onChange={(v) => set({ shown: v })} options={[{ value: 'strands', label: 'Strands' }, { value: 'cards', label: 'Cards' }, { value: 'both', label: 'Both' }]} /></div>
          <div className="mt-1 flex items-center gap-2 text-soft"><span className="w-[62px]">Level</span><Choice label="Level of detail" value={String(level)} onChange={(v) => set({ level: Number(v), shown: shown === 'strands' ? 'cards' : shown })} options={cards.set.levels.map((m, i) => ({ value: String(i), label: `${(m.indices.length / 3).toLocaleString('en')}`, help: `Level ${i}: ${m.cards} cards, ${many(m.indices.length / 3, 'triangle')}.` }))} /><span className="text-[11px] text-faint">triangles</span></div>
          <p data-testid="cards-overlap" className="mt-1 text-soft">From six sides they cover <span className="num text-text">{(100 * cards.set.figures.overlap).toFixed(1)} %</span> of what strands or cards cover; opacity differs by <span className="num text-text">{cards.set.figures.opacity.toFixed(3)}</span> on average.</p>
          <AtlasPicture />
          <Note>Here cards go along with the skin at their roots, in the combed shape.</Note>
        </>
      )}
    </Fold>
  );
}

function AtlasPicture() {
  const { session } = useWorkshop(), canvas = useRef<HTMLCanvasElement>(null), made = useEditor((s) => s.cards.made);
  useEffect(() => {
    const { cards } = session.fillDesk, c = canvas.current;
    if (!cards || !c) return;
    c.width = c.height = cards.set.atlas.size;
    c.getContext('2d')!.putImageData(new ImageData(Uint8ClampedArray.from(cards.colours), c.width, c.height), 0, 0);
  }, [session, made]);
  return <canvas ref={canvas} role="img" aria-label="The atlas of the cards" className="mt-1 aspect-square w-full rounded border border-line bg-ground" />;
}
