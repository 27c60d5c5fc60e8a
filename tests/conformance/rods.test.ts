/** The rod on both kernels against closed formulas and tables. */
import { describe, expect, it } from 'vitest';
import { heavyElastica } from '../helpers/elastica';
import { apart, beamMode, cantileverError, chainMode, curlDrift, elasticaError, GRAVITY as g, helix, pathLength, pendulumEnergy, settle, shaken, SUBSTEP, stiffnessFor } from '../helpers/rod-cases';
import { KERNELS, oneStrand, plainRod, straight } from '../helpers/strands';

it('the elastica’s reference gives the published rows', () => {
  // Source: shooting and finite differences agree to the digits shown
  const rows = [[1, 0.99125, 0.12347, 0.16512, 0.49693], [10, 0.65635, 0.7002, 1.0526, 3.7422], [100, 0.15922, 0.93752, 1.5641, 13.693]];
  for (const [beta, x, y, angle, root] of rows) {
    const r = heavyElastica(beta);
    expect(r.x).toBeCloseTo(x, 4);
    expect(r.y).toBeCloseTo(y, 4);
    expect(r.tipAngle).toBeCloseTo(angle, 3);
    expect(Math.abs(r.rootCurvature / root - 1)).toBeLessThan(2e-3);
  }
});

