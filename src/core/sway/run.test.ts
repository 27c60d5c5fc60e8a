import { beforeAll, describe, expect, it } from 'vitest';
import { tubeGlb } from '../../../tests/helpers/tube';
import { readGlb } from '../../formats/gltf';
import { openScene } from '../bake/open-scene';
import { bytesOf, packPlanting } from '../document/buffers';
import { newDocument, noMaps } from '../document/schema';
import { growGuide } from '../groom/grow';
import { rootPlace, scatterEvenly, type Planting } from '../groom/planting';
import { clipTime, leadingNodes, poseCharacter, rigidMotionInto, skinPositions, type Character } from '../mesh/character';
import { Surface } from '../mesh/surface';
import { fittedPills } from './colliders';
import { planRun, shareOf, SwayRun, type Scene } from './run';
import { joinMeasures, joinReports, renumber, shareBounds } from './shares';

const GUIDES = 24, POINTS = 10;
/** Nothing to touch. */
const BARE = { roles: { body: 'off', garment: 'off', accessory: 'off', prop: 'off', carrier: 'off' } } as const;
let character: Character, planting: Planting, offsets: Float32Array;

beforeAll(async () => {
  const read = await readGlb(await tubeGlb());
  if (!read.ok) throw new Error(read.error.message);
  character = read.value;
  const mesh = character.meshes[0], surface = new Surface(mesh.positions, mesh.triangles);
  planting = scatterEvenly(surface, Uint32Array.from({ length: 120 }, (_, i) => 240 + i), GUIDES, 5);
  offsets = new Float32Array(3 * POINTS * GUIDES);
  for (let g = 0; g < GUIDES; g++) offsets.set(growGuide(surface, rootPlace(surface, planting, g), surface.normal(planting.faces[g]), { length: 0.18, pointCount: POINTS, lie: 'falling', lift: 0.012 }), 3 * POINTS * g);
});

function scene(change: Partial<Scene['settings']> = {}, clip: string | null = 'bend', shot: Partial<Scene['shot']> = {}): Scene {
  const document = newDocument('tube', { clip: clip ?? '', start: 0, end: 24, fps: 24, cyclic: false, ...shot });
  return { character, mesh: character.meshes[0], clip: character.clips.find((c) => c.name === clip) ?? null, shot: document.shot, planting, offsets, pointCount: POINTS, hidden: [], settings: { ...document.sway, ...change } };
}
const apart = (a: Float32Array, b: Float32Array): number => {
  let worst = 0;
  for (let i = 0; i < a.length; i += 3) worst = Math.max(worst, Math.hypot(a[i] - b[i], a[i + 1] - b[i + 1], a[i + 2] - b[i + 2]));
  return worst;
};

describe('clip time', () => {
  it('is held at the ends, or wrapped where the shot is cyclic', () => {
    expect(clipTime(-3, 24, { duration: 2 }, false)).toBe(0);
    expect(clipTime(12, 24, { duration: 2 }, false)).toBe(0.5);
    expect(clipTime(99, 24, { duration: 2 }, false)).toBe(2);
    expect(clipTime(-12, 24, { duration: 2 }, true)).toBe(1.5);
    expect(clipTime(60, 24, { duration: 2 }, true)).toBe(0.5);
    expect(clipTime(5, 24, { duration: 0 }, true)).toBe(0);
  });
  it('of what begins late goes round from its last key to its first', () => {
    const late = { begins: 1.25, duration: 2.25 };
    expect(clipTime(0, 24, late, false)).toBe(0);
    expect(clipTime(60, 24, late, false)).toBe(2.25);
    expect(clipTime(30, 24, late, true)).toBe(1.25);
    expect(clipTime(54, 24, late, true)).toBe(1.25);
    expect(clipTime(18, 24, late, true)).toBe(1.75);
    expect(clipTime(66, 24, late, true)).toBe(1.75);
  });
});

