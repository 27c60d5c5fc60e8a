// The loops of src/core/fill/strands.ts (`blend`, `displace`) on four strands side by side; AssemblyScript, put together with the steps by
// scripts/fill-kernel.mjs: STEP and BEGIN stand for the lines of the step and of `begin`, S0 … S39 for what is kept. A strand's four numbers of a node (place, edge) are one vector, so that four strands are turned into four vectors of one number each.

// @ts-ignore
@inline function sum3(v: v128): v128 { return f32x4.add(f32x4.add(v, v128.shuffle<f32>(v, v, 1, 2, 0, 3)), v128.shuffle<f32>(v, v, 2, 0, 1, 3)); }
// @ts-ignore
@inline function sum4(v: v128): v128 { const w = f32x4.add(v, v128.shuffle<f32>(v, v, 1, 0, 3, 2)); return f32x4.add(w, v128.shuffle<f32>(w, w, 2, 3, 0, 1)); }
// @ts-ignore
@inline function dot(ax: v128, ay: v128, az: v128, bx: v128, by: v128, bz: v128): v128 { return f32x4.add(f32x4.add(f32x4.mul(ax, bx), f32x4.mul(ay, by)), f32x4.mul(az, bz)); }
// @ts-ignore
@inline function each(a: usize, o0: usize, o1: usize, o2: usize, o3: usize): v128 { return f32x4.replace_lane(f32x4.replace_lane(f32x4.replace_lane(v128.load32_zero(a + o0), 1, load<f32>(a + o1)), 2, load<f32>(a + o2)), 3, load<f32>(a + o3)); }

// rows to columns, and back: of rows a, b, c, d the columns are one(lo(a, b), lo(c, d)), two(of the same), one(hi(a, b), hi(c, d)), two(of the same)
// @ts-ignore
@inline function lo(a: v128, b: v128): v128 { return v128.shuffle<f32>(a, b, 0, 4, 1, 5); }
// @ts-ignore
@inline function hi(a: v128, b: v128): v128 { return v128.shuffle<f32>(a, b, 2, 6, 3, 7); }
// @ts-ignore
@inline function one(a: v128, b: v128): v128 { return v128.shuffle<f32>(a, b, 0, 1, 4, 5); }
// @ts-ignore
@inline function two(a: v128, b: v128): v128 { return v128.shuffle<f32>(a, b, 2, 3, 6, 7); }

export function setNumber(i: i32, v: f32): void { v128.store(A + (<usize>i << 4), f32x4.splat(v)); }

