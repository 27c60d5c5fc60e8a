// What is asked of a shell over and over in a substep (`../shell-faces.ts` and `../shell-grid.ts` say what each is for): where its triangles are, the closest point of one, the one
// nearest a place, and following the surface. AssemblyScript, compiled by scripts/contact-kernels.mjs; numbers are float64, but boxes of patches and balls of triangles, which
// only tell what is too far, are float32, four side by side, with `room` for their rounding.

/** m: what moves further against a point in a substep may pass it; and passes it where it comes so near on its way. */
const FAST: f64 = 0.004;
const PASSES: f32 = 0.001;
/** What is farther by so much more than rounding. */
const SURELY: f64 = 1 + 1e-6;
/** A second surface counts where it faces another way than the nearest. */
const OTHER_WAY: f64 = 0.8;
/** Steps from triangle to triangle at most. */
const STEPS: i32 = 8;
/** Bytes: a triangle's numbers in `pose`, the box of a patch, the balls of four triangles. */
const POSE_BYTES: usize = 192, BOX_BYTES: usize = 64, BALL_BYTES: usize = 112;

/** Places of the arrays in the memory, by the numbers that `setPlace` knows them by (`near-shell.ts`). */
let TRIANGLES: usize = 0, OPPOSITE: usize = 0, FROM: usize = 0, TO: usize = 0, POSE: usize = 0, POSED: usize = 0, NEAR: usize = 0, FIRST: usize = 0, BALL_FIRST: usize = 0, BOXES: usize = 0, BALLS: usize = 0, CONES: usize = 0, VISITED: usize = 0, LOOKED: usize = 0, NORMALS: usize = 0, SPARE: usize = 0, PLACED: usize = 0, CELLS: usize = 0, LISTS: usize = 0;
/** Of the points: places now and where they would go; triangles followed and the sides of them; budgets, what they lose in a substep, and the frame in which that was looked up (points, then middles of edges); whether an edge follows anything, and whether its middle is farther from what it follows than has been looked. */
let STRAY: usize = 0, PLACES: usize = 0, HITS: usize = 0, SIDES: usize = 0, BUDGETS: usize = 0, RATES: usize = 0, LOOKED_IN: usize = 0, ALIVE: usize = 0, points: i32 = 0;
export function setPoints(count: i32): void { points = count; }
export function setPlace(i: i32, at: usize): void {
  if (i == 0) TRIANGLES = at; if (i == 1) OPPOSITE = at; if (i == 2) FROM = at; if (i == 3) TO = at; if (i == 4) POSE = at; if (i == 5) POSED = at; if (i == 6) NEAR = at; if (i == 7) FIRST = at; if (i == 8) BALL_FIRST = at; if (i == 9) BOXES = at;
  if (i == 10) BALLS = at; if (i == 11) CONES = at; if (i == 12) VISITED = at; if (i == 13) LOOKED = at; if (i == 14) NORMALS = at; if (i == 15) SPARE = at; if (i == 16) CELLS = at; if (i == 17) LISTS = at; if (i == 18) PLACES = at; if (i == 19) HITS = at;
  if (i == 20) SIDES = at; if (i == 21) BUDGETS = at; if (i == 22) RATES = at; if (i == 23) LOOKED_IN = at; if (i == 24) ALIVE = at; if (i == 25) STRAY = at; if (i == 26) PLACED = at;
}