describe('a run', () => {
  it('feels gusts come and go while a hand holds the pose, as they do while it runs', () => {
    const gusts = (poses: (number | undefined)[]): number[] => { const run = new SwayRun(scene({ windSpeed: 6, gust: 1, ...BARE }, null), 4); return poses.map((pose) => { run.advance(pose); return run.system.k.air[run.system.at(0, 0, 3) + 2 * run.system.lanes]; }); };
    const held = gusts([5, 5, 5, 5, 5, 5]), runs = gusts([undefined, undefined, undefined, undefined, undefined, undefined]);
    expect(Math.max(...held) - Math.min(...held)).toBeGreaterThan(0.05);
    held.forEach((v, k) => expect(v).toBeCloseTo(runs[k], 4));
  });
  it('two runs of the same scene give the same bits', () => {
    const a = new SwayRun(scene(), -3), b = new SwayRun(scene(), -3);
    for (let k = 0; k < 15; k++) expect(a.advance()).toEqual(b.advance());
    expect(a.positions()).toEqual(b.positions());
  });

  it('roots stand exactly on the skinned skin in every frame', () => {
    const run = new SwayRun(scene(), 0), mesh = character.meshes[0], skin = new Float64Array(mesh.positions.length);
    while (run.frame < 20) {
      run.advance();
      skinPositions(character, mesh, poseCharacter(character, character.clips[0], run.frame / 24), skin);
      const surface = new Surface(skin, mesh.triangles), points = run.positions();
      for (let g = 0; g < GUIDES; g++) rootPlace(surface, planting, g).forEach((v, c) => expect(points[3 * POINTS * g + c]).toBeCloseTo(v, 6));
    }
  });

  it('with a calm start and nothing moving, hair stays as it was combed for two seconds', () => {
    const run = new SwayRun(scene({ damping: 0, ...BARE }, null), 0), start = run.positions();
    for (let k = 0; k < 48; k++) run.advance();
    expect(apart(run.positions(), start) / 0.18).toBeLessThan(1e-4);
    expect(run.system.netUses).toBe(0);
  });

  it('without a calm start the same hair sags', () => {
    const run = new SwayRun(scene({ calmStart: false, ...BARE, hold: 0, stiffness: 1 }, null), 0), start = run.positions();
    for (let k = 0; k < 24; k++) run.advance();
    expect(apart(run.positions(), start)).toBeGreaterThan(0.004);
  });

  it('full hold follows the combed shape, no hold lags behind', () => {
    const combedAt = (held: number): number => {
      const run = new SwayRun(scene({ hold: held, profiles: { ...scene().settings.profiles, hold: [[0, 1], [1, 1]] }, ...BARE }), 0);
      for (let k = 0; k < 10; k++) run.advance();
      const combed = new SwayRun(scene({ ...BARE }), 10);
      return apart(run.positions(), combed.positions());
    };
    expect(combedAt(1)).toBeLessThan(1e-6);
    expect(combedAt(0.99)).toBeLessThan(0.002);
    expect(combedAt(0)).toBeGreaterThan(0.01);
  });

  it('finer frames tell the same movement: 24, 30 and 60 a second agree within 1 % of the length', () => {
    const at = (fps: number): Float32Array => {
      const run = new SwayRun(scene({ ...BARE, substeps: Math.round(480 / fps) }, 'bend', { fps }), 0);
      while (run.frame < fps) run.advance();
      return run.positions();
    };
    const slow = at(24);
    expect(apart(slow, at(30)) / 0.18).toBeLessThan(0.01);
    expect(apart(slow, at(60)) / 0.18).toBeLessThan(0.01);
  });

  it('hair lengths never change by more than 0.05 %', () => {
    const run = new SwayRun(scene({ damping: 0, hold: 0.3, airDrag: 0 }), -2);
    for (let k = 0; k < 30; k++) {
      const m = run.advance();
      expect(m.stretch).toBeLessThan(5e-4);
      expect(m.netUses).toBe(0);
    }
  });

  it('measures name the frame and a guide that exists', () => {
    const run = new SwayRun(scene(), -4);
    for (let f = -3; f < 6; f++) {
      const m = run.advance();
      expect(m.frame).toBe(f);
      expect(m.stretchGuide).toBeLessThan(GUIDES);
      expect(m.depthGuide).toBeLessThan(GUIDES);
      expect(m.depth).toBeGreaterThanOrEqual(0);
    }
    expect(run.report.guides).toBe(GUIDES);
  });

  it('the frame may be held: hair settles, kinetic energy dies', () => {
    const run = new SwayRun(scene({ calmStart: false, damping: 8, ...BARE }, null), 0);
    for (let k = 0; k < 120; k++) run.advance();
    expect(Math.max(...run.system.k.v.map(Math.abs))).toBeLessThan(1e-3);
  });

  it('shares computed apart are the whole, to the bit, and so are their measures', () => {
    const whole = new SwayRun(scene(), -2), parts = [[0, 7], [7, 15], [15, GUIDES]].map(([a, b]) => ({ from: a, run: new SwayRun(shareOf(scene(), a, b), -2) }));
    for (let k = 0; k < 12; k++) {
      const expected = whole.advance();
      const joined = parts.map(({ from, run }) => renumber(run.advance(), from)).reduce(joinMeasures);
      expect(joined).toEqual(expected);
    }
    expect(Float32Array.from(parts.flatMap(({ run }) => Array.from(run.positions())))).toEqual(whole.positions());
  });

  it('guides of other lengths do not disturb each other', () => {
    const short = offsets.map((v, i) => (Math.floor(i / (3 * POINTS)) % 2 === 0 ? v * 0.4 : v));
    const both = new SwayRun({ ...scene({ ...BARE }), offsets: short }, 0), alone = new SwayRun(scene({ ...BARE }), 0);
    for (let k = 0; k < 8; k++) { both.advance(); alone.advance(); }
    for (let g = 1; g < GUIDES; g += 2) expect(both.positions().slice(30 * g, 30 * g + 30)).toEqual(alone.positions().slice(30 * g, 30 * g + 30));
  });
});