/** Eight numbers a node of a guide: place, edge; how far it turns with the skin, that times its rise. Normals: four a strand, four a guide, the last nothing. */
export function blend(X: usize, G: usize, guides: usize, weights: usize, normals: usize, guideNormals: usize, nodes: i32, from: i32, to: i32): void {
  const stride = <usize>nodes << 5, tiny = f32x4.splat(1e-24);
  for (let s = from; s < to; s++) {
    const o = <usize>s << 4, g0 = <usize>load<u32>(guides + o), g1 = <usize>load<u32>(guides + o, 4), g2 = <usize>load<u32>(guides + o, 8), g3 = <usize>load<u32>(guides + o, 12), w = v128.load(weights + o), n = v128.load(normals + o);
    const w0 = v128.shuffle<f32>(w, w, 0, 0, 0, 0), w1 = v128.shuffle<f32>(w, w, 1, 1, 1, 1), w2 = v128.shuffle<f32>(w, w, 2, 2, 2, 2), w3 = v128.shuffle<f32>(w, w, 3, 3, 3, 3), nx = v128.shuffle<f32>(n, n, 0, 0, 0, 0), ny = v128.shuffle<f32>(n, n, 1, 1, 1, 1), nz = v128.shuffle<f32>(n, n, 2, 2, 2, 2);
    const a0 = f32x4.mul(w0, v128.load(guideNormals + (g0 << 4))), a1 = f32x4.mul(w1, v128.load(guideNormals + (g1 << 4))), a2 = f32x4.mul(w2, v128.load(guideNormals + (g2 << 4))), a3 = f32x4.mul(w3, v128.load(guideNormals + (g3 << 4)));
    let p0 = G + stride * g0 + 32, p1 = G + stride * g1 + 32, p2 = G + stride * g2 + 32, p3 = G + stride * g3 + 32, x = X + (<usize>nodes << 4) * <usize>s, before = f32x4.splat(0), place = f32x4.splat(0), whole: f32 = 0;
    const first = x;
    for (let k = 1; k < nodes; k++) {
      const v0 = v128.load(p0), v1 = v128.load(p1), v2 = v128.load(p2), v3 = v128.load(p3), f0 = v128.load(p0, 16), f1 = v128.load(p1, 16), f2 = v128.load(p2, 16), f3 = v128.load(p3, 16);
      const mean = f32x4.add(f32x4.add(f32x4.mul(w0, v0), f32x4.mul(w1, v1)), f32x4.add(f32x4.mul(w2, v2), f32x4.mul(w3, v3)));
      const A1 = lo(v0, v1), B1 = hi(v0, v1), C1 = lo(v2, v3), D1 = hi(v2, v3);
      const up = dot(one(A1, C1), two(A1, C1), one(B1, D1), nx, ny, nz);
      const A2 = lo(f0, f1), B2 = hi(f0, f1), C2 = lo(f2, f3), D2 = hi(f2, f3);
      const e = f32x4.mul(one(A2, C2), up), m = f32x4.mul(w, two(A2, C2)), rise = sum4(m);
      const off = f32x4.add(f32x4.add(f32x4.mul(v128.shuffle<f32>(e, e, 0, 0, 0, 0), a0), f32x4.mul(v128.shuffle<f32>(e, e, 1, 1, 1, 1), a1)), f32x4.add(f32x4.mul(v128.shuffle<f32>(e, e, 2, 2, 2, 2), a2), f32x4.mul(v128.shuffle<f32>(e, e, 3, 3, 3, 3), a3)));
      const wanted = f32x4.sub(f32x4.add(mean, f32x4.mul(rise, n)), off), chord = f32x4.sub(wanted, before), edge = v128.shuffle<f32>(mean, mean, 3, 3, 3, 3);
      // the mean of shapes is shorter than they are: each edge gets the mean of their lengths
      place = f32x4.add(place, f32x4.mul(f32x4.div(edge, f32x4.sqrt(f32x4.pmax(tiny, sum3(f32x4.mul(chord, chord))))), chord));
      x += 16;
      v128.store(x, f32x4.replace_lane(place, 3, f32x4.extract_lane(edge, 0)));
      whole += f32x4.extract_lane(edge, 0);
      before = wanted;
      p0 += 32; p1 += 32; p2 += 32; p3 += 32;
    }
    v128.store(first, f32x4(0, 0, 0, whole));
  }
}

/** Each strand again, only as far as is left of it (the first number of `own`), with as many nodes; `line`: room for one. */
export function shorten(X: usize, own: usize, line: usize, nodes: i32, from: i32, to: i32): void {
  const stride = <usize>nodes << 4, two_ = f32x4.splat(2), three = f32x4.splat(3), four = f32x4.splat(4), five = f32x4.splat(5), half = f32x4.splat(0.5);
  for (let s = from; s < to; s++) {
    const per = load<f32>(own + (<usize>(s - from) << 4));
    if (per >= 1) continue;
    const o = X + stride * <usize>s;
    memory.copy(line, o, stride);
    let before = f32x4.replace_lane(v128.load(line), 3, 0), sum: f32 = 0;
    for (let k = 1; k < nodes; k++) {
      const x = <f32>k * per, i = min(<i32>x, nodes - 2), f = f32x4.splat(x - <f32>i), at = line + (<usize>i << 4), b = v128.load(at), d = v128.load(at, 16), a = i > 0 ? v128.load(at - 16) : f32x4.sub(f32x4.mul(two_, b), d), e = i < nodes - 2 ? v128.load(at, 32) : f32x4.sub(f32x4.mul(two_, d), b);
      const cubic = f32x4.add(f32x4.mul(three, f32x4.sub(b, d)), f32x4.sub(e, a)), square = f32x4.add(f32x4.sub(f32x4.mul(two_, a), f32x4.mul(five, b)), f32x4.sub(f32x4.mul(four, d), e)), slope = f32x4.add(f32x4.sub(d, a), f32x4.mul(f, f32x4.add(square, f32x4.mul(f, cubic))));
      const here = f32x4.add(b, f32x4.mul(f32x4.mul(half, f), slope)), way = f32x4.sub(here, before), l = f32x4.extract_lane(f32x4.sqrt(sum3(f32x4.mul(way, way))), 0);
      v128.store(o + (<usize>k << 4), f32x4.replace_lane(here, 3, l));
      sum += l;
      before = here;
    }
    store<f32>(o + 12, sum);
  }
}

