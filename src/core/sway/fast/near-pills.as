// Which pills touch the edges of a strand (`../near-pills.ts` says what is asked). AssemblyScript, compiled by scripts/contact-kernels.mjs. What is too far is told in float32, four
// edges side by side, seen from the strand's root and with room for rounding; what is near is worked out in float64.

/** Sine of a taper from which it counts where an edge is nearest; and how often that is looked for anew. */
const TAPERS: f64 = 0.05, ROUNDS: i32 = 4;
/** m: room for float32, and by such a share of how far from the root edges and pills lie. */
const ROUNDING: f64 = 1e-5, SINGLE: f64 = 4e-6;
/** Bytes: what is known of a pill where it is now; two contacts of an edge; lanes of edges. */
const PILL_BYTES: usize = 128, FOUND_BYTES: usize = 96, HALF: usize = 48;

/** Places of the arrays in the memory (`NearPills`). */
let ENDS: usize = 0, RADII: usize = 0, GAPS: usize = 0, PILLS: usize = 0, FOUND: usize = 0, COUNTS: usize = 0, LANES: usize = 0, MEASURED: usize = 0, DEEP: usize = 0, ARC: usize = 0, SHARES: usize = 0, BEGUN: usize = 0, MASKS: usize = 0, PLACES: usize = 0;
export function setPlace(i: i32, at: usize): void {
  if (i == 0) ENDS = at; if (i == 1) RADII = at; if (i == 2) GAPS = at; if (i == 3) PILLS = at; if (i == 4) FOUND = at; if (i == 5) COUNTS = at; if (i == 6) LANES = at; if (i == 7) MEASURED = at; if (i == 8) DEEP = at; if (i == 9) ARC = at; if (i == 10) SHARES = at; if (i == 11) BEGUN = at;
  if (i == 12) MASKS = at; if (i == 13) PLACES = at;
}
let pills: i32 = 0, width: usize = 0, gapRise: f64 = Infinity, mostShare: f64 = 1, sameWay: f64 = 1, swallowed: f64 = 1;
/** `lanes`: edges that there is room for in each row of `LANES`; `rise`: share of the length from the root that a distance may be; `share`: greatest of `SHARES`; `same`, `holds`: `SAME_WAY` of `found.ts` and `SWALLOWED` of `pills.ts`. */
export function setUp(count: i32, lanes: i32, rise: f64, share: f64, same: f64, holds: f64): void { pills = count; width = <usize>lanes << 2; gapRise = rise; mostShare = share; sameWay = same; swallowed = holds; }

// @ts-ignore
@inline function at(p: usize, i: usize): f64 { return load<f64>(p + (i << 3)); }
// @ts-ignore
@inline function put(p: usize, i: usize, v: f64): void { store<f64>(p + (i << 3), v); }

/** Works out for all pills where `ENDS` has them: box (6), direction (3), length, 1 / length, sine and cosine of the taper, radius, how much it changes, and its place where it is but a ball. */
export function place(): void {
  for (let k = 0; k < pills; k++) {
    const E = ENDS + <usize>k * 48, P = PILLS + <usize>k * PILL_BYTES, ra = at(RADII + (<usize>k << 4), 0), rb = at(RADII + (<usize>k << 4), 1);
    for (let c: usize = 0; c < 3; c++) {
      put(P, c, min(at(E, c) - ra, at(E, c + 3) - rb));
      put(P, c + 3, max(at(E, c) + ra, at(E, c + 3) + rb));
    }
    const x = at(E, 3) - at(E, 0), y = at(E, 4) - at(E, 1), z = at(E, 5) - at(E, 2), l = sqrt(x * x + y * y + z * z), il = l > 1e-9 ? 1 / l : 0;
    // where one end holds the other there is nothing but that end
    const lower = ra - rb >= swallowed * l, upper = !lower && rb - ra >= swallowed * l, sine = lower || upper ? 0 : (ra - rb) * il;
    put(P, 6, x * il); put(P, 7, y * il); put(P, 8, z * il); put(P, 9, l); put(P, 10, lower || upper ? 0 : il); put(P, 11, sine); put(P, 12, sqrt(1 - sine * sine)); put(P, 13, ra); put(P, 14, rb - ra); put(P, 15, upper ? 1 : 0);
  }
}

