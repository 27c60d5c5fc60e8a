'use client';
/** What the stage needs, at the right. */
import type { ReactNode } from 'react';
import { ofChains } from '../../core/chain/character-of';
import { useEditor } from '../state/store';
import { BakePanel } from './bake-panel';
import { useHelp } from './controls';
import { FillPanel } from './fill-panel';
import { CastPanel } from './cast-panel';
import { ChainPanel, NotOfChains } from './chains-part';
import { DrawnPanel } from './drawn-part';
import { CombPanel } from './comb-panel';
import { PlantPanel } from './plant-panel';
import { ProofPanel } from './proof-panel';
import { SwayPanel } from './sway-panel';

export function Tray() {
  const stage = useEditor((s) => s.stage), help = useHelp((s) => s.text), document = useEditor((s) => s.history?.document);
  if (!document) return null;
  const hair = !ofChains(document);
  if (!hair && (stage === 'comb' || stage === 'fill' || stage === 'plant')) return <Shell help={help}>{stage === 'plant' ? document.drawn ? <DrawnPanel document={document} /> : <ChainPanel document={document} /> : <NotOfChains what={stage === 'comb' ? 'A chain has the shape of its joints: nothing is combed here.' : 'A chain moves joints and the skin on them: there are no strands to fill.'} />}</Shell>;
  const Panel = { cast: CastPanel, plant: PlantPanel, comb: CombPanel, fill: FillPanel, sway: SwayPanel, proof: ProofPanel, bake: BakePanel }[stage];
  return <Shell help={help}><Panel document={document} /></Shell>;
}

function Shell({ help, children }: { help: string; children: ReactNode }) {
  return (
    <aside aria-label="Tray" className="flex min-h-0 flex-col border-l border-line bg-panel">
      <div className="min-h-0 flex-1 overflow-y-auto">{children}</div>
      <p aria-live="polite" className="h-[52px] shrink-0 overflow-hidden border-t border-line bg-raised px-3 py-2 text-[12px] leading-snug text-faint">{help || 'Point at a setting to see what it means.'}</p>
    </aside>
  );
}
