/** A groom's shapes from its base and its layers of style, and what becomes of these when guides come, go or get other points. */
import { layOver, packLayer, readLayer, renumbered, type LayerShapes } from '../groom/comb/layers';
import { bytesOf, floatsOf } from './buffers';
import type { BufferId, GroomDocument, StyleLayer } from './schema';

export type Guides = NonNullable<GroomDocument['guides']>;
export type Style = NonNullable<Guides['style']>;
type Get = (id: BufferId) => Uint8Array | undefined;
type Keep = (bytes: Uint8Array) => BufferId;

const EMPTY: LayerShapes = { guides: new Uint32Array(0), shapes: new Float32Array(0) };
export const layerShapes = (get: Get, layer: StyleLayer, pointCount: number): LayerShapes => { const bytes = get(layer.shapes); return (bytes && readLayer(bytes, pointCount)) ?? EMPTY; };

/**
 * Shapes of all guides, 3 × points × guides, m. `mask`: what a layer's map is at a guide's root. With `whole`, only what lies up to that layer
 * ('' for the base), and the layer itself in full.
 */
export function composeStyle(get: Get, guides: Guides, mask: (layer: StyleLayer, guide: number) => number, whole: string | null = null): Float32Array {
  const { style, pointCount } = guides, out = floatsOf(get(style ? style.base : guides.offsets)!);
  if (!style || whole === '') return out;
  for (const layer of style.layers) {
    const own = layer.id === whole;
    if (own || (layer.on && layer.amount > 0)) layOver(out, pointCount, layerShapes(get, layer, pointCount), own ? () => 1 : (g) => layer.amount * (layer.mask ? mask(layer, g) : 1));
    if (own) break;
  }
  return out;
}

/** The style with guides added at the end of the list, as they are on the base. */
export function styleWith(get: Get, keep: Keep, style: Style | undefined, added: Float32Array): Style | undefined {
  if (!style) return undefined;
  const before = floatsOf(get(style.base)!), base = new Float32Array(before.length + added.length);
  base.set(before);
  base.set(added, before.length);
  return { ...style, base: keep(bytesOf(base)) };
}

/** The style with each guide's shape changed by `each`, and guides that get −1 from `to` gone. */
export function styleThrough(get: Get, keep: Keep, style: Style | undefined, pointCount: number, to: (guide: number) => number, each: (shape: Float32Array, guide: number) => Float32Array = (s) => s): Style | undefined {
  if (!style) return undefined;
  const before = floatsOf(get(style.base)!), stride = 3 * pointCount, rows: Float32Array[] = [];
  for (let g = 0; g < before.length / stride; g++) if (to(g) >= 0) rows[to(g)] = each(before.subarray(stride * g, stride * (g + 1)), g);
  return { base: keep(bytesOf(joined(rows))), layers: style.layers.map((l) => ({ ...l, shapes: keep(packLayer(renumbered(layerShapes(get, l, pointCount), stride, to, each))) })) };
}
function joined(rows: readonly Float32Array[]): Float32Array {
  const out = new Float32Array(rows.reduce((n, r) => n + r.length, 0));
  let at = 0;
  for (const r of rows) { out.set(r, at); at += r.length; }
  return out;
}
