import { beforeAll, describe, expect, it } from 'vitest';
import { tubeScenes, type TubeScenes } from '../../../tests/helpers/tube-scene';
import { filledSchema, measuresSchema, MEASURES, reportSchema, type Measures, type Proof } from '../document/proof';
import { makeRandom } from '../math/random';
import { SwayRun } from '../sway/run';
import { FrameMeter, neighbourPairs } from './frame-meter';
import { colliderOf, deepestBelow, figureOf, judge, passes, worstList } from './judge';
import { LoopSeam } from './loop-seam';
import { MeshDepth, poseOf } from './mesh-depth';
import { proofCsv, takeSheet } from './sheet';
import { EARTH, OF_STRAND, STRAND_NUMBERS, StrandMeter } from './strand-meter';
import { computeTake } from './take';

const FPS = 24;
let tube: TubeScenes;
beforeAll(async () => { tube = await tubeScenes(); });

/** Frames of `guides` strands of `n` points that move smoothly, with `tamper` on top; and the carried shapes. */
function movement(guides: number, n: number, count: number, seed: number, tamper: (p: Float64Array, frame: number) => void = () => undefined): { points: Float64Array[]; combed: Float64Array[] } {
  const random = makeRandom(seed), base = Float64Array.from({ length: 3 * n * guides }, (_, k) => (Math.floor(k / 3) % n) * 0.01 + 0.3 * random()), phase = base.map(() => 6 * random());
  const combed = Array.from({ length: count }, (_, f) => base.map((v, k) => v + 0.1 * Math.sin(0.1 * f + (k % 3))));
  const points = combed.map((c, f) => { const p = c.map((v, k) => v + 0.01 * Math.sin(0.35 * f + phase[k])); tamper(p, f); return p; });
  return { points, combed };
}
/** The slow twin: every formula written out once more, from all frames at once. */
function slow(points: Float64Array[], combed: Float64Array[], f: number, n: number, g: number): { jump: number; jitter: number; drift: number; move: number[]; carried: number } {
  const at = (frame: number, i: number): number[] => [0, 1, 2].map((c) => { const k = 3 * (g * n + i) + c, fr = Math.max(0, frame); return points[fr][k] - combed[fr][k]; });
  const sub = (a: number[], b: number[]): number[] => a.map((v, c) => v - b[c]), dot = (a: number[], b: number[]): number => a.reduce((s, v, c) => s + v * b[c], 0), len = (a: number[]): number => Math.sqrt(dot(a, a));
  const v = (fr: number, i: number): number[] => sub(at(fr, i), at(fr - 1, i)), a = (fr: number, i: number): number[] => sub(v(fr, i), v(fr - 1, i)), j = (fr: number, i: number): number[] => sub(a(fr, i), a(fr - 1, i));
  const all = Array.from({ length: n }, (_, i) => i), shakes = (i: number): number => { const five = [0, 1, 2, 3, 4].map((k) => j(f - k, i)); return five.every((x, k) => k === 0 || dot(x, five[k - 1]) < 0) ? Math.min(...five.map(len)) / 8 : 0; };
  const tip = n - 1, skin = [0, 1, 2].map((c) => combed[f][3 * (g * n + tip) + c] - combed[f - 1][3 * (g * n + tip) + c]);
  return { jump: f < 2 ? 0 : Math.max(...all.map((i) => (len(a(f, i)) * FPS * FPS) / EARTH)), jitter: f < 7 ? 0 : Math.max(...all.map(shakes)), drift: Math.max(...all.map((i) => len(at(f, i)))), move: v(f, tip), carried: len(skin) };
}
function meter(points: Float64Array[], combed: Float64Array[], n: number): Measures[] {
  const strands = new StrandMeter(n, FPS, points[0], combed[0]), whole = new FrameMeter(n, FPS, combed[0]);
  return points.slice(1).map((p, k) => { strands.take(p, combed[k + 1]); return whole.take(measuresSchema.parse({ frame: k + 1, stretch: 0, stretchGuide: -1, depth: 0, depthGuide: -1, netUses: 0 }), p, strands.strands); });
}
const proofOf = (frames: Measures[], more: Partial<Proof> = {}): Proof => ({ start: 1, end: frames.at(-1)!.frame, fps: FPS, report: reportSchema.parse({ guides: 6, cut: 0, beganInside: 0, beganDeepest: 0, pills: 0, length: 0.2 }), frames, seam: null, seconds: 0, filled: null, ...more });

