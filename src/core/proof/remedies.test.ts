import { produce } from 'immer';
import { beforeAll, describe, expect, it } from 'vitest';
import { tubeScenes, type TubeScenes } from '../../../tests/helpers/tube-scene';
import { newCage } from '../cage/cages';
import type { Limits } from '../document/proof';
import type { SwaySettings } from '../document/schema';
import type { Clip } from '../mesh/character';
import { newSheet } from '../sway/cloth';
import { SwayRun, type Scene } from '../sway/run';
import { restPoints } from '../sway/scene';

import { MeshDepth, OverFace } from './mesh-depth';
import { compare, findTroubles, framesConcerned, offersFor, TROUBLES, TROUBLE_NAMES, workOf, type Comparison, type Patient, type Trouble, type TrialFigures, type TroubleName } from './remedies';
import { computeTake, groomedShape } from './take';

let tube: TubeScenes;
beforeAll(async () => { tube = await tubeScenes(); });

interface Case { sway: Partial<SwaySettings>; shot?: Partial<Scene['shot']>; clip?: (t: TubeScenes) => Clip | null; preRoll?: number; shapes?: Parameters<TubeScenes['shapes']>[0]; limits?: Limits; garments?: string[]; /** Whether the proof alone must show it. */ found: boolean }
const free: SwaySettings['profiles']['hold'] = [[0, 1], [0.2, 0], [1, 0]];
const profiles = (hold: SwaySettings['profiles']['hold']): SwaySettings['profiles'] => ({ ...tube.settings.profiles, hold });

/** A scene that shows each trouble. */
const CASES: Record<TroubleName, () => Case> = {
  leftBehind: () => ({ sway: { hold: 0.2, roles: tube.bare }, shot: { start: 4, end: 16 }, clip: (t) => t.faster(2.5), preRoll: 0, found: true }),
  sags: () => ({ sway: { calmStart: false, hold: 0.1, profiles: profiles(free), roles: tube.bare }, clip: () => null, preRoll: 16, shapes: { lie: 'standing' }, found: true }),
  thrownOff: () => ({ sway: { skinGapMm: 20, hold: 0.4 }, clip: () => null, preRoll: 12, shapes: { lift: 0.003 }, limits: { drift: 0.006 }, found: true }),
  throughBody: () => ({ sway: { roles: tube.bare, calmStart: false, stiffness: 0.2, hold: 0.05, profiles: profiles(free) }, clip: (t) => t.faster(0.5), shot: { end: 30 }, found: false }),
  throughCloth: () => ({ sway: { roles: { ...tube.bare, body: 'shell' }, meshRoles: { tube: 'garment' }, calmStart: false, stiffness: 0.2, hold: 0.05, profiles: profiles(free) }, clip: (t) => t.faster(0.5), shot: { end: 30 }, garments: ['tube'], found: false }),
  overFace: () => ({ sway: { calmStart: false, hold: 0.05, profiles: profiles(free) }, clip: () => null, shapes: { lie: 'standing' }, preRoll: 24, found: false }),
  springy: () => ({ sway: { damping: 0, bendDamping: 0, airDrag: 0, hold: 0.5, roles: tube.bare }, shot: { end: 60 }, preRoll: 2, found: true }),
  stiff: () => ({ sway: { hold: 1, profiles: profiles([[0, 1], [1, 1]]), roles: tube.bare }, found: true }),
  longer: () => ({ sway: { chooseSubsteps: false, substeps: 1, hold: 0.1, roles: tube.bare }, clip: (t) => t.faster(3), limits: { stretch: 1e-6 }, found: true }),
  // held so that it swings at half the frame rate, and nothing to stop it
  jitter: () => ({ sway: { hold: 0.54, profiles: profiles([[0, 1], [1, 1]]), damping: 0, bendDamping: 0, airDrag: 0, roles: tube.bare }, clip: (t) => t.faster(6), shot: { end: 30 }, limits: { jitter: 2e-4 }, found: true }),
  losesShape: () => ({ sway: { calmStart: false, hold: 0.05, profiles: profiles(free), roles: tube.bare }, shapes: { lie: 'standing' }, found: true }),
  losesVolume: () => ({ sway: { calmStart: false, hold: 0.05, profiles: profiles(free) }, shapes: { lie: 'standing' }, limits: { volume: 0.05, strayed: 9, drift: 9 }, found: true }),
  allAlike: () => ({ sway: { hold: 0.25, roles: tube.bare }, limits: { alike: 0.3 }, found: true }),
  loopSeam: () => ({ sway: { hold: 0.3, damping: 4, roles: tube.bare }, shot: { end: 23, cyclic: true }, preRoll: 1, found: true }),
  tiesGo: () => ({ sway: { roles: tube.bare, hold: 0.3, ties: [{ id: 'a', name: 'pin', on: true, kind: 'place', guides: [3, 4, 5], from: 0.5, to: 0.9, node: '', firmness: 0.8, snap: 0.0005, wears: null }] }, found: true }),
  slow: () => ({ sway: { error: 0.1 }, found: false }),
};