/** The substep: its number and shares of the frame; the frame's number; m, so far is looked, and room for rounding. */
let substep: i32 = 0, frame: i32 = 0, t0: f64 = 0, t1: f64 = 1, reach: f64 = 0, room: f64 = 0;
export function setSubstep(number: i32, begin: f64, end: f64): void { substep = number; t0 = begin; t1 = end; }
export function setFrame(number: i32, far: f64, rounding: f64): void { frame = number; reach = far; room = rounding; }
/** m: how much of what is looked farther than contacts are taken up may be used up, from which depth a point is not the shell's, how far any part of the shell goes in the substep, and what it sweeps in the frame; whether it is closed, and its outside. */
let slack: f64 = 0, deep: f64 = 0, shellWay: f64 = 0, low0: f64 = 0, low1: f64 = 0, low2: f64 = 0, high0: f64 = 0, high1: f64 = 0, high2: f64 = 0, closed: bool = false, outward: i32 = 1;
export function setWay(most: f64): void { shellWay = most; }
/** Boxes of all patches where they are in the substep, at its start and at its end. */
export function placeBoxes(patches: i32): void {
  const s0 = f32x4.splat(<f32>(1 - t0)), e0 = f32x4.splat(<f32>t0), s1 = f32x4.splat(<f32>(1 - t1)), e1 = f32x4.splat(<f32>t1);
  for (let B = BOXES, P = PLACED, end = BOXES + <usize>patches * BOX_BYTES; B < end; B += BOX_BYTES, P += BOX_BYTES) {
    const l0 = v128.load(B), h0 = v128.load(B, 16), l1 = v128.load(B, 32), h1 = v128.load(B, 48);
    v128.store(P, f32x4.add(f32x4.mul(s0, l0), f32x4.mul(e0, l1)));
    v128.store(P, f32x4.add(f32x4.mul(s0, h0), f32x4.mul(e0, h1)), 16);
    v128.store(P, f32x4.add(f32x4.mul(s1, l0), f32x4.mul(e1, l1)), 32);
    v128.store(P, f32x4.add(f32x4.mul(s1, h0), f32x4.mul(e1, h1)), 48);
  }
}
export function setSwept(a: f64, b: f64, c: f64, d: f64, e: f64, f: f64): void { low0 = a; low1 = b; low2 = c; high0 = d; high1 = e; high2 = f; }
export function setKind(slackOf: f64, deepOf: f64, closedOf: bool, outwardOf: i32): void { slack = slackOf; deep = deepOf; closed = closedOf; outward = outwardOf; }
/** The grid: m, its cells; its first cell, counted from the world's origin; cells along each axis. */
let cell: f64 = 1, c0: i32 = 0, c1: i32 = 0, c2: i32 = 0, n0: i32 = 0, n1: i32 = 0, n2: i32 = 0;
export function setGrid(size: f64, a0: i32, a1: i32, a2: i32, b0: i32, b1: i32, b2: i32): void { cell = size; c0 = a0; c1 = a1; c2 = a2; n0 = b0; n1 = b1; n2 = b2; }
/** How fast what is near the last places looked for goes against them, m a substep; whether that is asked for. */
let speed: f64 = 0, timed: bool = false;
/** The search in which each patch was looked at last. */
let visit: i32 = 0;

// @ts-ignore
@inline function at(p: usize, i: usize): f64 { return load<f64>(p + (i << 3)); }
// @ts-ignore
@inline function put(p: usize, i: usize, v: f64): void { store<f64>(p + (i << 3), v); }

/** Where a triangle's numbers stand, computed for this substep: corners at its start (9) and end (9), unit normals at both (6). */
// @ts-ignore
@inline function posed(t: i32): usize {
  const P = POSE + <usize>t * POSE_BYTES;
  if (load<i32>(POSED + (<usize>t << 2)) != substep) pose(t);
  return P;
}
export function pose(t: i32): void {
  const P = POSE + <usize>t * POSE_BYTES;
  store<i32>(POSED + (<usize>t << 2), substep);
  for (let q: usize = 0; q < 3; q++) {
    const v = <usize>load<u32>(TRIANGLES + (<usize>(3 * t) + q << 2)) * 24, w = P + 24 * q, a = load<f64>(FROM + v), b = load<f64>(FROM + v, 8), c = load<f64>(FROM + v, 16), x = load<f64>(TO + v) - a, y = load<f64>(TO + v, 8) - b, z = load<f64>(TO + v, 16) - c;
    store<f64>(w, a + t0 * x); store<f64>(w, b + t0 * y, 8); store<f64>(w, c + t0 * z, 16);
    store<f64>(w, a + t1 * x, 72); store<f64>(w, b + t1 * y, 80); store<f64>(w, c + t1 * z, 88);
  }
  for (let k: usize = 0; k < 2; k++) {
    const s = P + 72 * k, w = P + 144 + 24 * k, ax = at(s, 3) - at(s, 0), ay = at(s, 4) - at(s, 1), az = at(s, 5) - at(s, 2), bx = at(s, 6) - at(s, 0), by = at(s, 7) - at(s, 1), bz = at(s, 8) - at(s, 2);
    const x = ay * bz - az * by, y = az * bx - ax * bz, z = ax * by - ay * bx, i = 1 / max(1e-30, sqrt(x * x + y * y + z * z));
    put(w, 0, x * i); put(w, 1, y * i); put(w, 2, z * i);
  }
}