/** The middles of `n` edges, seen from the root (rx, ry, rz), and half of each edge, into `LANES`; the box of their ends. Lower ends stand at `A`, upper ones `step` bytes on. */
let b0: f64 = 0, b1: f64 = 0, b2: f64 = 0, e0: f64 = 0, e1: f64 = 0, e2: f64 = 0;
function lay(A: usize, step: usize, n: i32, rx: f64, ry: f64, rz: f64): void {
  let x = at(A, 0), y = at(A, 1), z = at(A, 2);
  b0 = e0 = x; b1 = e1 = y; b2 = e2 = z;
  for (let i = 0; i < n; i++) {
    A += step;
    const u = at(A, 0), v = at(A, 1), w = at(A, 2), L = LANES + (<usize>i << 2), hx = 0.5 * (u - x), hy = 0.5 * (v - y), hz = 0.5 * (w - z);
    store<f32>(L, <f32>(x + hx - rx)); store<f32>(L + width, <f32>(y + hy - ry)); store<f32>(L + 2 * width, <f32>(z + hz - rz));
    store<f32>(L + 3 * width, <f32>hx); store<f32>(L + 4 * width, <f32>hy); store<f32>(L + 5 * width, <f32>hz);
    b0 = min(b0, u); b1 = min(b1, v); b2 = min(b2, w); e0 = max(e0, u); e1 = max(e1, v); e2 = max(e2, w);
    x = u; y = v; z = w;
  }
  // what is left of the last four is nowhere near
  for (let i = n; (i & 3) != 0; i++) { const L = LANES + (<usize>i << 2); store<f32>(L, 1e9); store<f32>(L + width, 0); store<f32>(L + 2 * width, 0); store<f32>(L + 3 * width, 0); store<f32>(L + 4 * width, 0); store<f32>(L + 5 * width, 0); }
}
/** Whether a pill's box, wider by `far`, meets that of the edges laid out. */
// @ts-ignore
@inline function meets(P: usize, far: f64): bool { return b0 < at(P, 3) + far && e0 > at(P, 0) - far && b1 < at(P, 4) + far && e1 > at(P, 1) - far && b2 < at(P, 5) + far && e2 > at(P, 2) - far; }

/**
 * Which of `n` edges laid out may come nearer the k-th pill than `far`, as bits of four in `MASKS`; whether any. The distance to a pill is convex along an edge: nowhere less than its tangent
 * at the middle, whose slope is the direction away from the axis.
 */
function mark(k: i32, n: i32, rx: f64, ry: f64, rz: f64, far: f64): bool {
  const P = PILLS + <usize>k * PILL_BYTES, E = ENDS + <usize>k * 48, ox = at(E, 0) - rx, oy = at(E, 1) - ry, oz = at(E, 2) - rz, span = abs(ox) + abs(oy) + abs(oz) + at(P, 9) + (e0 - b0) + (e1 - b1) + (e2 - b2);
  const ax = f32x4.splat(<f32>ox), ay = f32x4.splat(<f32>oy), az = f32x4.splat(<f32>oz), ux = f32x4.splat(<f32>at(P, 6)), uy = f32x4.splat(<f32>at(P, 7)), uz = f32x4.splat(<f32>at(P, 8));
  const long = f32x4.splat(<f32>at(P, 9)), inverse = f32x4.splat(<f32>at(P, 10)), lean = f32x4.splat(<f32>(at(P, 11) / at(P, 12))), radius = f32x4.splat(<f32>at(P, 13)), change = f32x4.splat(<f32>at(P, 14)), limit = f32x4.splat(<f32>(far + ROUNDING + SINGLE * span));
  const begin = f32x4.splat(<f32>at(P, 15)), none = f32x4.splat(0), one = f32x4.splat(1), tiny = f32x4.splat(1e-9);
  let any = 0;
  for (let L = LANES, M = MASKS, last = LANES + (<usize>n << 2); L < last; L += 16, M++) {
    const qx = f32x4.sub(v128.load(L), ax), qy = f32x4.sub(v128.load(L + width), ay), qz = f32x4.sub(v128.load(L + 2 * width), az), y = f32x4.add(f32x4.add(f32x4.mul(qx, ux), f32x4.mul(qy, uy)), f32x4.mul(qz, uz));
    const mx = f32x4.sub(qx, f32x4.mul(y, ux)), my = f32x4.sub(qy, f32x4.mul(y, uy)), mz = f32x4.sub(qz, f32x4.mul(y, uz)), rho2 = f32x4.add(f32x4.add(f32x4.mul(mx, mx), f32x4.mul(my, my)), f32x4.mul(mz, mz));
    const t = f32x4.max(none, f32x4.min(one, f32x4.add(begin, f32x4.mul(f32x4.sub(y, f32x4.mul(f32x4.sqrt(rho2), lean)), inverse)))), over = f32x4.sub(y, f32x4.mul(t, long)), d = f32x4.sqrt(f32x4.add(rho2, f32x4.mul(over, over))), gap = f32x4.sub(d, f32x4.add(radius, f32x4.mul(change, t)));
    // half the edge against the direction away, which is m + over u
    const along = f32x4.add(f32x4.add(f32x4.mul(f32x4.add(mx, f32x4.mul(over, ux)), v128.load(L + 3 * width)), f32x4.mul(f32x4.add(my, f32x4.mul(over, uy)), v128.load(L + 4 * width))), f32x4.mul(f32x4.add(mz, f32x4.mul(over, uz)), v128.load(L + 5 * width)));
    const bits = i32x4.bitmask(f32x4.le(f32x4.sub(gap, f32x4.div(f32x4.abs(along), f32x4.max(d, tiny))), limit));
    store<u8>(M, <u8>bits);
    any |= bits;
  }
  return any != 0;
}

