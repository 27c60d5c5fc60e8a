/** What a run steps with: substeps from the movement of all its roots, and the kernel that is exact enough for its strands. */
import { inCages } from '../cage/cages';
import { roleOf, type SwaySettings } from '../document/schema';
import { polylineLength } from '../groom/polyline';
import { profileAt } from '../math/profile';
import type { CharacterMesh } from '../mesh/character';
import { extremes, factorsOf } from './by-formula';
import { settingsBetween } from './guide-settings';
import { stripRod } from './cloth';
import { physicalRod } from './materials';
import { sheetOf } from './scene';
import { RootPoser, Stage, type Scene } from './scene';
import { AIR } from './strand-setup';
import { airDamping, float32Suffices, planSubsteps, type RootMovement, type StepPlan } from './substeps';

/** Share of the guides that may have shorter edges than what substeps are chosen for. */
const SHORT_SHARE = 0.05;

/** Steps of cages in a frame: with four times as many no point is elsewhere by a tenth of the way that is gone (`cage.test.ts`). */
const CAGE_STEPS = 4;

export interface RunPlan extends StepPlan { kernel: 'auto' | 'float64' }

/**
 * The substeps of a run over a range of frames: to be asked for the whole groom, before it is shared out, so that every
 * share steps alike.
 */
export function planRun(scene: Scene, firstFrame: number, lastFrame: number): RunPlan {
  // oscillators in closed form, with few points: the same few steps do for all of them
  if (inCages(scene.settings)) return { substeps: scene.settings.chooseSubsteps ? CAGE_STEPS : scene.settings.substeps, passes: 1, error: 0, because: scene.settings.chooseSubsteps ? 'cages' : 'asked', kernel: 'auto' };
  const { settings, shot, planting, offsets, pointCount } = scene, guides = planting.faces.length;
  const root: RootMovement = { speed: 0, acceleration: 0, turning: 0 };
  if (scene.clip) {
    const poser = new RootPoser(scene, new Stage(scene, firstFrame)), past = [0, 1, 2].map(() => new Float64Array(7 * guides));
    for (let frame = firstFrame; frame <= lastFrame; frame++) {
      past.push(past.shift()!);
      const [a, b, c] = past;
      poser.rootsInto(poser.stage.poseAt(frame), c);
      for (let o = 0; frame > firstFrame && o < 7 * guides; o += 7) {
        root.speed = Math.max(root.speed, shot.fps * Math.hypot(c[o + 4] - b[o + 4], c[o + 5] - b[o + 5], c[o + 6] - b[o + 6]));
        const same = Math.abs(c[o] * b[o] + c[o + 1] * b[o + 1] + c[o + 2] * b[o + 2] + c[o + 3] * b[o + 3]);
        root.turning = Math.max(root.turning, 2 * shot.fps * Math.acos(Math.min(1, same)));
        if (frame > firstFrame + 1) root.acceleration = Math.max(root.acceleration, shot.fps ** 2 * Math.hypot(...[4, 5, 6].map((k) => c[o + k] - 2 * b[o + k] + a[o + k])));
      }
    }
  }
  const lengths: number[] = [];
  for (let g = 0; g < guides; g++) lengths.push(polylineLength(offsets, g * pointCount, pointCount));
  lengths.sort((a, b) => a - b);
  // the settings of all regions, and of the guides that differ most
  const far = Math.exp(2 * settings.spread), { factors } = factorsOf(scene), plans = [...(settings.second ? [0, 1] : [1])].map((region) => settingsBetween(settings, region)).flatMap((of) => extremes(of, factors)).flatMap((of) => (settings.spread > 0 ? [{ ...of, stiffness: of.stiffness * far }, { ...of, stiffness: of.stiffness / far }] : [of])).map((of) => planFor(scene, { ...settings, ...of }, root, lengths));
  return plans.reduce((a, b) => ({ ...(b.substeps > a.substeps ? b : a), passes: Math.max(a.passes, b.passes), kernel: a.kernel === 'float64' ? a.kernel : b.kernel }));
}

function planFor(scene: Scene, settings: SwaySettings, root: RootMovement, lengths: readonly number[]): RunPlan {
  const { shot, pointCount } = scene, guides = lengths.length, length = Math.max(1e-4, lengths[guides >> 1] ?? 0), grid = sheetOf(scene), rod = grid ? stripRod(grid.sheet, grid.mean) : physicalRod(settings);
  const meanDamping = settings.damping * [0.1, 0.3, 0.5, 0.7, 0.9].reduce((sum, s) => sum + profileAt(settings.profiles.damping, s) / 5, 0);
  const damping = meanDamping + settings.airDrag * airDamping(rod.width, rod.lineDensity, Math.max(0.1, 0.3 * root.speed), AIR);
  const plan = planSubsteps(shot.fps, { length, edge: length / (pointCount - 1), shortEdge: Math.max(1e-4, lengths[Math.floor(guides * SHORT_SHARE)] ?? length) / (pointCount - 1), bend: rod.bend, lineDensity: rod.lineDensity, damping }, root, settings.gravity, settings.error / 100, collides(scene), settings.chooseSubsteps ? undefined : settings.substeps);
  const stiffest = Math.max(...[0, 0.25, 0.5, 0.75, 1].map((s) => profileAt(settings.profiles.stiffness, s))), shortest = Math.max(1e-4, lengths[0] ?? length) / (pointCount - 1);
  return { ...plan, kernel: float32Suffices(pointCount, shortest, rod.bend * stiffest, rod.lineDensity, 1 / (shot.fps * plan.substeps)) ? 'auto' : 'float64' };
}

/** Whether there is anything to touch, as far as the settings tell. */
function collides({ character, hidden, settings }: Scene): boolean {
  const asked = (mesh: CharacterMesh): string => { const own = settings.meshes[mesh.name]?.as ?? 'auto'; return own === 'auto' ? settings.roles[roleOf(mesh, settings)] : own; };
  return settings.colliders.some((c) => c.on) || character.meshes.some((m) => !hidden.includes(m.name) && asked(m) !== 'off');
}