/** Of the last closest point: weights of the second and third corner, 1 where on the triangle's rim, squared distance. */
let nearV: f64 = 0, nearW: f64 = 0, nearRim: f64 = 0, nearFar: f64 = 0;
/** Closest point of the triangle whose corners stand at T to a place. */
// @ts-ignore
@inline function closestTo(T: usize, x: f64, y: f64, z: f64): void {
  const ox = at(T, 0), oy = at(T, 1), oz = at(T, 2), ax = at(T, 3) - ox, ay = at(T, 4) - oy, az = at(T, 5) - oz, bx = at(T, 6) - ox, by = at(T, 7) - oy, bz = at(T, 8) - oz, px = x - ox, py = y - oy, pz = z - oz;
  const d1 = ax * px + ay * py + az * pz, d2 = bx * px + by * py + bz * pz, aa = ax * ax + ay * ay + az * az, ab = ax * bx + ay * by + az * bz, bb = bx * bx + by * by + bz * bz, D = aa * bb - ab * ab + 1e-40;
  let v = (bb * d1 - ab * d2) / D, w = (aa * d2 - ab * d1) / D;
  nearRim = 0;
  if (v < 0 || w < 0 || v + w > 1) {
    nearRim = 1;
    const c2 = d2 - d1 + aa - ab, e2 = aa + bb - 2 * ab;
    const s0: f64 = d1 <= 0 ? 0 : d1 >= aa ? 1 : d1 / aa, s1: f64 = d2 <= 0 ? 0 : d2 >= bb ? 1 : d2 / bb, s2: f64 = c2 <= 0 ? 0 : c2 >= e2 ? 1 : c2 / e2;
    // squared distances, but for that of the first corner
    const q0 = s0 * (s0 * aa - 2 * d1), q1 = s1 * (s1 * bb - 2 * d2), q2 = aa - 2 * d1 + s2 * (s2 * e2 - 2 * c2);
    if (q0 <= q1 && q0 <= q2) { v = s0; w = 0; } else if (q1 <= q2) { v = 0; w = s1; } else { v = 1 - s2; w = s2; }
  }
  const ex = px - v * ax - w * bx, ey = py - v * ay - w * by, ez = pz - v * az - w * bz;
  nearV = v; nearW = w;
  nearFar = ex * ex + ey * ey + ez * ez;
}
// @ts-ignore
@inline function tellNear(): void { put(NEAR, 0, 1 - nearV - nearW); put(NEAR, 1, nearV); put(NEAR, 2, nearW); put(NEAR, 3, nearRim); put(NEAR, 4, nearFar); }
/** `end`: 0 at the start of the substep, 9 at its end. */
export function closest(t: i32, end: i32, x: f64, y: f64, z: f64): void { closestTo(posed(t) + (<usize>end << 3), x, y, z); tellNear(); }

/** Whether a point goes through the plane of a triangle in the substep; `near…` are then of where and when it does. */
// @ts-ignore
@inline function passesPlane(P: usize, x: f64, y: f64, z: f64, px: f64, py: f64, pz: f64): bool {
  const d0 = at(P, 18) * (x - at(P, 0)) + at(P, 19) * (y - at(P, 1)) + at(P, 20) * (z - at(P, 2)), d1 = at(P, 21) * (px - at(P, 9)) + at(P, 22) * (py - at(P, 10)) + at(P, 23) * (pz - at(P, 11));
  if (!(d0 * d1 < 0)) return false;
  const f = d0 / (d0 - d1);
  for (let c: usize = 0; c < 9; c++) put(SPARE, c, at(P, c) + f * (at(P, c + 9) - at(P, c)));
  closestTo(SPARE, x + f * (px - x), y + f * (py - y), z + f * (pz - z));
  return true;
}
export function crosses(t: i32, x: f64, y: f64, z: f64, px: f64, py: f64, pz: f64): bool { const through = passesPlane(posed(t), x, y, z, px, py, pz); if (through) tellNear(); return through; }