describe.each(KERNELS)('statics, %s', (kernel) => {
  // Source: Euler–Bernoulli beam tables, uniformly loaded cantilever: tip deflection qL⁴ / 8EI
  it('cantilever: 16 points within 0.5 %, and the error falls by 3.5 and more for each doubling of the points', () => {
    const errors = [8, 16, 32].map((n) => Math.abs(cantileverError(n, SUBSTEP, kernel)));
    expect(errors[1]).toBeLessThan(0.005);
    expect(errors[0] / errors[1]).toBeGreaterThan(3.5);
    expect(errors[1] / errors[2]).toBeGreaterThan(3.5);
  });
  it('cantilever: the same within 0.05 % for 2 to 32 substeps', () => {
    const tips = [2, 4, 32].map((s) => cantileverError(16, 1 / (24 * s), kernel));
    expect(Math.max(...tips) - Math.min(...tips)).toBeLessThan(0.0005);
  });
  for (const beta of [1, 10, 100]) it(`heavy elastica, β = ${beta}: 16 points within 0.5 % of the length, 32 within 0.2 %`, () => {
    const coarse = elasticaError(beta, 16, kernel), fine = elasticaError(beta, 32, kernel);
    expect(coarse.error).toBeLessThan(0.005);
    expect(fine.error).toBeLessThan(0.002);
    expect(coarse.net + fine.net).toBe(0);
  });
  it('a hanging chain carries at its root the weight that hangs below it, and does not move', () => {
    // Source: statics; T(s) = q (L − s)
    const L = 0.3, n = 24, rho = 4e-6, strand = oneStrand(straight(n, L, [0, -1, 0]), plainRod(rho, 1e-12), { kernel });
    strand.step(24 * 8, { h: SUBSTEP, damping: 20 });
    expect(strand.get('tension', 1) / (rho * g * (L - 0.5 * strand.get('restLength', 1)))).toBeCloseTo(1, 2);
    for (let i = 0; i < n; i++) expect(strand.point(i)[1]).toBeCloseTo((-L * i) / (n - 1), 5);
  });
  it('a rod that is clamped upright stands below Greenhill’s height and leans above it', () => {
    // Source: Greenhill 1881: critical q L³ / EI = 7.837
    const lean = (beta: number): number => {
      const L = 0.1, n = 16, strand = oneStrand(straight(n, L, [0, 1, 0]), plainRod(4e-6, stiffnessFor(beta, L)), { kernel });
      for (let i = 1; i < n; i++) strand.shift(i, [1e-5 * (i / n) ** 2, 0, 0]);
      strand.step(24 * 24 * 8, { h: SUBSTEP, damping: 3 });
      return Math.abs(strand.point(n - 1)[0] / L);
    };
    expect(lean(7.837 * 0.97)).toBeLessThan(1e-3);
    expect(lean(7.837 * 1.05)).toBeGreaterThan(0.1);
  });
  it('the same β gives the same shape at ten times the length', () => {
    const shape = (L: number): number[] => {
      const n = 16, strand = oneStrand(straight(n, L, [1, 0, 0]), plainRod(4e-6, stiffnessFor(8, L)), { kernel });
      settle(strand);
      return Array.from({ length: n }, (_, i) => strand.point(i).map((v) => v / L)).flat();
    };
    const large = shape(0.5);
    shape(0.05).forEach((v, i) => expect(Math.abs(v - large[i])).toBeLessThan(1e-3));
  });
  it('hung up at both ends it is a catenary: sag 0.10053 for 0.3 on a span of 0.2', () => {
    // Source: y = a cosh(x/a), a from the length; no bending stiffness to speak of
    const N = 33, span = 0.2, parabola = (a: number): number[][] => Array.from({ length: N }, (_, i) => [(span * i) / (N - 1), -a * (1 - ((2 * i) / (N - 1) - 1) ** 2), 0]);
    let low = 0, high = 0.3;
    for (let k = 0; k < 60; k++) { const mid = (low + high) / 2; if (pathLength(parabola(mid)) < 0.3) low = mid; else high = mid; }
    const strand = oneStrand(parabola(low), plainRod(4e-6, 1e-13), { kernel, hinged: true, pinnedTip: true, rest: straight(N, 0.3, [1, 0, 0]), fastening: 'along its first edge' });
    settle(strand);
    const sag = -Math.min(...Array.from({ length: N }, (_, i) => strand.point(i)[1]));
    expect(Math.abs(sag / 0.10053 - 1)).toBeLessThan(0.002);
    expect(strand.point(N - 1)[0]).toBeCloseTo(span, 6);
    expect(strand.system.netUses).toBe(0);
  });
  it('torsion: a bracket of two arms sinks by its bends and by θ = TL/GJ', () => {
    // Source: Roark’s formulas, bent cantilever: δ = F L³/3EI + F a³/3EI + (F a L/GJ) a, *from memory*; 71 % of it is twist here
    const error = (m: number): number => {
      const L = 0.05, a = 0.05, EI = 1e-6, GJ = 6e-7, load = 2e-7;
      const points = [...Array.from({ length: m + 1 }, (_, i) => [(L * i) / m, 0, 0]), ...Array.from({ length: m }, (_, i) => [L, 0, (a * (i + 1)) / m])];
      const strand = oneStrand(points, { lineDensity: 1e-9, bend: EI, twist: GJ }, { kernel }), n = points.length, F = load * g;
      strand.set('mass', n - 1, load);
      settle(strand);
      return -strand.point(n - 1)[1] / ((F * L ** 3) / (3 * EI) + (F * a ** 3) / (3 * EI) + (F * a * L * a) / GJ) - 1;
    };
    expect(Math.abs(error(20))).toBeLessThan(0.015);
    expect(error(20) / error(40)).toBeGreaterThan(1.8);
  });
  it('a close-coiled spring under its own weight lengthens by π D³ N W / 8GJ', () => {
    // Source: close-coiled spring, δ = 8 F D³ N / G d⁴ = π D³ N F / 4GJ (machine design handbooks); half of it for the spring’s own weight
    const N = 4, D = 0.01, GJ = 2e-9, n = 24 * N + 1, points = helix(n, D / 2, 0.0004, N), strand = oneStrand(points, { lineDensity: 4e-7, bend: 3e-9, twist: GJ }, { kernel });
    settle(strand);
    const W = 4e-7 * g * Math.PI * D * N, expected = (Math.PI * D ** 3 * N * W) / (8 * GJ);
    expect(Math.abs((points[n - 1][1] - strand.point(n - 1)[1]) / expected - 1)).toBeLessThan(0.03);
    expect(strand.system.netUses).toBe(0);
  });
});