describe('shares', () => {
  it('cover every guide once, in whole groups of four', () => {
    for (const [guides, shares] of [[24, 3], [1, 4], [7, 2], [420, 5], [9, 9], [4000, 6]]) {
      const bounds = shareBounds(guides, shares);
      expect(bounds[0]).toBe(0);
      expect(bounds.at(-1)).toBe(guides);
      expect(bounds.length - 1).toBeLessThanOrEqual(shares);
      bounds.slice(1, -1).forEach((b) => expect(b % 4).toBe(0));
      bounds.slice(1).forEach((b, i) => expect(b).toBeGreaterThan(bounds[i]));
    }
  });
  it('reports of shares join to that of the whole', () => {
    const whole = new SwayRun(scene({ stiffness: 0.2, lock: 1 }), 0).report;
    const joined = [[0, 8], [8, GUIDES]].map(([a, b]) => new SwayRun(shareOf(scene({ stiffness: 0.2, lock: 1 }), a, b), 0).report).reduce(joinReports);
    expect(joined.heldShare).toBeCloseTo(whole.heldShare, 12);
    expect({ ...joined, heldShare: 0 }).toEqual({ ...whole, heldShare: 0 });
    expect(whole.cut).toBeGreaterThan(0);
  });
});

describe('the plan of a run', () => {
  it('is the same for any share order, follows the settings, and says which kernel is exact enough', () => {
    const chosen = planRun(scene({ error: 0.5 }), -1, 24), coarse = planRun(scene({ error: 5 }), -1, 24);
    expect(chosen.substeps).toBeGreaterThanOrEqual(coarse.substeps);
    expect(coarse.substeps).toBeGreaterThanOrEqual(6); // pills are on
    expect(chosen.kernel).toBe('auto');
    expect(planRun(scene({ chooseSubsteps: false, substeps: 3 }), -1, 24)).toMatchObject({ substeps: 3, because: 'asked' });
    expect(planRun({ ...scene({ ...BARE }), clip: null }, -1, 24)).toMatchObject({ substeps: 2, because: 'least' });
  });
  it('both kernels tell the same movement', () => {
    const a = new SwayRun(scene({ ...BARE }), 0, { kernel: 'float64' }), b = new SwayRun(scene({ ...BARE }), 0, { kernel: 'simd' });
    for (let k = 0; k < 24; k++) { a.advance(); b.advance(); }
    expect(apart(a.positions(), b.positions())).toBeLessThan(2e-5);
    expect(a.report.kernel).toBe('float64');
    expect(b.report.kernel).toBe('simd');
  });
  it('wind blows hair along', () => {
    const calm = new SwayRun(scene({ ...BARE, hold: 0 }, null), 0), windy = new SwayRun(scene({ ...BARE, hold: 0, windSpeed: 6, windTurn: 90, gust: 0 }, null), 0);
    for (let k = 0; k < 24; k++) { calm.advance(); windy.advance(); }
    const a = calm.positions(), b = windy.positions();
    let along = 0;
    for (let g = 0; g < GUIDES; g++) along += b[3 * (g * POINTS + POINTS - 1)] - a[3 * (g * POINTS + POINTS - 1)];
    expect(along / GUIDES).toBeGreaterThan(0.01);
  });
});