/** From triangle to triangle as long as the next one is nearer; `near` is of the last. */
export function follow(t: i32, end: i32, x: f64, y: f64, z: f64): i32 {
  const e8 = <usize>end << 3;
  closestTo(posed(t) + e8, x, y, z);
  let last = -1;
  for (let step = 0; step < STEPS && nearRim > 0; step++) {
    const v = nearV, w = nearW, u = 1 - v - w, far = nearFar;
    let moved = -1;
    // the edges the place lies on: edge e has the weight of the corner before it at 0
    for (let e = 0; e < 3 && moved < 0; e++) {
      if ((e == 0 ? w : e == 1 ? u : v) > 1e-9) continue;
      const h = load<i32>(OPPOSITE + (<usize>(3 * t + e) << 2));
      if (h < 0) continue;
      const other = h / 3;
      if (other == last) continue;
      closestTo(posed(other) + e8, x, y, z);
      if (nearFar < far || (nearFar == far && nearRim == 0)) moved = other;
    }
    if (moved < 0) { nearV = v; nearW = w; nearRim = 1; nearFar = far; break; }
    last = t;
    t = moved;
  }
  tellNear();
  return t;
}

/** Balls and cone of a patch, when it is first looked into in the frame: mean normal at the start of the frame, and the least cosine of any of its triangles to it. */
function lookInto(k: i32): void {
  const first = load<i32>(FIRST + (<usize>k << 2)), end = load<i32>(FIRST + (<usize>k << 2), 4);
  store<i32>(LOOKED + (<usize>k << 2), frame);
  let B = BALLS + <usize>load<i32>(BALL_FIRST + (<usize>k << 2)) * BALL_BYTES, mx: f64 = 0, my: f64 = 0, mz: f64 = 0, N = NORMALS;
  for (let t = first; t < end; t++) {
    const T = TRIANGLES + <usize>t * 12, a = <usize>load<u32>(T) * 24, b = <usize>load<u32>(T, 4) * 24, c = <usize>load<u32>(T, 8) * 24;
    const x = (load<f64>(FROM + a) + load<f64>(FROM + b) + load<f64>(FROM + c)) / 3, y = (load<f64>(FROM + a, 8) + load<f64>(FROM + b, 8) + load<f64>(FROM + c, 8)) / 3, z = (load<f64>(FROM + a, 16) + load<f64>(FROM + b, 16) + load<f64>(FROM + c, 16)) / 3;
    const X = (load<f64>(TO + a) + load<f64>(TO + b) + load<f64>(TO + c)) / 3, Y = (load<f64>(TO + a, 8) + load<f64>(TO + b, 8) + load<f64>(TO + c, 8)) / 3, Z = (load<f64>(TO + a, 16) + load<f64>(TO + b, 16) + load<f64>(TO + c, 16)) / 3;
    let most: f64 = 0;
    for (let e = 0; e < 3; e++) {
      const v = e == 0 ? a : e == 1 ? b : c, dx = load<f64>(FROM + v) - x, dy = load<f64>(FROM + v, 8) - y, dz = load<f64>(FROM + v, 16) - z, ex = load<f64>(TO + v) - X, ey = load<f64>(TO + v, 8) - Y, ez = load<f64>(TO + v, 16) - Z;
      most = max(most, max(dx * dx + dy * dy + dz * dz, ex * ex + ey * ey + ez * ez));
    }
    const i = <usize>(t - first), q = B + (i >> 2) * BALL_BYTES + ((i & 3) << 2);
    store<f32>(q, <f32>x); store<f32>(q, <f32>y, 16); store<f32>(q, <f32>z, 32); store<f32>(q, <f32>X, 48); store<f32>(q, <f32>Y, 64); store<f32>(q, <f32>Z, 80); store<f32>(q, <f32>(sqrt(most) + room), 96);
    const ux = load<f64>(FROM + b) - load<f64>(FROM + a), uy = load<f64>(FROM + b, 8) - load<f64>(FROM + a, 8), uz = load<f64>(FROM + b, 16) - load<f64>(FROM + a, 16), vx = load<f64>(FROM + c) - load<f64>(FROM + a), vy = load<f64>(FROM + c, 8) - load<f64>(FROM + a, 8), vz = load<f64>(FROM + c, 16) - load<f64>(FROM + a, 16);
    const nx = uy * vz - uz * vy, ny = uz * vx - ux * vz, nz = ux * vy - uy * vx, l = 1 / max(1e-30, sqrt(nx * nx + ny * ny + nz * nz));
    put(N, 0, nx * l); put(N, 1, ny * l); put(N, 2, nz * l);
    mx += nx * l; my += ny * l; mz += nz * l;
    N += 24;
  }
  // what fills up the last four is nowhere near
  for (let i = <usize>(end - first); (i & 3) != 0; i++) { const q = B + (i >> 2) * BALL_BYTES + ((i & 3) << 2); for (let c: usize = 0; c < 7; c++) store<f32>(q + (c << 4), c < 6 ? 1e9 : 0); }
  const l = 1 / max(1e-30, sqrt(mx * mx + my * my + mz * mz)), C = CONES + (<usize>k << 5);
  let least: f64 = 1;
  for (let n = NORMALS; n < N; n += 24) least = min(least, l * (at(n, 0) * mx + at(n, 1) * my + at(n, 2) * mz));
  put(C, 0, mx * l); put(C, 1, my * l); put(C, 2, mz * l); put(C, 3, least - 0.02);
}
/** Whether all triangles of a patch face about the way u: the angle to the mean and the cone's own together. */
// @ts-ignore
@inline function allAlike(k: i32, u0: f64, u1: f64, u2: f64): bool {
  const C = CONES + (<usize>k << 5), d = at(C, 0) * u0 + at(C, 1) * u1 + at(C, 2) * u2, least = at(C, 3);
  return least > 0 && d > 0 && d * least - sqrt(max(0, (1 - d * d) * (1 - least * least))) > OTHER_WAY;
}
/** Cell of a place, −1 outside the grid, where nothing is near. */
// @ts-ignore
@inline function cellAt(x: f64, y: f64, z: f64): i32 {
  const i = <i32>floor(x / cell) - c0, j = <i32>floor(y / cell) - c1, k = <i32>floor(z / cell) - c2;
  return i < 0 || j < 0 || k < 0 || i >= n0 || j >= n1 || k >= n2 ? -1 : i + n0 * (j + n1 * k);
}
// @ts-ignore
@inline function sum3(v: v128): f32 { return f32x4.extract_lane(v, 0) + f32x4.extract_lane(v, 1) + f32x4.extract_lane(v, 2); }