describe('measures of strands', () => {
  it.each([1, 2, 3, 4])('agree with the formulas written out again, on movements of chance %i', (seed) => {
    const n = 5, guides = 6, random = makeRandom(99 + seed), { points, combed } = movement(guides, n, 16, seed, (p) => { if (seed > 2) for (let k = 0; k < p.length; k++) p[k] += 0.004 * (random() - 0.5); });
    const m = new StrandMeter(n, FPS, points[0], combed[0]);
    for (let f = 1; f < 16; f++) {
      m.take(points[f], combed[f]);
      for (let g = 0; g < guides; g++) {
        const s = m.strands.subarray(STRAND_NUMBERS * g, STRAND_NUMBERS * (g + 1)), twin = slow(points, combed, f, n, g);
        expect(s[OF_STRAND.jump]).toBeCloseTo(twin.jump, 3);
        expect(s[OF_STRAND.jitter]).toBeCloseTo(twin.jitter, 6);
        expect(s[OF_STRAND.drift]).toBeCloseTo(twin.drift, 6);
        expect(s[OF_STRAND.carried]).toBeCloseTo(twin.carried, 6);
        twin.move.forEach((v, c) => expect(s[OF_STRAND.move + c]).toBeCloseTo(v, 6));
      }
    }
  });
  it('what the skin does is not held against the hair', () => {
    const { combed } = movement(4, 6, 14, 5), m = new StrandMeter(6, FPS, combed[0], combed[0]);
    for (const c of combed.slice(1)) { m.take(c, c); expect(Math.max(...[OF_STRAND.jump, OF_STRAND.jitter, OF_STRAND.drift].flatMap((k) => [0, 1, 2, 3].map((g) => m.strands[STRAND_NUMBERS * g + k])))).toBe(0); }
  });
  it('a jump at frame 9 is found at that frame, at that strand, in its size', () => {
    // strand 3 flies off by 4 cm from frame 9 on
    const { points, combed } = movement(6, 5, 16, 1, (p, f) => { if (f >= 9) for (let i = 1; i < 5; i++) p[3 * (3 * 5 + i)] += 0.04; }), f = figureOf(proofOf(meter(points, combed, 5)), 'jump')!;
    expect(f).toMatchObject({ frame: 9, guide: 3 });
    // the smooth movement adds a little of its own
    expect(Math.abs(f.value - (0.04 * FPS * FPS) / EARTH)).toBeLessThan(0.15);
  });
  it('a shake of 2 mm from frame to frame is found where it is; a single knock is none', () => {
    const shake = movement(6, 5, 24, 2, (p, f) => { if (f >= 10 && f < 20) p[3 * (4 * 5 + 4) + 1] += f % 2 === 0 ? 0.002 : -0.002; }), found = figureOf(proofOf(meter(shake.points, shake.combed, 5)), 'jitter')!;
    expect(found.guide).toBe(4);
    expect(found.value).toBeGreaterThan(0.0018);
    expect(found.value).toBeLessThan(0.0022);
    const knock = movement(6, 5, 24, 2, (p, f) => { if (f === 12) p[3 * (4 * 5 + 4) + 1] += 0.01; });
    expect(figureOf(proofOf(meter(knock.points, knock.combed, 5)), 'jitter')!.value).toBeLessThan(1e-4);
  });
});

