/** What of a proof leaves the page, and which measures have a chart. */
import { MEASURE_NAMES, type MeasureName } from '../../core/document/proof';
import { proofCsv } from '../../core/proof/sheet';
import { fileNameOf, saveFile } from './save-file';
import type { Session } from './session';

/** Strands that are measured against what collides. */
export const MEASURED_STRANDS = 2000;
/** Measures that have a value in each frame. */
export const CHARTED: readonly MeasureName[] = MEASURE_NAMES.filter((n) => n !== 'seam' && n !== 'seamSpeed' && n !== 'broken');

export function saveProof(session: Session): void {
  const shown = session.takes.shownProof();
  if (shown) saveFile(new Blob([proofCsv(shown.proof)], { type: 'text/csv' }), `${fileNameOf(`${session.groom.name} ${shown.take?.name ?? session.document.shotName} proof`)}.csv`);
}