/** Of the last distance: direction away and share of the axis. */
let outX: f64 = 0, outY: f64 = 0, outZ: f64 = 0, outT: f64 = 0;
/** As `pillDistanceAt`. */
// @ts-ignore
@inline function distance(k: i32, px: f64, py: f64, pz: f64): f64 {
  const E = ENDS + <usize>k * 48, P = PILLS + <usize>k * PILL_BYTES, wx = at(P, 6), wy = at(P, 7), wz = at(P, 8), length = at(P, 9), qx = px - at(E, 0), qy = py - at(E, 1), qz = pz - at(E, 2), y = qx * wx + qy * wy + qz * wz, rho = sqrt(max(0, qx * qx + qy * qy + qz * qz - y * y));
  let t = (y - (rho * at(P, 11)) / at(P, 12)) * at(P, 10) + at(P, 15);
  t = t < 0 ? 0 : t > 1 ? 1 : t;
  const nx = qx - wx * t * length, ny = qy - wy * t * length, nz = qz - wz * t * length, d = sqrt(nx * nx + ny * ny + nz * nz), i: f64 = d > 1e-12 ? 1 / d : 0;
  outT = t;
  outX = nx * i; outY = d > 1e-12 ? ny * i : 1; outZ = nz * i;
  return d - (at(P, 13) + at(P, 14) * t);
}
// @ts-ignore
@inline function bound(t: f64): f64 { return t < 0 ? 0 : t > 1 ? 1 : t; }
/**
 * Share of the way along an edge that comes nearest the axis of a pill; halfway where they run side by side. **Source:** closest points of two segments, Ericson, Real-Time Collision
 * Detection, *from memory*.
 */
// @ts-ignore
@inline function nearestPlace(k: i32, x: f64, y: f64, z: f64, dx: f64, dy: f64, dz: f64): f64 {
  const E = ENDS + <usize>k * 48, vx = at(E, 3) - at(E, 0), vy = at(E, 4) - at(E, 1), vz = at(E, 5) - at(E, 2), rx = x - at(E, 0), ry = y - at(E, 1), rz = z - at(E, 2);
  const a = dx * dx + dy * dy + dz * dz, e = vx * vx + vy * vy + vz * vz, f = vx * rx + vy * ry + vz * rz, c = dx * rx + dy * ry + dz * rz;
  if (a < 1e-18) return 1;
  if (e < 1e-12) return bound(-c / a);
  const b = dx * vx + dy * vy + dz * vz, det = a * e - b * b;
  // nearly parallel: a small part of the middle, so that the place does not jump from end to end
  const soft = 1e-3 * a * e, s = bound((b * f - c * e + 0.5 * soft) / (det + soft)), t = (b * s + f) / e;
  return t < 0 ? bound(-c / a) : t > 1 ? bound((b - c) / a) : s;
}
// @ts-ignore
@inline function alike(F: usize): bool { return at(F, 3) * outX + at(F, 4) * outY + at(F, 5) * outZ > sameWay; }
/** Puts a contact among the two nearest of different directions, if it belongs there. */
// @ts-ignore
@inline function offer(p: usize, k: i32, gap: f64, s: f64): void {
  const F = FOUND + p * FOUND_BYTES, C = COUNTS + p, count = load<u8>(C);
  let to = F;
  if (count == 0) store<u8>(C, 1);
  else if (gap < at(F, 1)) {
    if (!alike(F)) { memory.copy(F + HALF, F, HALF); store<u8>(C, 2); }
  } else if (!alike(F) && (count == 1 || gap < at(F + HALF, 1))) { to = F + HALF; store<u8>(C, 2); } else return;
  put(to, 0, <f64>k); put(to, 1, gap); put(to, 2, s); put(to, 3, outX); put(to, 4, outY); put(to, 5, outZ);
}