describe('pills of a character', () => {
  it('are carried by the joints that lead the skin, and none where both switches are off', () => {
    const pills = fittedPills(character, [], { skin: () => true, garments: () => true });
    expect(pills.map((p) => character.nodes[p.node].name).sort()).toEqual(['high', 'low']);
    for (const p of pills) { expect(p.radiusA).toBeGreaterThan(0.04); expect(p.radiusA).toBeLessThan(0.11); }
    expect(fittedPills(character, [], { skin: () => false, garments: () => false })).toEqual([]);
    expect(fittedPills(character, ['tube'], { skin: () => true, garments: () => true })).toEqual([]);
  });
  it('every vertex has a leading node among the joints', () => {
    expect(new Set(leadingNodes(character, character.meshes[0])).size).toBe(2);
  });
  it('the rigid movement of a joint is its turn and its way', () => {
    const rest = poseCharacter(character, null, 0), bent = poseCharacter(character, character.clips[0], 0.5), out = new Float64Array(7);
    rigidMotionInto(out, 0, rest, bent, character.nodes.findIndex((n) => n.name === 'high'));
    expect(2 * Math.atan2(out[2], out[3])).toBeCloseTo(Math.PI / 4, 6);
    rigidMotionInto(out, 0, rest, rest, 0);
    expect(Array.from(out)).toEqual([0, 0, 0, 1, 0, 0, 0]);
  });
});

describe('opening a scene', () => {
  const document = () => ({ ...newDocument('tube', { clip: 'bend', start: 0, end: 9, fps: 24, cyclic: false }), guides: { count: GUIDES, pointCount: POINTS, planting: 'a'.repeat(64), offsets: 'b'.repeat(64), plantKey: 'c'.repeat(64), combed: false } });
  const buffers = () => ({ planting: packPlanting(planting), offsets: bytesOf(offsets) });
  it('takes what fits together', () => {
    const s = openScene(document(), character, buffers());
    expect(s.clip?.name).toBe('bend');
    expect(s.planting.faces).toEqual(planting.faces);
    expect(s.offsets).toEqual(offsets);
  });
  it('says what does not', () => {
    expect(() => openScene({ ...document(), guides: null }, character, buffers())).toThrow(/planted guides/);
    expect(() => openScene({ ...document(), plot: { mesh: 'hat', faces: null, maps: noMaps(), flow: null } }, character, buffers())).toThrow(/a mesh of the character, got hat/);
    expect(() => openScene({ ...document(), guides: { ...document().guides, count: 3 } }, character, buffers())).toThrow(/expected 3 roots, got 24/);
    expect(() => openScene({ ...document(), guides: { ...document().guides, pointCount: 9 } }, character, buffers())).toThrow(/offsets: expected 648 numbers/);
    const beyond = { faces: planting.faces.map((f, i) => (i === 4 ? 99999 : f)), weights: planting.weights };
    expect(() => openScene(document(), character, { ...buffers(), planting: packPlanting(beyond) })).toThrow(/a face beyond the mesh/);
  });
  it('a shot whose clip is gone stands in the rest pose', () => {
    expect(openScene({ ...document(), shot: { ...document().shot, clip: 'gone' } }, character, buffers()).clip).toBeNull();
  });
});