describe('measures of the whole groom', () => {
  it('neighbours are the nearest four of each, told by trying all', () => {
    const random = makeRandom(8), roots = Float64Array.from({ length: 3 * 40 }, () => random()), far = (a: number, b: number): number => Math.hypot(...[0, 1, 2].map((c) => roots[3 * a + c] - roots[3 * b + c]));
    const pairs = new Set<string>();
    for (let a = 0; a < 40; a++) for (const b of Array.from({ length: 40 }, (_, k) => k).filter((k) => k !== a).sort((p, q) => far(a, p) - far(a, q)).slice(0, 4)) pairs.add([a, b].sort((p, q) => p - q).join());
    const got = neighbourPairs(roots);
    expect(new Set(Array.from({ length: got.length / 2 }, (_, k) => `${got[2 * k]},${got[2 * k + 1]}`))).toEqual(pairs);
  });
  it('hair that shrinks to half across keeps a quarter of its room', () => {
    const n = 4, guides = 9, groomed = Float64Array.from({ length: 3 * n * guides }, (_, k) => { const g = Math.floor(k / (3 * n)), i = Math.floor(k / 3) % n; return [(g % 3) * 0.02, Math.floor(g / 3) * 0.02, -i * 0.05][k % 3]; });
    const meterOfIt = new FrameMeter(n, FPS, groomed), half = groomed.map((v, k) => (k % 3 === 2 ? v : 0.5 * v)), numbers = new Float32Array(STRAND_NUMBERS * guides), base = measuresSchema.parse({ frame: 0, stretch: 0, stretchGuide: -1, depth: 0, depthGuide: -1, netUses: 0 });
    expect(meterOfIt.take(base, groomed, numbers).volume).toBeCloseTo(1, 12);
    expect(meterOfIt.take(base, half, numbers).volume).toBeCloseTo(0.25, 12);
    // turned and shifted as a whole it has lost nothing
    expect(meterOfIt.take(base, groomed.map((_, k) => (k % 3 === 0 ? groomed[k + 1] : k % 3 === 1 ? -groomed[k - 1] : groomed[k]) + 3), numbers).volume).toBeCloseTo(1, 9);
  });
  it('the share that moves as all do is counted; without movement there is none', () => {
    const guides = 10, numbers = new Float32Array(STRAND_NUMBERS * guides), meterOfIt = new FrameMeter(2, FPS, Float64Array.from({ length: 60 }, (_, k) => k * 0.01)), base = measuresSchema.parse({ frame: 0, stretch: 0, stretchGuide: -1, depth: 0, depthGuide: -1, netUses: 0 }), points = new Float64Array(60);
    for (let g = 0; g < guides; g++) numbers[STRAND_NUMBERS * g + OF_STRAND.move] = 0.01;
    expect(meterOfIt.take(base, points, numbers).alike).toBeCloseTo(1, 9);
    // three go the other way: the mean is 0.4 of a step, nobody is within a third of it
    for (let g = 0; g < 3; g++) numbers[STRAND_NUMBERS * g + OF_STRAND.move] = -0.01;
    expect(meterOfIt.take(base, points, numbers).alike).toBe(0);
    for (let g = 0; g < 3; g++) numbers[STRAND_NUMBERS * g + OF_STRAND.move] = 0.0095;
    expect(meterOfIt.take(base, points, numbers).alike).toBeCloseTo(1, 9);
    numbers.fill(0);
    expect(meterOfIt.take(base, points, numbers).alike).toBe(0);
  });
});

describe('a loop', () => {
  it('a seam of 5 mm is found at its strand, in position and in velocity; a travelling root is no seam', () => {
    const seam = new LoopSeam(3, { start: 0, end: 10, fps: FPS }), still = (x: number): Float64Array => Float64Array.from({ length: 14 }, (_, k) => [0, 0, 0, 1, x, 0, 0][k % 7]);
    const points = (x: number, off: number): number[] => [0, 1].flatMap((g) => [0, 1, 2].flatMap((i) => [x + (g === 1 && i > 0 ? off : 0), -0.1 * i, 0]));
    const told = [-1, 0, 5, 10, 11].map((f) => seam.take(f, points(0.3 * f, f === 11 ? 0.005 : 0), still(0.3 * f)));
    expect(told.slice(0, 4)).toEqual([null, null, null, null]);
    expect(told[4]!.gap).toBeCloseTo(0.005, 7);
    expect(told[4]!.gapGuide).toBe(1);
    expect(told[4]!.speed).toBeCloseTo(0.005 * FPS, 5);
    expect(told[4]!.speedGuide).toBe(1);
  });
  it('of a cyclic shot is measured by the run, and closes after a run-up that is long enough', () => {
    const shot = { start: 0, end: 23, cyclic: true }, seamAfter = (preRoll: number): number => { let proof: Proof | null = null; for (const f of computeTake(tube.scene({ hold: 0.3, damping: 6, roles: tube.bare }, { shot }), preRoll)) proof = f.proof; expect(proof!.frames.at(-1)!.frame).toBe(23); return proof!.seam!.gap; };
    const short = seamAfter(0), long = seamAfter(48);
    expect(short).toBeGreaterThan(0.005);
    expect(long).toBeLessThan(0.1 * short);
  });
});