/**
 * Contacts of the edges whose upper points are `first … end − 1`, where they would go, nearer than `far` (m) beyond the distance kept, into `FOUND` and `COUNTS`; returns how many edges have any.
 * `rx, ry, rz`: where point `root` is, the strand's own; its first edge has none below the share `least` of it; from point 2 to `still` only the upper ends have any.
 */
export function find(first: i32, end: i32, rx: f64, ry: f64, rz: f64, far: f64, root: i32, least: f64, still: i32): i32 {
  const n = end - first;
  lay(PLACES + <usize>(first - 1) * 48 + 24, 48, n, rx, ry, rz);
  memory.fill(COUNTS + <usize>first, 0, n);
  let some = 0;
  for (let k = 0; k < pills; k++) {
    const P = PILLS + <usize>k * PILL_BYTES, kept = at(GAPS, k), wide = far + max(0, kept * mostShare);
    if (!meets(P, wide) || !mark(k, n, rx, ry, rz, wide)) continue;
    for (let i = 0; i < n; i += 4) for (let bits = <i32>load<u8>(MASKS + <usize>(i >> 2)); bits != 0; bits &= bits - 1) {
      const p = first + i + ctz(bits), A = PLACES + <usize>p * 48 - 24, x = at(A, 0), y = at(A, 1), z = at(A, 2), dx = at(A, 6) - x, dy = at(A, 7) - y, dz = at(A, 8) - z;
      // what began inside is raised by its upper end
      const upper = at(BEGUN, p) < 0 || (p > first && at(BEGUN, p - 1) < 0);
      let s: f64 = upper ? 1 : nearestPlace(k, x, y, z, dx, dy, dz);
      // nearest to the axis is not nearest to what tapers: from the ball that is nearest there to the place nearest that, and again
      if (!upper && (at(P, 10) == 0 || abs(at(P, 11)) > TAPERS)) {
        const E = ENDS + <usize>k * 48, a = dx * dx + dy * dy + dz * dz;
        for (let round = 0; round < ROUNDS && a > 1e-18; round++) {
          distance(k, x + s * dx, y + s * dy, z + s * dz);
          const along = outT * at(P, 9);
          s = bound(((at(E, 0) + along * at(P, 6) - x) * dx + (at(E, 1) + along * at(P, 7) - y) * dy + (at(E, 2) + along * at(P, 8) - z) * dz) / a);
        }
      }
      // what touches at its lower end is the business of the edge below
      if (s <= 1e-6 && p > first) continue;
      if (s < (p == root + 1 ? least : p <= root + still ? 1 : 0)) continue;
      const gap = distance(k, x + s * dx, y + s * dy, z + s * dz) - min(kept * (SHARES == 0 ? 1 : at(SHARES, p)), gapRise * at(ARC, p));
      if (gap > far) continue;
      if (load<u8>(COUNTS + <usize>p) == 0) some++;
      offer(p, k, gap, s);
    }
  }
  return some;
}

/** Which of `n` edges, whose points (lowest first) stand in `MEASURED`, may be below the surface of a pill, into `DEEP`; how many. */
export function deep(n: i32, rx: f64, ry: f64, rz: f64): i32 {
  lay(MEASURED, 24, n, rx, ry, rz);
  memory.fill(DEEP, 0, n);
  let some = 0;
  for (let k = 0; k < pills; k++) {
    const P = PILLS + <usize>k * PILL_BYTES;
    if (!meets(P, 0) || !mark(k, n, rx, ry, rz, 0)) continue;
    for (let i = 0; i < n; i += 4) for (let bits = <i32>load<u8>(MASKS + <usize>(i >> 2)); bits != 0; bits &= bits - 1) { store<u8>(DEEP + <usize>(i + ctz(bits)), 1); some++; }
  }
  return some;
}