function figures(scene: Scene, preRoll: number, end: number, trouble: Trouble): TrialFigures {
  let proof: TrialFigures['proof'] | null = null;
  const more: TrialFigures['more'] = {}, depth = trouble.measure === 'drawnDepth' ? new MeshDepth(scene) : null, face = trouble.measure === 'face' ? new OverFace(scene, tube.plot, groomedShape(scene)) : null;
  for (const f of computeTake(scene, preRoll, { start: scene.shot.start, end })) {
    proof = f.proof;
    if (depth && f.frame >= scene.shot.start) more.drawnDepth = Math.max(more.drawnDepth ?? 0, depth.at(f.frame, f.points).depth);
    if (face && f.frame >= scene.shot.start) more.face = Math.max(more.face ?? 0, face.at(f.frame, f.points));
  }
  more.work = workOf(proof!);
  return { proof: proof!, more };
}

describe('remedies', () => {
  it.each(TROUBLE_NAMES)('%s: one of them takes at least half of the trouble away, and breaks nothing', (name) => {
    const trouble: Trouble = TROUBLES[name], c = CASES[name](), { limits = {} } = c, document = tube.document(c.sway, c.shot, c.preRoll), offsets = c.shapes ? tube.shapes(c.shapes) : undefined, clip = c.clip?.(tube);
    const sceneOf = (sway: SwaySettings): Scene => tube.scene(sway, { shot: c.shot, offsets, ...(clip === undefined ? {} : { clip }) });
    const whole = figures(sceneOf(document.sway), document.bake.preRoll, document.shot.end, trouble), patient: Patient = { document, proof: whole.proof, garments: c.garments ?? [], carriers: ['low'], spacing: 0.03 };
    const found = findTroubles(patient, limits);
    if (c.found) expect(found.map((f) => f.name)).toContain(name);
    else expect(trouble.find === null || !found.some((f) => f.name === name)).toBe(true);
    const { end } = framesConcerned(name, whole.proof), before: TrialFigures = end === whole.proof.end ? whole : figures(sceneOf(document.sway), document.bake.preRoll, end, trouble), results: (Comparison & { label: string })[] = [];
    for (const offer of trouble.offers(patient)) {
      const mended = produce(document, (d) => { offer.change(d); }), r = compare(name, before, figures(sceneOf(mended.sway), mended.bake.preRoll, end, trouble), limits);
      results.push({ ...r, label: offer.label });
    }
    expect(results.some((r) => r.before > 0 && r.gain >= 0.5 && r.broke.length === 0)).toBe(true);
  });
  it('a change that does nothing is said to be of no help; one that breaks another measure comes at a price', () => {
    const scene = tube.scene({ calmStart: false, hold: 0.1, profiles: profiles(free), roles: tube.bare }, { clip: null, offsets: tube.shapes({ lie: 'standing' }) }), f = figures(scene, 12, 8, TROUBLES.sags);
    expect(compare('sags', f, f)).toMatchObject({ gain: 0, verdict: 'no help', broke: [] });
    const better = produce(f, (d) => { for (const x of d.proof.frames) { x.drift = 0; x.jump = 1e4; } });
    expect(compare('sags', f, better)).toMatchObject({ gain: 1, verdict: 'at a price', broke: ['jump'] });
    expect(compare('sags', better, f).verdict).toBe('no help');
    const worse = produce(f, (d) => { for (const x of d.proof.frames) x.drift *= 2; });
    expect(compare('sags', f, worse).verdict).toBe('worse');
  });
  it('of hair in cages are the cages’ own numbers and what they collide with, and help as well', () => {
    const joint = tube.character.nodes[tube.character.skins[0].joints[1]].name, cages = [{ ...newCage('a', 'side', joint, restPoints(tube.scene())), hz: 3, damping: 0.01, rise: 0.1, still: 0, amount: 1.5 }], document = tube.document({ cages, roles: tube.bare }, { end: 60 }, 2), sceneOf = (sway: SwaySettings): Scene => tube.scene(sway, { shot: { end: 60 } }), before = figures(sceneOf(document.sway), 2, 60, TROUBLES.springy), patient: Patient = { document, proof: before.proof, garments: [], carriers: ['low'], spacing: 0.03 };
    expect(findTroubles(patient).map((f) => f.name)).toContain('springy');
    const offers = offersFor('springy', patient);
    expect(offers.map((o) => o.label)).toContain('Dies away of the cage: 0.01 → 0.3');
    const results = offers.map((offer) => { const mended = produce(document, (d) => { offer.change(d); }); expect({ ...mended.sway, cages: [] }).toEqual({ ...document.sway, cages: [] }); return compare('springy', before, figures(sceneOf(mended.sway), 2, 60, TROUBLES.springy)); });
    expect(results.some((r) => r.gain >= 0.5 && r.broke.length === 0)).toBe(true);
    expect(offersFor('throughBody', patient).map((o) => o.label)).toContain('Collide with the body again');
    expect(offersFor('losesVolume', patient).some((o) => /^Volume of the cage/.test(o.label))).toBe(true);
    for (const name of TROUBLE_NAMES) for (const o of offersFor(name, patient)) expect(o.label).not.toMatch(/Stiffness|Hold|Loft|Lock/);
  });
  it('of a sheet bend its cloth, not strands that it has not; each changes where the sheet comes to', () => {
    const document = tube.document({ sheet: newSheet('suiting', true), roles: tube.bare }, { end: 8 }, 2), ends = (sway: SwaySettings): Float32Array => { const run = new SwayRun(tube.scene(sway, { shot: { end: 8 } }), -2, {}); for (let f = 0; f < 8; f++) run.advance(); return run.positions(); }, before = ends(document.sway), { proof } = figures(tube.scene(document.sway, { shot: { end: 8 } }), 2, 8, TROUBLES.sags), patient: Patient = { document, proof, garments: [], carriers: [], spacing: 0.03 };
    const bends = TROUBLE_NAMES.flatMap((name) => offersFor(name, patient)).filter((o) => o.label.startsWith('Bending of the cloth'));
    expect(bends.map((o) => o.label)).toEqual(expect.arrayContaining(['Bending of the cloth 10 → 40 µN·m', 'Bending of the cloth 10 → 2.5 µN·m']));
    for (const offer of bends) expect(Math.max(...ends(produce(document, (d) => { offer.change(d); }).sway).map((v, k) => Math.abs(v - before[k])))).toBeGreaterThan(1e-5);
    for (const name of TROUBLE_NAMES) for (const o of offersFor(name, patient)) expect(o.label).not.toMatch(/^Stiffness|^Differs/);
  });
});