describe('depth', () => {
  it('below a floor and a pill is what a slow measure of all points says, with the frame, the strand and the collider', () => {
    const own = (c: object) => ({ name: 'it', node: '', on: true, gapMm: null, friction: null, a: [0, 0, 0], b: [0, 0, 0], radiusA: 0, radiusB: 0, ...c });
    // as stiff as cast, so that hair goes where it is carried: a floor just below where it begins, a pill where its tips will be
    const cast = { hold: 1, profiles: { ...tube.settings.profiles, hold: [[0, 1], [1, 1]] as [number, number][] }, roles: tube.bare }, free = new SwayRun(tube.scene(cast), 0), before = free.positions();
    while (free.frame < 12) free.advance();
    const after = free.positions(), height = before.reduce((low, v, k) => (k % 3 === 1 ? Math.min(low, v) : low), 1) - 0.004, tips = Array.from({ length: tube.guides }, (_, g) => 3 * (g * tube.points + tube.points - 1)), far = tips.reduce((a, b) => (Math.hypot(after[b] - before[b], after[b + 1] - before[b + 1]) > Math.hypot(after[a] - before[a], after[a + 1] - before[a + 1]) ? b : a)), A = [after[far] + 0.01, after[far + 1] - 0.02, after[far + 2]], B = [after[far] - 0.01, after[far + 1] + 0.01, after[far + 2] + 0.01];
    const run = new SwayRun(tube.scene({ ...cast, colliders: [own({ id: 'f', kind: 'floor', name: 'ground', a: [0, height, 0] }), own({ id: 'p', kind: 'pill', name: 'arm', a: A, b: B, radiusA: 0.012, radiusB: 0.018 })] as never }), 0);
    expect(run.report.colliders).toEqual(['arm', 'ground']);
    expect(run.report.beganInside).toBe(0);
    let worst = 0;
    for (let k = 0; k < 20; k++) {
      const m = run.advance(), P = run.positions();
      let deepest = 0, at = -1;
      for (let g = 0; g < tube.guides; g++) {
        for (let i = 2; i < tube.points; i++) for (const t of [0, 1 / 3, 2 / 3]) {
          if (i === 2 && t > 0) continue; // the first stretch does not count
          const q = [0, 1, 2].map((c) => { const a = 3 * (g * tube.points + i) + c; return P[a] + t * (P[a - 3] - P[a]); }), depth = Math.max(height - q[1], slowPill(q, A, B, 0.012, 0.018));
          if (depth > deepest) { deepest = depth; at = g; }
        }
      }
      // the slow one walks along the axis in steps
      expect(Math.abs(m.depth - deepest)).toBeLessThan(2e-5);
      if (deepest > 1e-4) expect(m.depthGuide).toBe(at);
      worst = Math.max(worst, deepest);
    }
    expect(worst).toBeGreaterThan(0.005);
  });
  it('a strand put 3 mm into the arm at frame 17 is found at that frame, that strand, in its size', () => {
    const scene = tube.scene({ hold: 0.5 }), depth = new MeshDepth(scene), found: { frame: number; depth: number; guide: number }[] = [], G = 7;
    for (const f of computeTake(scene, 0, { start: 0, end: 20 })) {
      const points = f.points.slice();
      // a place 3 mm below the middle of a face of the posed skin, at a tip
      if (f.frame === 17) points.set(tube.belowSkin(poseOf(scene, 17), 260, 0.003), 3 * (G * tube.points + tube.points - 1));
      const d = depth.at(f.frame, points);
      found.push({ frame: f.frame, ...d });
    }
    const worst = found.reduce((a, b) => (b.depth > a.depth ? b : a));
    expect(worst).toMatchObject({ frame: 17, guide: G, mesh: 'tube' });
    expect(worst.depth).toBeCloseTo(0.003, 4);
  });
  it('a stretch of 2 % is found at its strand', () => {
    const run = new SwayRun(tube.scene(), 0), inside = run as unknown as { world: Float64Array; measure: (nets: number) => Measures };
    run.advance();
    const p = 3 * (11 * tube.points + 4);
    for (let q = p; q < 3 * 12 * tube.points; q++) inside.world[q] += 0.02 * (inside.world[p + (q % 3)] - inside.world[p - 3 + (q % 3)]) * (q < p + 3 ? 1 : 0);
    const edge = (a: number): number => Math.hypot(...[0, 1, 2].map((c) => inside.world[a + c] - inside.world[a - 3 + c]));
    const m = inside.measure(0);
    expect(m.stretchGuide).toBe(11);
    expect(m.stretch).toBeCloseTo(0.02, 3);
    expect(edge(p)).toBeGreaterThan(0);
  });
});
/** Depth in a tapered pill, by walking along its axis. */
function slowPill(q: number[], a: number[], b: number[], ra: number, rb: number): number {
  let most = -Infinity;
  for (let k = 0; k <= 400; k++) { const t = k / 400, c = a.map((v, i) => v + t * (b[i] - v)); most = Math.max(most, ra + t * (rb - ra) - Math.hypot(...q.map((v, i) => v - c[i]))); }
  return most;
}