/**
 * The triangle nearest a place now, or where it would go, −1 for none within reach; with `unlike` ≥ 0 of those whose normal differs from the one that stands there in `pose`. Where
 * that is asked for (`timed`), the sixth number of `near` is how far what is near moves against it in the substep, at most.
 */
export function nearest(x: f64, y: f64, z: f64, px: f64, py: f64, pz: f64, unlike: i32): i32 {
  const U = POSE + (<usize>(unlike < 0 ? 0 : unlike) << 3), u0 = at(U, 0), u1 = at(U, 1), u2 = at(U, 2), wx = px - x, wy = py - y, wz = pz - z;
  const a = f32x4(<f32>x, <f32>y, <f32>z, 0), b = f32x4(<f32>px, <f32>py, <f32>pz, 0), none = f32x4.splat(0), s0 = f32x4.splat(<f32>(1 - t0)), s1 = f32x4.splat(<f32>(1 - t1)), e0 = f32x4.splat(<f32>t0), e1 = f32x4.splat(<f32>t1), half = f32x4.splat(0.5);
  const ax = f32x4.splat(<f32>x), ay = f32x4.splat(<f32>y), az = f32x4.splat(<f32>z), bx = f32x4.splat(<f32>px), by = f32x4.splat(<f32>py), bz = f32x4.splat(<f32>pz);
  const fast = shellWay + sqrt(wx * wx + wy * wy + wz * wz) >= FAST, passing = f32x4.splat(PASSES), one = f32x4.splat(1), tiny = f32x4.splat(1e-30);
  let best = reach * reach, found = -1, before = -1, fastest: f32 = 0, within = <f32>(reach + room), within2 = within * within, far = f32x4.splat(within);
  visit++;
  // where it is, where it would go, and half-way
  for (let stop = 0; stop < 3; stop++) {
    const h = 0.5 * <f64>stop, here = cellAt(x + h * wx, y + h * wy, z + h * wz);
    if (here < 0 || here == before) continue;
    before = here;
    let q = LISTS + (<usize>load<i32>(CELLS + (<usize>here << 2)) << 2);
    const qEnd = LISTS + (<usize>load<i32>(CELLS + (<usize>here << 2), 4) << 2);
    for (; q < qEnd; q += 4) {
      const k = load<i32>(q), seen = VISITED + (<usize>k << 2);
      // it comes near several of the cells
      if (load<i32>(seen) == visit) continue;
      store<i32>(seen, visit);
      const B = PLACED + <usize>k * BOX_BYTES, below = f32x4.sub(v128.load(B), a), above = f32x4.sub(a, v128.load(B, 16)), belowThen = f32x4.sub(v128.load(B, 32), b), aboveThen = f32x4.sub(b, v128.load(B, 48));
      if (timed) {
        const m = f32x4.mul(half, f32x4.add(f32x4.sub(belowThen, below), f32x4.sub(above, aboveThen)));
        fastest = max(fastest, sum3(f32x4.mul(m, m)));
      }
      // beyond which sides of the box, and how far, it is all the way
      const all = f32x4.pmax(f32x4.pmax(f32x4.pmin(below, belowThen), f32x4.pmin(above, aboveThen)), none);
      if (sum3(f32x4.mul(all, all)) >= within2) continue;
      // it is not near now nor would be then: unless it passes the box in between
      if (!(fast && !v128.any_true(f32x4.gt(all, passing)))) {
        const now = f32x4.pmax(f32x4.pmax(below, above), none), then = f32x4.pmax(f32x4.pmax(belowThen, aboveThen), none);
        if (sum3(f32x4.mul(now, now)) >= within2 && sum3(f32x4.mul(then, then)) >= within2) continue;
      }
      if (load<i32>(LOOKED + (<usize>k << 2)) != frame) lookInto(k);
      if (unlike >= 0 && allAlike(k, u0, u1, u2)) continue;
      const first = load<i32>(FIRST + (<usize>k << 2)), end = load<i32>(FIRST + (<usize>k << 2), 4);
      let T = BALLS + <usize>load<i32>(BALL_FIRST + (<usize>k << 2)) * BALL_BYTES;
      for (let t4 = first; t4 < end; t4 += 4, T += BALL_BYTES) {
        const x0 = v128.load(T), y0 = v128.load(T, 16), z0 = v128.load(T, 32), x1 = v128.load(T, 48), y1 = v128.load(T, 64), z1 = v128.load(T, 80), r = v128.load(T, 96);
        const dx = f32x4.sub(ax, f32x4.add(f32x4.mul(s0, x0), f32x4.mul(e0, x1))), dy = f32x4.sub(ay, f32x4.add(f32x4.mul(s0, y0), f32x4.mul(e0, y1))), dz = f32x4.sub(az, f32x4.add(f32x4.mul(s0, z0), f32x4.mul(e0, z1)));
        const ex = f32x4.sub(bx, f32x4.add(f32x4.mul(s1, x0), f32x4.mul(e1, x1))), ey = f32x4.sub(by, f32x4.add(f32x4.mul(s1, y0), f32x4.mul(e1, y1))), ez = f32x4.sub(bz, f32x4.add(f32x4.mul(s1, z0), f32x4.mul(e1, z1)));
        const limit = f32x4.add(r, far), limit2 = f32x4.mul(limit, limit), nowNear = f32x4.lt(f32x4.add(f32x4.add(f32x4.mul(dx, dx), f32x4.mul(dy, dy)), f32x4.mul(dz, dz)), limit2), thenNear = f32x4.lt(f32x4.add(f32x4.add(f32x4.mul(ex, ex), f32x4.mul(ey, ey)), f32x4.mul(ez, ez)), limit2);
        const nowMask = i32x4.bitmask(nowNear), thenMask = i32x4.bitmask(thenNear);
        let mask = nowMask | thenMask;
        if (fast) {
          // what is seen at d and then at e, going straight, comes so near
          const vx = f32x4.sub(ex, dx), vy = f32x4.sub(ey, dy), vz = f32x4.sub(ez, dz), vv = f32x4.pmax(f32x4.add(f32x4.add(f32x4.mul(vx, vx), f32x4.mul(vy, vy)), f32x4.mul(vz, vz)), tiny), f = f32x4.pmin(one, f32x4.pmax(none, f32x4.neg(f32x4.div(f32x4.add(f32x4.add(f32x4.mul(dx, vx), f32x4.mul(dy, vy)), f32x4.mul(dz, vz)), vv))));
          const gx = f32x4.add(dx, f32x4.mul(f, vx)), gy = f32x4.add(dy, f32x4.mul(f, vy)), gz = f32x4.add(dz, f32x4.mul(f, vz)), pass = f32x4.add(r, passing);
          mask |= i32x4.bitmask(f32x4.lt(f32x4.add(f32x4.add(f32x4.mul(gx, gx), f32x4.mul(gy, gy)), f32x4.mul(gz, gz)), f32x4.mul(pass, pass)));
        }
        for (; mask != 0; mask &= mask - 1) {
          const bit = ctz(mask), t = t4 + bit, P = posed(t);
          if (unlike >= 0 && at(P, 18) * u0 + at(P, 19) * u1 + at(P, 20) * u2 > OTHER_WAY) continue;
          // no nearer than its plane
          const over = at(P, 18) * (x - at(P, 0)) + at(P, 19) * (y - at(P, 1)) + at(P, 20) * (z - at(P, 2)), later = at(P, 21) * (px - at(P, 9)) + at(P, 22) * (py - at(P, 10)) + at(P, 23) * (pz - at(P, 11));
          if (min(over * over, later * later) > SURELY * best && over * later > 0) continue;
          const known = found;
          if (nowMask >> bit & 1) { closestTo(P, x, y, z); if (nearFar < best) { best = nearFar; found = t; } }
          if (thenMask >> bit & 1) { closestTo(P + 72, px, py, pz); if (nearFar < best) { best = nearFar; found = t; } }
          if (passesPlane(P, x, y, z, px, py, pz) && nearFar < best) { best = nearFar; found = t; }
          if (found != known) { within = <f32>(sqrt(best) + room); within2 = within * within; far = f32x4.splat(within); }
        }
      }
    }
  }
  put(NEAR, 5, sqrt(<f64>fastest));
  return found;
}

