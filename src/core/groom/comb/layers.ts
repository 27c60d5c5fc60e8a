/**
 * Layers of style. A layer keeps the shape of every guide that was combed on it; over the rest it lets see what lies below. One layer over what is
 * below: each edge's way is blended, each edge's length by itself, so that strands between two shapes are as long as they should be.
 */

/** Shapes of some guides: their numbers, ascending, and 3 × points each, m, rest orientation. */
export interface LayerShapes { guides: Uint32Array; shapes: Float32Array }

/** Writes `shapes` over `below` (3 × points × guides), each guide by its share 0 … 1, into `below` itself. */
export function layOver(below: Float32Array, pointCount: number, { guides, shapes }: LayerShapes, share: (guide: number) => number): void {
  const stride = 3 * pointCount;
  guides.forEach((g, k) => {
    const w = share(g), o = stride * g, s = stride * k;
    if (!(w > 0) || o + stride > below.length) return;
    if (w >= 1) { below.set(shapes.subarray(s, s + stride), o); return; }
    blend(below, o, shapes, s, pointCount, w);
  });
}
function blend(below: Float32Array, o: number, shapes: Float32Array, s: number, pointCount: number, w: number): void {
  let px = below[o], py = below[o + 1], pz = below[o + 2];
  for (let c = 0; c < 3; c++) below[o + c] += w * (shapes[s + c] - below[o + c]);
  for (let i = 1; i < pointCount; i++) {
    const a = o + 3 * i, b = s + 3 * i, ux = below[a] - px, uy = below[a + 1] - py, uz = below[a + 2] - pz, vx = shapes[b] - shapes[b - 3], vy = shapes[b + 1] - shapes[b - 2], vz = shapes[b + 2] - shapes[b - 1];
    const l = Math.hypot(ux, uy, uz), m = Math.hypot(vx, vy, vz), length = (1 - w) * l + w * m;
    px = below[a]; py = below[a + 1]; pz = below[a + 2];
    // ways, not edges, are blended; of two that are opposite the stronger one counts
    let ex = 0, ey = 0, ez = 0;
    if (l > 0) { ex += ((1 - w) * ux) / l; ey += ((1 - w) * uy) / l; ez += ((1 - w) * uz) / l; }
    if (m > 0) { ex += (w * vx) / m; ey += (w * vy) / m; ez += (w * vz) / m; }
    let e = Math.hypot(ex, ey, ez);
    if (e < 1e-6) { [ex, ey, ez] = w < 0.5 ? [ux, uy, uz] : [vx, vy, vz]; e = Math.hypot(ex, ey, ez); }
    const k = e > 0 ? length / e : 0;
    below[a] = below[a - 3] + k * ex; below[a + 1] = below[a - 2] + k * ey; below[a + 2] = below[a - 1] + k * ez;
  }
}

/** A layer with the shapes of some guides put in or replaced, from an array of all. */
export function keepOnLayer(layer: LayerShapes, pointCount: number, guides: Iterable<number>, all: Float32Array): LayerShapes {
  const stride = 3 * pointCount, rows = new Map<number, Float32Array>();
  layer.guides.forEach((g, k) => rows.set(g, layer.shapes.subarray(stride * k, stride * (k + 1))));
  for (const g of guides) rows.set(g, all.subarray(stride * g, stride * (g + 1)));
  return layerOf(rows, stride);
}
/** A layer whose guides have other numbers now (−1 for gone), and whose shapes are changed by `each`. */
export function renumbered(layer: LayerShapes, stride: number, to: (guide: number) => number, each: (shape: Float32Array, guide: number) => Float32Array = (s) => s): LayerShapes {
  const rows = new Map<number, Float32Array>();
  layer.guides.forEach((g, k) => { const h = to(g); if (h >= 0) rows.set(h, each(layer.shapes.subarray(stride * k, stride * (k + 1)), g)); });
  return layerOf(rows, rows.size > 0 ? rows.values().next().value!.length : stride);
}
function layerOf(rows: Map<number, Float32Array>, stride: number): LayerShapes {
  const guides = Uint32Array.from(rows.keys()).sort(), shapes = new Float32Array(stride * guides.length);
  guides.forEach((g, k) => shapes.set(rows.get(g)!, stride * k));
  return { guides, shapes };
}

/** Bytes of a layer: u32 count of guides, u32 numbers, f32 shapes; little-endian. */
export function packLayer({ guides, shapes }: LayerShapes): Uint8Array {
  const out = new Uint8Array(4 + 4 * guides.length + 4 * shapes.length), view = new DataView(out.buffer);
  view.setUint32(0, guides.length, true);
  guides.forEach((g, k) => view.setUint32(4 + 4 * k, g, true));
  shapes.forEach((v, k) => view.setFloat32(4 + 4 * guides.length + 4 * k, v, true));
  return out;
}
/** Null where the bytes are no layer of strands of so many points. */
export function readLayer(bytes: Uint8Array, pointCount: number): LayerShapes | null {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength), n = bytes.length >= 4 ? view.getUint32(0, true) : -1;
  if (n < 0 || bytes.length !== 4 + 4 * n + 12 * pointCount * n) return null;
  return { guides: Uint32Array.from({ length: n }, (_, k) => view.getUint32(4 + 4 * k, true)), shapes: Float32Array.from({ length: 3 * pointCount * n }, (_, k) => view.getFloat32(4 + 4 * n + 4 * k, true)) };
}
