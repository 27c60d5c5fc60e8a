/**
 * Points of cages against closed forms: Den Hartog, Mechanical Vibrations (1934, 4th ed. 1956), §2.7–2.9 and §2.12, *from memory*; modes of a cube of
 * springs and its volume are derived beside their checks.
 */
import { describe, expect, it } from 'vitest';
import { CageMotion, type CageSprings } from '../../src/core/cage/cage-motion';

const SIDE = 0.2, still = new Float64Array(3);
/** Corners of a cube, m. */
const cube = (): Float64Array => Float64Array.from({ length: 24 }, (_, a) => (((a - (a % 3)) / 3 >> (a % 3)) & 1 ? SIDE : 0));
const loose: CageSprings = { points: 2, mass: 0.08, omega: 10, damping: 0, air: 0, firm: 0, bulk: 0 };
/** Times at which a movement goes up through nought. */
function crossings(motion: CageMotion, rest: Float64Array, h: number, steps: number, value: (x: Float64Array) => number): number[] {
  const out: number[] = [];
  let before = value(motion.x);
  for (let s = 1; s <= steps; s++) {
    motion.step(h, rest, rest, still, still);
    const now = value(motion.x);
    if (before < 0 && now >= 0) out.push(h * (s - 1 + before / (before - now)));
    before = now;
  }
  return out;
}

describe('a point of a cage', () => {
  it.each([['under', 0.15], ['little', 0.001], ['critically', 1], ['over', 2.5]])('that is %s damped goes as the damped oscillator does, to rounding, with steps of any length', (_, zeta) => {
    const f = 1.7, w = 2 * Math.PI * f, u0 = 0.04, v0 = -0.3, exact = (t: number): number => {
      if (zeta === 1) return (u0 + (v0 + w * u0) * t) * Math.exp(-w * t);
      if (zeta < 1) { const wd = w * Math.sqrt(1 - zeta ** 2); return Math.exp(-zeta * w * t) * (u0 * Math.cos(wd * t) + ((v0 + zeta * w * u0) / wd) * Math.sin(wd * t)); }
      const r = w * Math.sqrt(zeta ** 2 - 1), a = -zeta * w + r, b = -zeta * w - r, A = (v0 - b * u0) / (a - b);
      return A * Math.exp(a * t) + (u0 - A) * Math.exp(b * t);
    };
    for (const h of [1 / 24, 1 / 96, 0.31]) {
      const rest = cube(), motion = new CageMotion(rest, { ...loose, omega: w, damping: 2 * zeta * w });
      motion.begin(rest);
      motion.x[4] += u0;
      motion.v[4] = v0;
      for (let s = 1; s * h < 3; s++) { motion.step(h, rest, rest, still, still); expect(Math.abs(motion.x[4] - rest[4] - exact(s * h))).toBeLessThan(1e-12); }
      // no other point has heard of it
      expect(motion.x[7]).toBe(rest[7]);
    }
  });
  it.each([0.3, 0.8, 1, 1.4, 2.5])('whose joint shakes at %s of its own frequency moves as a shaken base moves a mass, within 1 %', (ratio) => {
    // transmissibility √((1 + (2ζr)²) / ((1 − r²)² + (2ζr)²)), four steps a frame of 24 a second
    const zeta = 0.2, f = 1.6, w = 2 * Math.PI * f, h = 1 / 96, rest = cube(), motion = new CageMotion(rest, { ...loose, omega: w, damping: 2 * zeta * w }), at = (t: number): Float64Array => rest.map((v, a) => (a % 3 === 0 ? v + 0.02 * Math.sin(ratio * w * t) : v));
    motion.begin(rest);
    let most = 0;
    for (let s = 1; s <= 96 * 20; s++) { motion.step(h, at((s - 1) * h), at(s * h), still, still); if (s > 96 * 14) most = Math.max(most, Math.abs(motion.x[0] - rest[0])); }
    expect(Math.abs(most / 0.02 / Math.sqrt((1 + (2 * zeta * ratio) ** 2) / ((1 - ratio ** 2) ** 2 + (2 * zeta * ratio) ** 2)) - 1)).toBeLessThan(0.01);
  });
  it('leans by a/ω² under a push, and is carried by the wind against its spring by c v/ω²', () => {
    const rest = cube(), motion = new CageMotion(rest, { ...loose, omega: 8, damping: 6, air: 1.5 });
    motion.begin(rest);
    for (let s = 0; s < 400; s++) motion.step(1 / 48, rest, rest, [0, -9.81, 0], [4, 0, 0]);
    expect(motion.x[1] - rest[1]).toBeCloseTo(-9.81 / 64, 9);
    expect(motion.x[0] - rest[0]).toBeCloseTo((1.5 * 4) / 64, 9);
  });
});