describe.each(KERNELS)('movement, %s', (kernel) => {
  it('first mode of a hanging chain: ω = (2.4048256 / 2) √(g / L) within 1 % (2 % for 8 points), numerical damping below 1e-3', () => {
    // Source: Bernoulli, first zero of J₀ (hanging chain)
    const fine = chainMode(16, kernel);
    expect(Math.abs(fine.error)).toBeLessThan(0.01);
    expect(Math.abs(fine.damping)).toBeLessThan(1e-3);
    expect(Math.abs(chainMode(8, kernel).error)).toBeLessThan(0.02);
  });
  it('first bending mode: ω = 3.5160 √(EI / ρAL⁴) within 1 % (2 % for 8 points), numerical damping below 1e-3', () => {
    // Source: Euler–Bernoulli beam tables, first clamped–free mode
    const fine = beamMode(16, kernel);
    expect(Math.abs(fine.error)).toBeLessThan(0.01);
    expect(Math.abs(fine.damping)).toBeLessThan(1e-3);
    expect(Math.abs(beamMode(8, kernel).error)).toBeLessThan(0.02);
  });
  it('damped bending dies by ζ = ηω/2', () => {
    // Source: Kelvin–Voigt solid, σ = E(ε + η dε/dt)
    for (const lag of [0.003, 0.01]) {
      const { damping, omega } = beamMode(16, kernel, lag);
      expect(Math.abs(damping / ((lag * omega) / 2) - 1)).toBeLessThan(0.02);
    }
  });
  it('a rigid pendulum keeps its energy: 2.5 % lost in 10 s at 8 substeps, and the loss falls by five when they double', () => {
    const [four, eight, sixteen] = [4, 8, 16].map((s) => 1 - pendulumEnergy(s, [10], kernel)[0]);
    expect(eight).toBeLessThan(0.025);
    expect(four / eight).toBeGreaterThan(5);
    expect(eight / sixteen).toBeGreaterThan(5);
    expect(sixteen).toBeGreaterThan(-1e-4);
  });
  it('a rod on a hinge swings with the period of the physical pendulum, by the arithmetic–geometric mean', () => {
    // Source: T = 2π √(I/mgd) / agm(1, cos(θ/2)); I and d of the lumped masses themselves
    const n = 8, L = 0.2, angle = 1.2, strand = oneStrand(straight(n, L, [Math.sin(angle), -Math.cos(angle), 0]), plainRod(5e-6, 1e-6), { kernel, hinged: true });
    let a = 1, b = Math.cos(angle / 2), inertia = 0, moment = 0;
    for (let k = 0; k < 8; k++) [a, b] = [(a + b) / 2, Math.sqrt(a * b)];
    for (let i = 1; i < n; i++) { const r = (L * i) / (n - 1), m = strand.get('mass', i); inertia += m * r * r; moment += m * g * r; }
    const expected = (2 * Math.PI * Math.sqrt(inertia / moment)) / a, h = SUBSTEP / 2, crossings: number[] = [];
    let before = strand.point(n - 1)[0];
    for (let t = h; t < 3; t += h) {
      strand.step(1, { h });
      const now = strand.point(n - 1)[0];
      if (before * now < 0) crossings.push(t - (h * now) / (now - before));
      before = now;
    }
    expect((2 * (crossings.at(-1)! - crossings[0])) / (crossings.length - 1) / expected).toBeCloseTo(1, 2);
  });
  it('energy never grows without a source', () => {
    const n = 16, strand = oneStrand(straight(n, 0.2, [1, 0, 0]), plainRod(5e-6, 1e-10), { kernel });
    const energy = (): number => Array.from({ length: n - 1 }, (_, k) => { const v = strand.velocity(k + 1); return strand.get('mass', k + 1) * (0.5 * (v[0] ** 2 + v[1] ** 2 + v[2] ** 2) + g * strand.point(k + 1)[1]); }).reduce((x, y) => x + y);
    const start = energy(), scale = 5e-6 * 0.2 * g * 0.2;
    for (let k = 0; k < 10 * 24; k++) {
      strand.step(8, { h: SUBSTEP });
      expect((energy() - start) / scale).toBeLessThan(0.002);
    }
    expect(strand.system.netUses).toBe(0);
  });
  it('24, 30 and 60 frames a second give the same movement within 1 % of the length', () => {
    const at = (fps: number): number[][] => { const { tip } = shaken(16, Math.round(480 / fps), kernel, { fps, frames: 2 * fps }); return [fps / 2, fps, 2 * fps].map((f) => tip[f - 1]); };
    const slow = at(24);
    expect(apart(slow, at(30))).toBeLessThan(0.01);
    expect(apart(slow, at(60))).toBeLessThan(0.01);
  });
  it('64 points under a fast shake of 5 cm: 4 substeps are off by less than 3 %, 8 by less than 1 %, no net', () => {
    const reference = shaken(64, 64, 'float64', { hertz: 4 }), four = shaken(64, 4, kernel, { hertz: 4 }), eight = shaken(64, 8, kernel, { hertz: 4 });
    expect(apart(four.tip, reference.tip)).toBeLessThan(0.03);
    expect(apart(eight.tip, reference.tip)).toBeLessThan(0.01);
    expect(four.net + eight.net).toBe(0);
  });
  it('stretch stays under 0.05 % when the root is jerked 0.5 m in three frames and turned half round in four', () => {
    const jerked = (passes: number, turned = true): { worst: number; net: number } => {
    const n = 16, strand = oneStrand(straight(n, 0.25, [0, -1, 0]), plainRod(6e-6, 5e-9), { kernel });
    let worst = 0;
    for (let k = 0; k < 48 * 8; k++) {
      if (k < 24) strand.root[0] += 0.5 / 24;
      const a = turned ? Math.PI * Math.min(1, (k + 1) / 32) : 0;
      strand.turnRoot([Math.sin(a), -Math.cos(a), 0], [0, 0, 1]);
      strand.step(1, { h: SUBSTEP, passes });
      worst = Math.max(worst, strand.stretch());
    }
    return { worst, net: strand.system.netUses };
    };
    expect(jerked(1).worst).toBeLessThan(0.0005);
    expect(jerked(2).worst).toBeLessThan(0.0005);
    expect(jerked(2).net).toBe(0);
    expect(jerked(1, false)).toMatchObject({ net: 0 });
  });
  it('a curl whose root turns about its tangent turns with it as a whole', () => {
    const n = 20, shape = helix(n, 0.006, 0.05, 2), strand = oneStrand(shape, plainRod(4e-6, 3e-8), { kernel }), { tangent: t, director: u0 } = strand.rootFrame();
    const w0 = [t[1] * u0[2] - t[2] * u0[1], t[2] * u0[0] - t[0] * u0[2], t[0] * u0[1] - t[1] * u0[0]], turned = 2.5;
    for (let k = 1; k <= 960; k++) {
      const a = turned * Math.min(1, k / 480);
      strand.turnRoot(t, u0.map((v, c) => Math.cos(a) * v + Math.sin(a) * w0[c]));
      strand.step(1, { h: SUBSTEP, gravity: [0, 0, 0], damping: 10 });
    }
    for (let i = 0; i < n; i++) {
      const p = shape[i], d = t[0] * p[0] + t[1] * p[1] + t[2] * p[2], x = [t[1] * p[2] - t[2] * p[1], t[2] * p[0] - t[0] * p[2], t[0] * p[1] - t[1] * p[0]];
      const expected = p.map((v, c) => v * Math.cos(turned) + x[c] * Math.sin(turned) + t[c] * d * (1 - Math.cos(turned)));
      expect(Math.hypot(...strand.point(i).map((v, c) => v - expected[c])) / pathLength(shape)).toBeLessThan(1e-3);
    }
  });
});