/** The nearest of a place `A` (3 numbers) and another 3 numbers on, or of their means with those of `B`. */
// @ts-ignore
@inline function searchFor(A: usize, B: usize, unlike: i32): i32 {
  const x = 0.5 * (at(A, 0) + at(B, 0)), y = 0.5 * (at(A, 1) + at(B, 1)), z = 0.5 * (at(A, 2) + at(B, 2)), px = 0.5 * (at(A, 3) + at(B, 3)), py = 0.5 * (at(A, 4) + at(B, 4)), pz = 0.5 * (at(A, 5) + at(B, 5)), t = nearest(x, y, z, px, py, pz, unlike);
  speed = max(speed, at(NEAR, 5));
  // where nothing is near, all that can come is as fast as the shell and the point themselves
  if (speed == 0) speed = shellWay + sqrt((px - x) * (px - x) + (py - y) * (py - y) + (pz - z) * (pz - z));
  return t;
}
/** m: how much farther than is looked a place is, now and where it would go, from all the space that the shell sweeps in the frame; not above 0 where it is not. */
// @ts-ignore
@inline function beyond(A: usize, B: usize): f64 {
  const x = 0.5 * (at(A, 0) + at(B, 0)), y = 0.5 * (at(A, 1) + at(B, 1)), z = 0.5 * (at(A, 2) + at(B, 2)), px = 0.5 * (at(A, 3) + at(B, 3)), py = 0.5 * (at(A, 4) + at(B, 4)), pz = 0.5 * (at(A, 5) + at(B, 5));
  return max(0, max(max(max(low0 - max(x, px), min(x, px) - high0), max(low1 - max(y, py), min(y, py) - high1)), max(low2 - max(z, pz), min(z, pz) - high2))) - reach;
}
/** Whether the nearest place just found is on a border: beyond it either side is free. */
// @ts-ignore
@inline function pastBorder(t: i32): bool {
  if (nearRim > 0) for (let e = 0; e < 3; e++) if ((e == 0 ? nearW : e == 1 ? 1 - nearV - nearW : nearV) < 1e-9 && load<i32>(OPPOSITE + (<usize>(3 * t + e) << 2)) < 0) return true;
  return false;
}
/** Follows a triangle from now on; its side is that of the place now, unless it was on a side of it already. */
function keep(slot: usize, t: i32, x: f64, y: f64, z: f64): void {
  const H = HITS + (slot << 2), before = load<i32>(H);
  store<i32>(H, t);
  if (t < 0) { store<i8>(SIDES + slot, 0); return; }
  if (closed) { store<i8>(SIDES + slot, <i8>outward); return; }
  const P = posed(t);
  closestTo(P, x, y, z);
  const d = at(P, 18) * (x - at(P, 0)) + at(P, 19) * (y - at(P, 1)) + at(P, 20) * (z - at(P, 2));
  if (before < 0 || load<i8>(SIDES + slot) == 0 || abs(d) > deep) store<i8>(SIDES + slot, pastBorder(t) ? 0 : d >= 0 ? 1 : -1);
}
/** Whether a budget is used up; `i`: the point, or the middle of the edge below it, further on by the number of points. */
// @ts-ignore
@inline function usedUp(i: usize, drift: f64, frameOf: i32): bool {
  const B = BUDGETS + (i << 3), rate = load<f64>(RATES + (i << 3)), left = load<f64>(B) - (load<i32>(LOOKED_IN + (i << 2)) == frameOf && rate < drift ? rate : drift);
  store<f64>(B, left);
  return left < 0;
}
/** What has been looked up holds for as long; a place may go farther than it was expected to, the more so the longer it is not asked about. */
// @ts-ignore
@inline function seen(i: usize, far: f64, frameOf: i32): void {
  store<f64>(BUDGETS + (i << 3), 0.8 * slack + 0.6 * max(0, far));
  store<f64>(RATES + (i << 3), far > 0 ? Infinity : speed);
  store<i32>(LOOKED_IN + (i << 2), frameOf);
}
/**
 * Looks after what the points `first … end − 1` of a strand follow, by their `PLACES`: each looks for the triangle nearest it, and the nearest that faces another way, when another could
 * have come near; so does the middle of an edge neither of whose ends follows anything, or that is far from what it follows. Returns how many edges (a point's lies below it) follow something, and says which in `ALIVE`.
 * `drift`: m, how far the strand's points go at most; `frameOf`: the frame's number.
 */