describe('a run that is carried', () => {
  /** The tube whose lower joint travels and turns; or stands where it stood at frame 0. */
  const moving = (still: boolean): Character => {
    const node = character.nodes.findIndex((n) => n.name === 'low'), times = Float32Array.of(0, 0.5, 1), n = character.nodes[node].translation;
    const travel = { node, path: 'translation' as const, interpolation: 'LINEAR' as const, times, values: Float32Array.of(...n, n[0] + 0.4, n[1], n[2] + 0.2, n[0] + 1.1, n[1] + 0.1, n[2]) };
    const turning = { node, path: 'rotation' as const, interpolation: 'LINEAR' as const, times, values: Float32Array.of(0, 0, 0, 1, 0, Math.sin(0.4), 0, Math.cos(0.4), 0, Math.sin(0.9), 0, Math.cos(0.9)) };
    const bend = character.clips[0].channels.filter((c) => c.node !== node);
    return { ...character, clips: [{ name: 'ride', duration: 1, channels: still ? bend : [...bend, travel, turning] }] };
  };
  const ride = (still: boolean, change: Partial<Scene['settings']>): Scene => { const who = moving(still), s = scene(change); return { ...s, character: who, mesh: who.meshes[0], clip: who.clips[0] }; };
  it('with no share of its carrier’s way it is, to the bit, a run whose carrier stands still; and is shown where the carrier is', () => {
    const carried = new SwayRun(ride(false, { carrier: 'low', carryTravel: 0, carryTurning: 0 }), 0), still = new SwayRun(ride(true, {}), 0), free = new SwayRun(ride(false, {}), 0);
    for (let k = 0; k < 20; k++) { carried.advance(); still.advance(); free.advance(); }
    expect(carried.computed()).toEqual(still.computed());
    // roots are where the skin really is
    for (let g = 0; g < GUIDES; g++) for (let c = 0; c < 3; c++) expect(carried.positions()[3 * g * POINTS + c]).toBeCloseTo(free.positions()[3 * g * POINTS + c], 5);
    expect(apart(carried.positions(), free.positions())).toBeGreaterThan(0.005);
  });
  it('with all of it, it is the run without a carrier; shares lie between', () => {
    const run = (change: Partial<Scene['settings']>): Float32Array => { const r = new SwayRun(ride(false, { ...change, ...BARE }), 0); for (let k = 0; k < 20; k++) r.advance(); return r.positions(); };
    const free = run({}), none = run({ carrier: 'low', carryTravel: 0, carryTurning: 0 }), half = run({ carrier: 'low', carryTravel: 0.5, carryTurning: 0.5 });
    expect(run({ carrier: 'low' })).toEqual(free);
    expect(apart(half, free)).toBeLessThan(apart(none, free));
    expect(apart(half, none)).toBeLessThan(apart(none, free));
  });
});