describe.each(KERNELS)('calm start, %s', (kernel) => {
  it.each([2, 4, 8])('curls of any stiffness stay where they were combed for 5 s within 0.01 %% of their length, %i substeps', (substeps) => {
    for (const bend of [2e-8, 1e-7, 1e-6]) expect(curlDrift(bend, substeps, kernel)).toBeLessThan(1e-4);
  });
  it('a pushed curl swings and comes back: it does not feed on itself', () => {
    const shape = helix(24, 0.012, 0.03, 2.5), strand = oneStrand(shape, plainRod(6e-6, 1e-7), { kernel, calm: [0, -g, 0] });
    strand.shift(12, [0.002, 0, 0]);
    let late = 0;
    for (let k = 0; k < 8 * 24; k++) {
      strand.step(8, { h: SUBSTEP });
      if (k > 4 * 24) late = Math.max(late, ...shape.map((p, i) => Math.hypot(...strand.point(i).map((v, c) => v - p[c]))));
    }
    expect(late).toBeLessThan(0.004);
    expect(strand.system.netUses).toBe(0);
  });
  it('a natural curl that hangs combed springs back right when the head turns over', () => {
    // the natural shape is known here: a curl made without load, sagged by gravity, then combed as it hangs
    const natural = helix(32, 0.008, 0.04, 3), rod = plainRod(5e-6, 2e-8), L = pathLength(natural), sagged = oneStrand(natural, rod, { kernel: 'float64' });
    settle(sagged, SUBSTEP, 6);
    const combed = Array.from({ length: 32 }, (_, i) => [...sagged.point(i)]), t = natural[1].map((v) => v / Math.hypot(...natural[1])) as [number, number, number];
    expect(Math.hypot(...combed[31].map((v, c) => v - natural[31][c])) / L).toBeGreaterThan(0.005);
    const again = oneStrand(combed, rod, { kernel, calm: [0, -g, 0], rootTangent: t }), true_ = oneStrand(natural, rod, { kernel: 'float64' });
    for (const strand of [again, true_]) for (const damping of [10, 20, 40]) strand.step(6 * 192, { h: SUBSTEP, gravity: [0, g, 0], damping });
    for (let i = 0; i < 32; i++) expect(Math.hypot(...again.point(i).map((v, c) => v - true_.point(i)[c])) / L).toBeLessThan(0.005);
  });
});