export function scan(first: i32, end: i32, drift: f64, frameOf: i32): i32 {
  const most = drift + shellWay;
  let alive = 0;
  timed = true;
  for (let p = first; p < end; p++) {
    const o = <usize>(3 * p), H = HITS + (o << 2), A = PLACES + <usize>p * 48, middle = <usize>(points + p);
    if (usedUp(<usize>p, most, frameOf)) {
      const far = beyond(A, A);
      speed = 0;
      const one = far > 0 ? -1 : searchFor(A, A, -1), other = one < 0 ? -1 : searchFor(A, A, <i32>((posed(one) - POSE >> 3) + 18)), x = at(A, 0), y = at(A, 1), z = at(A, 2);
      keep(o, one, x, y, z);
      keep(o + 1, other, x, y, z);
      // the middle is not to be lost with its end: it looks for itself
      if (one < 0) { store<i32>(H, -1, 8); store<f64>(BUDGETS + (middle << 3), -1); }
      seen(<usize>p, far, frameOf);
    }
    let some = load<i32>(H) >= 0 || (p > 0 && load<i32>(H - 12) >= 0);
    // an edge may lie across something that neither of its ends is near, or leads to
    if (!some || load<u8>(STRAY + <usize>p) != 0) {
      const B = A - 48;
      if (usedUp(middle, most, frameOf)) {
        const far = beyond(A, B);
        speed = 0;
        const one = far > 0 ? -1 : searchFor(A, B, -1);
        if (one >= 0 || !some) keep(o + 2, one, 0.5 * (at(A, 0) + at(B, 0)), 0.5 * (at(A, 1) + at(B, 1)), 0.5 * (at(A, 2) + at(B, 2)));
        seen(middle, far, frameOf);
      }
      if (!some) some = load<i32>(H, 8) >= 0;
    }
    store<u8>(ALIVE + <usize>p, some ? 1 : 0);
    if (some) alive++;
  }
  timed = false;
  return alive;
}