describe('a run with maps, give and colliders', () => {
  it('a map multiplies: no hold where it is 0, no movement where give is 0', () => {
    const zero = (): number => 0, one = (): number => 1;
    const soft = { hold: 0.9, profiles: { ...scene().settings.profiles, hold: [[0, 1], [1, 1]] as [number, number][] } };
    const held = new SwayRun({ ...scene({ ...soft, ...BARE }), maps: { hold: one } }, 0), loose = new SwayRun({ ...scene({ ...soft, ...BARE }), maps: { hold: zero } }, 0), plain = new SwayRun(scene({ ...soft, ...BARE }), 0), fixed = new SwayRun({ ...scene({ hold: 0, ...BARE }), maps: { give: zero } }, 0), combed = new SwayRun(scene(BARE), 12);
    for (let k = 0; k < 12; k++) { held.advance(); loose.advance(); plain.advance(); fixed.advance(); }
    expect(held.positions()).toEqual(plain.positions());
    expect(apart(loose.positions(), plain.positions())).toBeGreaterThan(0.005);
    expect(apart(fixed.positions(), combed.positions())).toBeLessThan(2e-5);
  });
  it('a gap of 2 cm throws nothing off: the first frame moves no point by more than 1 % of its strand', () => {
    for (const as of ['shell', 'pills'] as const) {
      const run = new SwayRun(scene({ roles: { body: as, garment: 'off', accessory: 'off', prop: 'off', carrier: 'off' }, skinGapMm: 20 }, null), 0), before = run.positions();
      if (as === 'shell') expect(run.report.beganNear).toBeGreaterThan(100);
      run.advance();
      expect(apart(run.positions(), before)).toBeLessThan(0.01 * 0.18);
      for (let k = 0; k < 60; k++) run.advance();
      if (as === 'shell') expect(apart(run.positions(), before)).toBeGreaterThan(0.003);
    }
  });
  it('hair lies on a floor and does not go below it; a switched-off one is not there', () => {
    const floor = { id: 'f', name: 'floor', kind: 'floor' as const, node: '', on: true, a: [0, 0.72, 0] as [number, number, number], b: [0, 0.72, 0] as [number, number, number], radiusA: 0, radiusB: 0, gapMm: 0, friction: null };
    const fall = { calmStart: false, hold: 0, stiffness: 0.2, ...BARE, damping: 4 };
    const lowest = (run: SwayRun): number => { for (let k = 0; k < 40; k++) run.advance(); let low = Infinity; const p = run.positions(); for (let g = 0; g < GUIDES; g++) for (let i = 2; i < POINTS; i++) low = Math.min(low, p[3 * (g * POINTS + i) + 1]); return low; };
    const free = lowest(new SwayRun(scene({ ...fall }, null), 0)), height = free + 0.03, on = lowest(new SwayRun(scene({ ...fall, colliders: [{ ...floor, a: [0, height, 0] }] }, null), 0)), off = lowest(new SwayRun(scene({ ...fall, colliders: [{ ...floor, a: [0, height, 0], on: false }] }, null), 0));
    expect(on).toBeGreaterThan(height - 2e-4);
    expect(off).toBe(free);
  });
  it('says in plain words what cannot collide, and runs on', () => {
    const own = (change: object): Scene['settings']['colliders'][number] => ({ id: 'x', name: 'bun', kind: 'ball', node: 'high', on: true, a: [0, 1, 0], b: [0, 1, 0], radiusA: 0.1, radiusB: 0.1, gapMm: null, friction: null, ...change });
    const told = (colliders: Scene['settings']['colliders']): string => { const run = new SwayRun(scene({ ...BARE, colliders }), 0); run.advance(); expect(Array.from(run.positions()).every(Number.isFinite)).toBe(true); return run.report.notes.join(' '); };
    expect(told([own({ radiusA: 0 })])).toMatch(/“bun” has no radius/);
    expect(told([own({ node: 'tail' })])).toMatch(/which this character does not have/);
    expect(told([own({ radiusA: 3, radiusB: 3 })])).toMatch(/holds most of the hair inside it: it is far too wide/);
    expect(told([own({})])).toBe('');
  });
});