/** Put together for each kind of step (`kind`: 0 clump, 1 curl, 2 wave, 3 frizz, 4 stray, 5 bend), with what the step keeps in S0 … S39. `own`, `table` of the strands `from` … alone; no table: 0. */
export function displace(X: usize, own: usize, profile: usize, table: usize, shares: usize, normals: usize, places: usize, nodes: i32, from: i32, to: i32): void {
  const clumps = kind == 0, frames = kind == 1 || kind == 2 || kind == 5, wanders = kind == 3, twisted = clumps && load<f32>(A) != 0, stride = <usize>nodes << 4, last = nodes - 1, zero = f32x4.splat(0), unit = f32x4.splat(1), tiny = f32x4.splat(1e-24), least = f32x4.splat(1e-30), short = f32x4.splat(1e-12);
  for (let s = from; s < to; s += 4) {
    const s0 = <usize>s, s1 = <usize>min(s + 1, to - 1), s2 = <usize>min(s + 2, to - 1), s3 = <usize>min(s + 3, to - 1), base = <usize>from;
    const W3 = v128.load(own + ((s0 - base) << 4)), X3 = v128.load(own + ((s1 - base) << 4)), Y3 = v128.load(own + ((s2 - base) << 4)), Z3 = v128.load(own + ((s3 - base) << 4)), A3 = lo(W3, X3), B3 = hi(W3, X3), C3 = lo(Y3, Z3), D3 = hi(Y3, Z3);
    const amount = one(A3, C3), r1 = two(A3, C3), r2 = one(B3, D3), r3 = two(B3, D3);
    let on = f32x4.gt(amount, zero);
    if (clumps) on = v128.and(on, f32x4.ge(r1, zero));
    const mask = i32x4.bitmask(on) & (to - s >= 4 ? 15 : (1 << (to - s)) - 1);
    if (mask == 0) continue;
    const x0 = X + stride * s0, x1 = X + stride * s1, x2 = X + stride * s2, x3 = X + stride * s3;
    const W4 = v128.load(x0), X4 = v128.load(x1), Y4 = v128.load(x2), Z4 = v128.load(x3), A4 = lo(W4, X4), B4 = hi(W4, X4), C4 = lo(Y4, Z4), D4 = hi(Y4, Z4);
    S0 = one(A4, C4); S1 = two(A4, C4); S2 = one(B4, D4); S9 = two(B4, D4);
    let qx = one(A4, C4), qy = two(A4, C4), qz = one(B4, D4), x = qx, y = qy, z = qz;
    S11 = r1; S12 = r2; S13 = r3;
    const W5 = v128.load(normals + (s0 << 4)), X5 = v128.load(normals + (s1 << 4)), Y5 = v128.load(normals + (s2 << 4)), Z5 = v128.load(normals + (s3 << 4)), A5 = lo(W5, X5), B5 = hi(W5, X5), C5 = lo(Y5, Z5), D5 = hi(Y5, Z5);
    S23 = one(A5, C5); S24 = two(A5, C5); S25 = one(B5, D5);
    // where the centres of the clumps begin, and how far from the strands
    let m0: usize = 0, m1: usize = 0, m2: usize = 0, m3: usize = 0, cx = zero, cy = zero, cz = zero;
    if (clumps) {
      m0 = <usize>max(0, <i32>f32x4.extract_lane(r1, 0)); m1 = <usize>max(0, <i32>f32x4.extract_lane(r1, 1)); m2 = <usize>max(0, <i32>f32x4.extract_lane(r1, 2)); m3 = <usize>max(0, <i32>f32x4.extract_lane(r1, 3));
      const W6 = f32x4.sub(v128.load(places + (m0 << 4)), v128.load(places + (s0 << 4))), X6 = f32x4.sub(v128.load(places + (m1 << 4)), v128.load(places + (s1 << 4))), Y6 = f32x4.sub(v128.load(places + (m2 << 4)), v128.load(places + (s2 << 4))), Z6 = f32x4.sub(v128.load(places + (m3 << 4)), v128.load(places + (s3 << 4))), A6 = lo(W6, X6), B6 = hi(W6, X6), C6 = lo(Y6, Z6), D6 = hi(Y6, Z6);
      cx = one(A6, C6); cy = two(A6, C6); cz = one(B6, D6);
      m0 = X + stride * m0; m1 = X + stride * m1; m2 = X + stride * m2; m3 = X + stride * m3;
    }
    const W7 = v128.load(x0, 16), X7 = v128.load(x1, 16), Y7 = v128.load(x2, 16), Z7 = v128.load(x3, 16), A7 = lo(W7, X7), B7 = hi(W7, X7), C7 = lo(Y7, Z7), D7 = hi(Y7, Z7);
    let nx = one(A7, C7), ny = two(A7, C7), nz = one(B7, D7), ne = two(B7, D7), along = zero;
    if (frames) {
      const ex = f32x4.sub(nx, x), ey = f32x4.sub(ny, y), ez = f32x4.sub(nz, z), l = f32x4.div(unit, f32x4.sqrt(f32x4.pmax(least, dot(ex, ey, ez, ex, ey, ez))));
      S14 = f32x4.mul(l, ex); S15 = f32x4.mul(l, ey); S16 = f32x4.mul(l, ez);
      BEGIN;
    }
    S26 = qx; S27 = qy; S28 = qz;
    for (let k = 1; k <= last; k++) {
      const at = <usize>k << 4, px = nx, py = ny, pz = nz, edge = ne;
      along = f32x4.add(along, edge);
      S0 = px; S1 = py; S2 = pz; S6 = edge; S7 = f32x4.splat(load<f32>(shares + (<usize>k << 2))); S8 = along;
      const part = f32x4.splat(load<f32>(profile + (<usize>k << 2))), row = <usize>nodes << 2;
      S10 = f32x4.mul(part, table == 0 ? amount : each(table + (<usize>k << 2), row * (s0 - base), row * (s1 - base), row * (s2 - base), row * (s3 - base)));
      if (k < last) { const W8 = v128.load(x0 + at, 16), X8 = v128.load(x1 + at, 16), Y8 = v128.load(x2 + at, 16), Z8 = v128.load(x3 + at, 16), A8 = lo(W8, X8), B8 = hi(W8, X8), C8 = lo(Y8, Z8), D8 = hi(Y8, Z8); nx = one(A8, C8); ny = two(A8, C8); nz = one(B8, D8); ne = two(B8, D8); }
      if (frames || wanders) {
        // the node before has been moved already, its old place is known
        const ex = f32x4.sub(nx, S26), ey = f32x4.sub(ny, S27), ez = f32x4.sub(nz, S28), l = f32x4.div(unit, f32x4.sqrt(f32x4.pmax(least, dot(ex, ey, ez, ex, ey, ez))));
        S14 = f32x4.mul(l, ex); S15 = f32x4.mul(l, ey); S16 = f32x4.mul(l, ez);
        if (wanders) { S26 = px; S27 = py; S28 = pz; }
      } else if (clumps) {
        const u = f32x4.mul(f32x4.splat(<f32>k), r2), j = f32x4.pmax(zero, f32x4.pmin(f32x4.floor(u), f32x4.splat(<f32>(last - 1)))), f = f32x4.sub(u, j);
        const a0 = m0 + (<usize><i32>f32x4.extract_lane(j, 0) << 4), a1 = m1 + (<usize><i32>f32x4.extract_lane(j, 1) << 4), a2 = m2 + (<usize><i32>f32x4.extract_lane(j, 2) << 4), a3 = m3 + (<usize><i32>f32x4.extract_lane(j, 3) << 4);
        const W9 = v128.load(a0), X9 = v128.load(a1), Y9 = v128.load(a2), Z9 = v128.load(a3), A9 = lo(W9, X9), B9 = hi(W9, X9), C9 = lo(Y9, Z9), D9 = hi(Y9, Z9);
        const bx = one(A9, C9), by = two(A9, C9), bz = one(B9, D9);
        const W10 = v128.load(a0, 16), X10 = v128.load(a1, 16), Y10 = v128.load(a2, 16), Z10 = v128.load(a3, 16), A10 = lo(W10, X10), B10 = hi(W10, X10), C10 = lo(Y10, Z10), D10 = hi(Y10, Z10);
        const ux = f32x4.sub(one(A10, C10), bx), uy = f32x4.sub(two(A10, C10), by), uz = f32x4.sub(one(B10, D10), bz);
        S17 = f32x4.add(f32x4.add(cx, bx), f32x4.mul(f, ux)); S18 = f32x4.add(f32x4.add(cy, by), f32x4.mul(f, uy)); S19 = f32x4.add(f32x4.add(cz, bz), f32x4.mul(f, uz));
        if (twisted) { const l = f32x4.div(unit, f32x4.sqrt(f32x4.pmax(least, dot(ux, uy, uz, ux, uy, uz)))); S20 = f32x4.mul(l, ux); S21 = f32x4.mul(l, uy); S22 = f32x4.mul(l, uz); }
      }
      STEP;
      let ex = f32x4.sub(S3, qx), ey = f32x4.sub(S4, qy), ez = f32x4.sub(S5, qz);
      const dx = f32x4.sub(qx, x), dy = f32x4.sub(qy, y), dz = f32x4.sub(qz, z), d = f32x4.div(dot(ex, ey, ez, dx, dy, dz), f32x4.pmax(tiny, dot(ex, ey, ez, ex, ey, ez))), c = toward(ex, ey, ez, dx, dy, dz);
      ex = f32x4.add(ex, f32x4.mul(c, f32x4.sub(dx, f32x4.mul(d, ex)))); ey = f32x4.add(ey, f32x4.mul(c, f32x4.sub(dy, f32x4.mul(d, ey)))); ez = f32x4.add(ez, f32x4.mul(c, f32x4.sub(dz, f32x4.mul(d, ez))));
      const m = f32x4.div(edge, f32x4.pmax(short, f32x4.sqrt(dot(ex, ey, ez, ex, ey, ez))));
      x = f32x4.add(x, f32x4.mul(m, ex)); y = f32x4.add(y, f32x4.mul(m, ey)); z = f32x4.add(z, f32x4.mul(m, ez));
      const A11 = lo(x, y), B11 = hi(x, y), C11 = lo(z, edge), D11 = hi(z, edge);
      if ((mask & 1) != 0) v128.store(x0 + at, one(A11, C11));
      if ((mask & 2) != 0) v128.store(x1 + at, two(A11, C11));
      if ((mask & 4) != 0) v128.store(x2 + at, one(B11, D11));
      if ((mask & 8) != 0) v128.store(x3 + at, two(B11, D11));
      qx = S3; qy = S4; qz = S5;
    }
  }
}
