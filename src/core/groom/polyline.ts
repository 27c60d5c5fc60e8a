/** Curves through points: length, even resampling. Points are 3 × count, metres. */

export function polylineLength(points: ArrayLike<number>, from = 0, count = points.length / 3): number {
  let length = 0;
  for (let i = from; i < from + count - 1; i++) length += Math.hypot(points[3 * i + 3] - points[3 * i], points[3 * i + 4] - points[3 * i + 1], points[3 * i + 5] - points[3 * i + 2]);
  return length;
}

/** `count` points evenly spaced by length over the first `length` metres of the polyline; the first point is kept. */
export function resampleEvenly(points: ArrayLike<number>, count: number, length = polylineLength(points)): Float32Array {
  const out = new Float32Array(3 * count);
  const last = points.length / 3 - 1;
  let i = 0, before = 0;
  let edge = last > 0 ? edgeLength(points, 0) : 0;
  for (let k = 0; k < count; k++) {
    const wanted = (length * k) / (count - 1);
    while (i < last - 1 && before + edge < wanted) { before += edge; i++; edge = edgeLength(points, i); }
    const t = edge > 0 ? Math.min(1, Math.max(0, (wanted - before) / edge)) : 0;
    for (let c = 0; c < 3; c++) out[3 * k + c] = points[3 * i + c] + (points[3 * Math.min(i + 1, last) + c] - points[3 * i + c]) * t;
  }
  return out;
}

/** `count` points on a polyline, `edge` (m) from one to the next as the crow flies; the first point is kept. Null where it is too short. */
export function resampleByEdge(points: ArrayLike<number>, count: number, edge: number): Float32Array | null {
  const out = new Float32Array(3 * count), last = points.length / 3 - 1;
  for (let c = 0; c < 3; c++) out[c] = points[c];
  let i = 0, from = 0;
  for (let k = 1; k < count; k++) {
    const o = 3 * k - 3;
    // the first place on the way that is so far off
    for (;; i++, from = 0) {
      if (i >= last) return null;
      let a = 0, b = 0, c = -edge * edge;
      for (let q = 0; q < 3; q++) { const d = points[3 * i + 3 + q] - points[3 * i + q], e = points[3 * i + q] - out[o + q]; a += d * d; b += d * e; c += e * e; }
      const root = b * b - a * c, t = a > 0 && root >= 0 ? (-b + Math.sqrt(root)) / a : -1;
      if (!(t >= from && t <= 1)) continue;
      for (let q = 0; q < 3; q++) out[o + 3 + q] = points[3 * i + q] + t * (points[3 * i + 3 + q] - points[3 * i + q]);
      from = t;
      break;
    }
  }
  return out;
}

const edgeLength = (p: ArrayLike<number>, i: number): number => Math.hypot(p[3 * i + 3] - p[3 * i], p[3 * i + 4] - p[3 * i + 1], p[3 * i + 5] - p[3 * i + 2]);

/** Lengths of guides of `pointCount` points each (3 × points × guides), m. */
export function lengthsOf(offsets: ArrayLike<number>, pointCount: number): Float32Array {
  const out = new Float32Array(offsets.length / (3 * pointCount));
  for (let g = 0, a = 3; g < out.length; g++, a += 3) {
    let sum = 0;
    for (let i = 1; i < pointCount; i++, a += 3) { const x = offsets[a] - offsets[a - 3], y = offsets[a + 1] - offsets[a - 2], z = offsets[a + 2] - offsets[a - 1]; sum += Math.sqrt(x * x + y * y + z * z); }
    out[g] = sum;
  }
  return out;
}
