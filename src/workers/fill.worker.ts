/** Browser worker of the filling: which strands there are and which guides they follow. */
import { fillPlot } from '../core/fill/strands';
import { Surface } from '../core/mesh/surface';
import type { FillReply, FillRequest } from './messages';

const scope = self as unknown as { onmessage: (e: MessageEvent<FillRequest>) => void; postMessage: (m: FillReply, transfer?: Transferable[]) => void };
let surface: Surface | null = null;

scope.onmessage = ({ data }) => {
  if (data.kind === 'surface') {
    surface = new Surface(data.positions, data.triangles);
    return;
  }
  if (!surface) return;
  try {
    const strands = fillPlot(surface, data.faces, data.planting, data.offsets, data.pointCount, { count: data.count, full: data.full }, data.seed, data.lengthSpread);
    scope.postMessage({ kind: 'filled', request: data.request, strands }, [strands.detail.buffer as ArrayBuffer]);
  } catch (cause) {
    scope.postMessage({ kind: 'failed', request: data.request, message: cause instanceof Error ? cause.message : String(cause) });
  }
};