describe('points that are joined', () => {
  // all corners of a cube outwards by u: an edge grows by 2u, a face's diagonal by 2√2 u with half the rate; on each corner along each axis 2ku + 2 · ½k · 2u = 4ku
  it('breathe at √(ω² + 4k/m), and with a volume to keep at √(ω² + 1.5 K L/m)', () => {
    for (const [firm, bulk] of [[3, 0], [0, 400], [2, 250]]) {
      const m = 0.08 / 8, omega = 9, expected = Math.sqrt(omega ** 2 + (4 * firm) / m + (1.5 * bulk * SIDE) / m), rest = cube(), motion = new CageMotion(rest, { ...loose, omega, firm, bulk }), u = 1e-5;
      motion.begin(rest);
      for (let a = 0; a < 24; a++) motion.x[a] += rest[a] > 0 ? u : -u;
      const times = crossings(motion, rest, 1e-4, 12000, (x) => x[23] - rest[23]);
      expect(times.length).toBeGreaterThan(3);
      expect(Math.abs((2 * Math.PI * (times.length - 1)) / (times.at(-1)! - times[0]) / expected - 1)).toBeLessThan(0.005);
      // with all corners going the same way still
      for (let a = 0; a < 24; a++) expect(Math.abs(Math.abs(motion.x[a] - rest[a]) - Math.abs(motion.x[0] - rest[0]))).toBeLessThan(1e-9);
    }
  });
  it('push each other with as much as they are pushed: momentum to 1e-9, turning momentum the better the shorter the step', () => {
    const moment = (h: number): { p: number[]; l: number } => {
      const rest = cube(), motion = new CageMotion(rest, { ...loose, omega: 1e-7, firm: 5, bulk: 300 });
      motion.begin(rest);
      for (let a = 0; a < 24; a++) { motion.x[a] += 0.02 * Math.sin(7 * a); motion.v[a] = 0.3 * Math.cos(5 * a); }
      const L = (): number => { let l = 0; for (let p = 0; p < 24; p += 3) l += motion.x[p] * motion.v[p + 1] - motion.x[p + 1] * motion.v[p]; return l; }, sum = (c: number): number => { let s = 0; for (let p = c; p < 24; p += 3) s += motion.v[p]; return s; }, before = [0, 1, 2].map(sum), turning = L();
      for (let s = 0; s < Math.round(0.1 / h); s++) motion.step(h, rest, rest, still, still);
      return { p: [0, 1, 2].map((c) => sum(c) - before[c]), l: Math.abs(L() - turning) };
    };
    const coarse = moment(1e-3), fine = moment(2.5e-4);
    for (const v of [...coarse.p, ...fine.p]) expect(Math.abs(v)).toBeLessThan(1e-9);
    expect(fine.l).toBeLessThan(0.5 * coarse.l + 1e-9);
  });
  it('keep the volume of what they make up, the more the firmer it is', () => {
    const lost = [0, 500, 20000].map((bulk) => {
      const n = 4, rest = Float64Array.from({ length: 3 * n ** 3 }, (_, a) => (0.3 * (Math.floor((a - (a % 3)) / 3 / n ** (a % 3)) % n)) / (n - 1)), pinned = Uint8Array.from({ length: n ** 3 }, (_, p) => (Math.floor(p / n) % n === n - 1 ? 1 : 0)), motion = new CageMotion(rest, { points: n, mass: 0.1, omega: 6, damping: 2, air: 0, firm: 6, bulk }, pinned);
      motion.begin(rest);
      let most = 0;
      for (let s = 0; s < 96; s++) { motion.step(1 / 96, rest, rest, [12, 0, 6], still); most = Math.max(most, Math.abs(motion.volume - 1)); }
      // what is pinned has not moved at all
      for (let p = 0; p < n ** 3; p++) if (pinned[p]) for (let c = 0; c < 3; c++) expect(motion.x[3 * p + c]).toBe(rest[3 * p + c]);
      expect(motion.x[0] - rest[0]).toBeGreaterThan(0.01);
      return most;
    });
    expect(lost[1]).toBeLessThan(0.6 * lost[0]);
    expect(lost[2]).toBeLessThan(0.01);
  });
});
