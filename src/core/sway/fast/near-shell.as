// What is asked of a shell over and over in a substep (`../shell-faces.ts` and `../shell-grid.ts` say what each is for): where its triangles are, the closest point of one, the one
// nearest a place, and following the surface. AssemblyScript, compiled by scripts/shell-kernel.mjs; numbers are float64, but boxes of patches and balls of triangles, which
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

/** Places of the arrays in the memory, in the order of `PLACES` in `near-shell.ts`. */
let TRIANGLES: usize = 0, OPPOSITE: usize = 0, FROM: usize = 0, TO: usize = 0, POSE: usize = 0, POSED: usize = 0, NEAR: usize = 0, FIRST: usize = 0, BALL_FIRST: usize = 0, BOXES: usize = 0, BALLS: usize = 0, CONES: usize = 0, VISITED: usize = 0, LOOKED: usize = 0, NORMALS: usize = 0, SPARE: usize = 0, CELLS: usize = 0, LISTS: usize = 0;
export function setPlace(i: i32, at: usize): void {
  if (i == 0) TRIANGLES = at; if (i == 1) OPPOSITE = at; if (i == 2) FROM = at; if (i == 3) TO = at; if (i == 4) POSE = at; if (i == 5) POSED = at; if (i == 6) NEAR = at; if (i == 7) FIRST = at; if (i == 8) BALL_FIRST = at; if (i == 9) BOXES = at;
  if (i == 10) BALLS = at; if (i == 11) CONES = at; if (i == 12) VISITED = at; if (i == 13) LOOKED = at; if (i == 14) NORMALS = at; if (i == 15) SPARE = at; if (i == 16) CELLS = at; if (i == 17) LISTS = at;
}

/** The substep: its number and shares of the frame; the frame's number; m, so far is looked, and room for rounding. */
let substep: i32 = 0, frame: i32 = 0, t0: f64 = 0, t1: f64 = 1, reach: f64 = 0, room: f64 = 0;
export function setSubstep(number: i32, begin: f64, end: f64): void { substep = number; t0 = begin; t1 = end; }
export function setFrame(number: i32, far: f64, rounding: f64): void { frame = number; reach = far; room = rounding; }
/** The grid: m, its cells; its first cell, counted from the world's origin; cells along each axis. */
let cell: f64 = 1, c0: i32 = 0, c1: i32 = 0, c2: i32 = 0, n0: i32 = 0, n1: i32 = 0, n2: i32 = 0;
export function setGrid(size: f64, a0: i32, a1: i32, a2: i32, b0: i32, b1: i32, b2: i32): void { cell = size; c0 = a0; c1 = a1; c2 = a2; n0 = b0; n1 = b1; n2 = b2; }
/** The search in which each patch was looked at last. */
let visit: i32 = 0;

// @ts-ignore
@inline function outside(below: f64, above: f64): f64 { return below > 0 ? below * below : above > 0 ? above * above : 0; }
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
 * The triangle nearest a place now, or where it would go, −1 for none within reach; with `unlike` ≥ 0 of those whose normal differs from the one that stands there in `pose`. The sixth
 * number of `near` is how far what is near moves against it in the substep, at most.
 */
export function nearest(x: f64, y: f64, z: f64, px: f64, py: f64, pz: f64, unlike: i32): i32 {
  const U = POSE + (<usize>(unlike < 0 ? 0 : unlike) << 3), u0 = at(U, 0), u1 = at(U, 1), u2 = at(U, 2), wx = px - x, wy = py - y, wz = pz - z;
  const a = f32x4(<f32>x, <f32>y, <f32>z, 0), b = f32x4(<f32>px, <f32>py, <f32>pz, 0), way = f32x4(<f32>wx, <f32>wy, <f32>wz, 0), none = f32x4.splat(0), s0 = f32x4.splat(<f32>(1 - t0)), s1 = f32x4.splat(<f32>(1 - t1)), e0 = f32x4.splat(<f32>t0), e1 = f32x4.splat(<f32>t1), share = f32x4.splat(<f32>(0.5 * (t1 - t0)));
  const ax = f32x4.splat(<f32>x), ay = f32x4.splat(<f32>y), az = f32x4.splat(<f32>z), bx = f32x4.splat(<f32>px), by = f32x4.splat(<f32>py), bz = f32x4.splat(<f32>pz), apart = f32x4(PASSES, PASSES, PASSES, 1);
  const fast2 = <f32>(FAST * FAST), passing = f32x4.splat(PASSES), one = f32x4.splat(1), tiny = f32x4.splat(1e-30);
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
      const B = BOXES + <usize>k * BOX_BYTES, l0 = v128.load(B), h0 = v128.load(B, 16), l1 = v128.load(B, 32), h1 = v128.load(B, 48);
      const m = f32x4.sub(f32x4.mul(share, f32x4.add(f32x4.sub(l1, l0), f32x4.sub(h1, h0))), way), way2 = sum3(f32x4.mul(m, m));
      if (way2 > fastest) fastest = way2;
      // how far beyond either side of the box it is now, and would be
      const below = f32x4.sub(f32x4.add(f32x4.mul(s0, l0), f32x4.mul(e0, l1)), a), above = f32x4.sub(a, f32x4.add(f32x4.mul(s0, h0), f32x4.mul(e0, h1))), now = f32x4.pmax(f32x4.pmax(below, above), none);
      if (sum3(f32x4.mul(now, now)) >= within2) {
        const belowThen = f32x4.sub(f32x4.add(f32x4.mul(s1, l0), f32x4.mul(e1, l1)), b), aboveThen = f32x4.sub(b, f32x4.add(f32x4.mul(s1, h0), f32x4.mul(e1, h1))), then = f32x4.pmax(f32x4.pmax(belowThen, aboveThen), none);
        // unless it passes the point in between
        if (sum3(f32x4.mul(then, then)) >= within2 && (way2 < fast2 || v128.any_true(f32x4.gt(f32x4.pmax(f32x4.pmin(below, belowThen), f32x4.pmin(above, aboveThen)), apart)))) continue;
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
        if (way2 >= fast2) {
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
