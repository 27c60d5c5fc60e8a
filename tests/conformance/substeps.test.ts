/** The substeps that are chosen, against runs of very many. */
import { floatsOf, unpackPlanting } from '../../src/core/document/buffers';
import { planRun, SwayRun, type RunPlan, type Scene } from '../../src/core/sway/run';
import { demoGroom } from '../../src/server/demo-oda';
import { oda } from '../helpers/oda';
import { describe, expect, it } from 'vitest';
import { AIR } from '../../src/core/sway/strand-setup';
import { airDamping, planSubsteps } from '../../src/core/sway/substeps';
import { apart, shaken } from '../helpers/rod-cases';

const strand = (n: number, width: number) => ({ length: 0.25, edge: 0.25 / (n - 1), bend: 3.2e-8, lineDensity: 6.6e-6, damping: airDamping(width, 6.6e-6, 0.2, AIR) });
const sine = (hertz: number, amplitude = 0.05) => { const w = 2 * Math.PI * hertz; return { speed: w * amplitude, acceleration: w * w * amplitude, turning: 0 }; };

describe('chosen substeps', () => {
  it.each([[1, 16], [2, 16], [4, 16], [2, 48], [4, 64]])('%i Hz, %i points: the error is within four times what was wanted', (hertz, n) => {
    const reference = shaken(n, 96, 'float64', { hertz });
    for (const target of [0.02, 0.005]) {
      const plan = planSubsteps(24, strand(n, 8e-5), sine(hertz), 9.81, target, false);
      const run = shaken(n, plan.substeps, 'simd', { hertz });
      expect(apart(run.tip, reference.tip)).toBeLessThan(4 * target);
      expect(run.net).toBe(0);
    }
  });
  it('more is chosen for smaller errors, faster roots, faster turns; a number asked for is taken', () => {
    const at = (target: number, hertz = 2, turning = 0): number => planSubsteps(24, strand(16, 8e-5), { ...sine(hertz), turning }, 9.81, target, false).substeps;
    expect(at(0.001)).toBeGreaterThan(at(0.01));
    expect(at(0.01, 6)).toBeGreaterThan(at(0.01, 2));
    expect(planSubsteps(24, strand(16, 8e-5), { ...sine(1), turning: 80 }, 9.81, 0.05, false).because).toBe('root turning');
    expect(planSubsteps(24, strand(200, 8e-5), { speed: 1, acceleration: 0.2, turning: 0 }, 9.81, 0.5, false).because).toBe('root speed');
    // roots that start and stop hard, as in a jump, without going fast
    expect(planSubsteps(24, strand(16, 8e-5), { speed: 0.5, acceleration: 80, turning: 0 }, 9.81, 0.5, false).because).toBe('root jolt');
    expect(planSubsteps(24, strand(16, 8e-5), sine(2), 9.81, 0.5, true)).toMatchObject({ substeps: 6, because: 'contact' });
    expect(planSubsteps(24, strand(16, 8e-5), sine(40), 9.81, 1e-6, false)).toMatchObject({ substeps: 32, because: 'most' });
    expect(planSubsteps(24, strand(16, 8e-5), sine(2), 9.81, 0.01, false, 3)).toMatchObject({ substeps: 3, because: 'asked' });
  });
  it('a jump landed at 8 g folds free hair at the substeps that its error alone asks for, and at those that are chosen does not', async () => {
    const character = await oda(), { document, buffers } = demoGroom(character, 160), mesh = character.meshes.find((m) => m.hair.length > 0)!, clip = character.clips.find((c) => c.name === 'jump ashore')!;
    const scene: Scene = { character, mesh, clip, shot: { clip: clip.name, start: 0, end: 42, fps: 24, cyclic: false }, planting: unpackPlanting(buffers[1]), offsets: floatsOf(buffers[2]), pointCount: 16, hidden: character.meshes.map((m) => m.name), settings: document.sway };
    const folds = (plan: RunPlan): number => { const run = new SwayRun(scene, -5, { plan }); let nets = 0; while (run.frame < 42) nets += run.advance().netUses; return nets; };
    const chosen = planRun(scene, -5, 42);
    expect(chosen.because).toBe('root jolt');
    expect(folds({ ...chosen, substeps: 9 })).toBeGreaterThan(10);
    expect(folds(chosen)).toBe(0);
  }, 60_000);
  it('what does not move and is at rest needs the fewest there are', () => {
    expect(planSubsteps(24, strand(16, 8e-5), { speed: 0, acceleration: 0, turning: 0 }, 9.81, 0.001, false)).toMatchObject({ substeps: 2, because: 'least', error: 0 });
  });
});
