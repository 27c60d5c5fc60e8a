/**
 * A cage: n × n × n handles in a box round some points, which are moved with the handles. **Source:** Sederberg & Parry 1986, Free-form deformation
 * of solid geometric models (Bernstein polynomials over the box), *from memory*.
 */
export interface Cage {
  n: number;
  /** Low corner and the three edges of the box, m. */
  low: [number, number, number];
  size: [number, number, number];
  /** 3 × n³, x first: where the handles are. */
  handles: Float64Array;
}
/** m: no edge of a cage is shorter, so that flat things fit in. */
const THINNEST = 0.01;

/** A cage round points (3 × count, m), a little wider than they are; null round none. */
export function cageRound(points: ArrayLike<number>, n: number): Cage | null {
  const low = [Infinity, Infinity, Infinity], high = [-Infinity, -Infinity, -Infinity];
  for (let i = 0; i < points.length; i++) { const c = i % 3; if (points[i] < low[c]) low[c] = points[i]; if (points[i] > high[c]) high[c] = points[i]; }
  if (!low.every(Number.isFinite)) return null;
  const size = low.map((v, c) => Math.max(THINNEST, 1.04 * (high[c] - v))) as Cage['size'], corner = low.map((v, c) => (v + high[c] - size[c]) / 2) as Cage['low'], handles = new Float64Array(3 * n ** 3);
  for (let h = 0; h < n ** 3; h++) for (let c = 0; c < 3; c++) handles[3 * h + c] = corner[c] + (size[c] * (Math.floor(h / n ** c) % n)) / (n - 1);
  return { n, low: corner, size, handles };
}

/** Moves points (3 × count, m, within the cage as it was made) with its handles, each by its `share`. */
export function throughCage(cage: Cage, points: ArrayLike<number>, share: (point: number) => number, out: Float64Array): void {
  const { n, low, size, handles } = cage, choose = Array.from({ length: n }, (_, k) => { let b = 1; for (let i = 0; i < k; i++) b = (b * (n - 1 - i)) / (i + 1); return b; }), B = [0, 1, 2].map(() => new Float64Array(n));
  for (let p = 0; p < points.length / 3; p++) {
    const w = share(p), o = 3 * p;
    for (let c = 0; c < 3; c++) out[o + c] = points[o + c];
    if (w === 0) continue;
    for (let c = 0; c < 3; c++) { const t = Math.min(1, Math.max(0, (points[o + c] - low[c]) / size[c])); for (let k = 0; k < n; k++) B[c][k] = choose[k] * t ** k * (1 - t) ** (n - 1 - k); }
    let x = 0, y = 0, z = 0;
    for (let h = 0; h < n ** 3; h++) { const b = B[0][h % n] * B[1][Math.floor(h / n) % n] * B[2][Math.floor(h / (n * n))]; x += b * handles[3 * h]; y += b * handles[3 * h + 1]; z += b * handles[3 * h + 2]; }
    out[o] += w * (x - points[o]); out[o + 1] += w * (y - points[o + 1]); out[o + 2] += w * (z - points[o + 2]);
  }
}

/** A vector turned about x, then y, then z (radians). */
export function turnedAbout(vector: readonly number[], turn: ArrayLike<number>): number[] {
  let v = [...vector];
  for (let a = 0; a < 3; a++) { const b = (a + 1) % 3, d = (a + 2) % 3, s = Math.sin(turn[a]), k = Math.cos(turn[a]), next = [...v]; next[b] = k * v[b] - s * v[d]; next[d] = s * v[b] + k * v[d]; v = next; }
  return v;
}

/** Moves, turns (radians about the axes x, y, z in turn) and scales some handles about their middle; others follow within `falloff` metres. */
export function moveHandles(cage: Cage, chosen: readonly number[], by: { move: ArrayLike<number>; turn: ArrayLike<number>; scale: number }, falloff: number): Cage {
  const { handles } = cage, out = handles.slice(), middle = [0, 0, 0], on = new Set(chosen);
  if (on.size === 0) return cage;
  for (const h of on) for (let c = 0; c < 3; c++) middle[c] += handles[3 * h + c] / on.size;
  for (let h = 0; h < handles.length / 3; h++) {
    let far = on.has(h) ? 0 : Infinity;
    if (far > 0 && falloff > 0) for (const k of on) far = Math.min(far, Math.hypot(handles[3 * h] - handles[3 * k], handles[3 * h + 1] - handles[3 * k + 1], handles[3 * h + 2] - handles[3 * k + 2]));
    const w = far === 0 ? 1 : far < falloff ? (1 - far / falloff) ** 2 * (1 + (2 * far) / falloff) : 0;
    if (w === 0) continue;
    const v = turnedAbout([0, 1, 2].map((c) => (handles[3 * h + c] - middle[c]) * by.scale), by.turn);
    for (let c = 0; c < 3; c++) out[3 * h + c] += w * (middle[c] + v[c] + by.move[c] - handles[3 * h + c]);
  }
  return { ...cage, handles: out };
}