describe('a proof', () => {
  const frame = (f: number, more: Partial<Measures> = {}): Measures => ({ ...measuresSchema.parse({ frame: f, stretch: 0, stretchGuide: -1, depth: 0, depthGuide: -1, netUses: 0 }), ...more });
  const frames = [frame(-2, { depth: 0.05, depthGuide: 1 }), frame(1, { drift: 0.03, driftGuide: 2, carried: 1, own: 0.4 }), frame(2, { depth: 0.002, depthGuide: 4, below: [[1, 0.002, 4]], jump: 3, jumpGuide: 0 }), frame(3, { depth: 0.0015, depthGuide: 5, netUses: 2, strayed: 0.9 })];
  it('judges each measure as it is meant: worst, at the start, by the mean, in sum; the pre-roll does not count', () => {
    const p = proofOf(frames, { report: { ...proofOf(frames).report, colliders: ['head', 'coat, blue'] } });
    expect(figureOf(p, 'depth')).toEqual({ value: 0.002, frame: 2, guide: 4 });
    expect(figureOf(p, 'drift')).toEqual({ value: 0.03, frame: 1, guide: 2 });
    expect(figureOf({ ...p, seam: { gap: 0, gapGuide: 0, speed: 0, speedGuide: 0 } }, 'drift')).toBeNull();
    expect(figureOf(p, 'strayed')!.value).toBeCloseTo(0.3, 12);
    expect(figureOf(p, 'net')!.value).toBe(2);
    expect(figureOf(p, 'seam')).toBeNull();
    expect(judge(p).filter((v) => !v.passes).map((v) => v.name)).toEqual(['depth', 'drift', 'net']);
    expect(passes(p, { depth: 0.01, drift: 0.1, net: 5 })).toBe(true);
    expect(colliderOf(p, { frame: 2, guide: 4 })).toBe('coat, blue');
    expect(worstList(p)[0]).toMatchObject({ name: 'depth', frame: 2, guide: 4, where: 'coat, blue' });
    // of a mesh in two parts, which have one name, the deepest
    const parts = proofOf([frame(1, { below: [[0, 0.001, 2], [1, 0.003, 4]] }), frame(2, { below: [[0, 0.002, 4]] })], { report: { ...p.report, colliders: ['coat', 'coat'] }, filled: filledSchema.parse({ count: 9, frames: [], colliders: ['coat'], below: [[0, 1, 0.001, 7]] }) });
    expect(deepestBelow(parts)).toEqual([{ collider: 'coat', filled: false, depth: 0.003, frame: 1, guide: 4 }, { collider: 'coat', filled: true, depth: 0.001, frame: 1, guide: 7 }]);
    expect(worstList(p).map((w) => w.guide)).toContain(5);
  });
  it('of filled strands tells what they are below, and marks the guides they follow; what an earlier version measured marks none', () => {
    const filled = filledSchema.parse({ count: 900, frames: [[1, 0.001, 3], [2, 0.006, 5], [3, 0.0055, 2]], colliders: ['head', 'scarf'], below: [[0, 3, 0.0055, 2], [1, 2, 0.006, 5]] }), p = proofOf(frames, { report: { ...proofOf(frames).report, colliders: ['head', 'coat'] }, filled });
    expect(figureOf(p, 'filled')).toEqual({ value: 0.006, frame: 2, guide: 5 });
    expect(worstList(p).filter((w) => w.name === 'filled').map((w) => [w.guide, w.where])).toEqual([[5, 'scarf'], [2, 'head']]);
    expect(deepestBelow(p)).toEqual([{ collider: 'scarf', filled: true, depth: 0.006, frame: 2, guide: 5 }, { collider: 'head', filled: true, depth: 0.0055, frame: 3, guide: 2 }, { collider: 'coat', filled: false, depth: 0.002, frame: 2, guide: 4 }]);
    const lines = proofCsv(p).trim().split('\r\n').map((l) => l.split(',')), at = lines[0].indexOf('filled_depth_mm');
    expect(lines.slice(1).map((l) => [l[at], l[at + 1]])).toEqual([['', ''], ['1', '3'], ['6', '5'], ['5.5', '2']]);
    expect(takeSheet({ production: 'p', character: 'c', groom: 'g', take: { name: 't', shotName: 's', createdAt: '2026-01-02T03:04:05Z', changes: [] }, proof: p, limits: {}, strip: null })).toMatch(/scarf<\/td><td>filled strands<\/td><td class="n">6\.00 mm/);
    // strands stood where guides belong
    const earlier = filledSchema.parse({ count: 900, frames: [[1, 0.001, 873], [2, 0.006, 12]] });
    expect(earlier.frames).toEqual([[1, 0.001, -1], [2, 0.006, -1]]);
    expect(deepestBelow(proofOf(frames, { filled: earlier })).map((w) => w.filled)).toEqual([false]);
    expect(worstList(proofOf(frames, { filled: earlier })).some((w) => w.name === 'filled')).toBe(false);
  });
  it('swinging on counts half a second after the skin has come to rest', () => {
    const p = proofOf(Array.from({ length: 40 }, (_, k) => frame(k + 1, { carried: k < 10 ? 1 : 0, own: k < 25 ? 2 : 0.3 })));
    expect(figureOf(p, 'swing')).toMatchObject({ value: 2 });
    expect(figureOf(proofOf(Array.from({ length: 40 }, (_, k) => frame(k + 1, { carried: k < 10 ? 1 : 0, own: k < 22 ? 2 : 0.3 }))), 'swing')).toMatchObject({ value: 0.3 });
    expect(figureOf(proofOf(Array.from({ length: 20 }, (_, k) => frame(k + 1, { carried: 1, own: 2 }))), 'swing')).toBeNull();
  });
  it('goes on paper: a line a frame, names quoted, nothing of it taken for HTML', () => {
    const p = proofOf(frames, { report: { ...proofOf(frames).report, colliders: ['head', 'coat, "blue"'] } }), lines = proofCsv(p).trim().split('\r\n');
    expect(lines.length).toBe(5);
    expect(lines[0].split(',')[0]).toBe('frame');
    expect(lines[3]).toContain('"coat, ""blue"""');
    expect(lines[3].startsWith('2,1,2,4,')).toBe(true);
    const html = takeSheet({ production: 'A & B', character: '<script>', groom: 'g', take: { name: 'one', shotName: 's', createdAt: '2026-01-02T03:04:05Z', changes: ['Hold 1 → 2'] }, proof: p, limits: { depth: 0.5 }, strip: null });
    expect(html).not.toContain('<script>');
    expect(html).toContain('A &#38; B');
    expect(html).toContain(`${(0.5 * MEASURES.depth.scale).toFixed(2)} mm`);
    expect(html.match(/▲ attention/g)!.length).toBe(2);
  });
});
