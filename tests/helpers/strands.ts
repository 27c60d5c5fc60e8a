import { createRodSystem, restStrand, type RodSystem } from '../../src/core/sway/rod-system';
import { stepStrand } from '../../src/core/sway/rod-step';
import { createStepScratch } from '../../src/core/sway/step-scratch';
import type { ContactFinder } from '../../src/core/sway/contact';

export interface OneStrand {
  system: RodSystem;
  step(count: number, options: { h: number; gravity?: [number, number, number]; damping?: number }, contacts?: ContactFinder): void;
  point(i: number): [number, number, number];
}

/** One strand through the given points, at rest in that shape; the root's tangent is its first edge. */
export function oneStrand(points: number[][], material: { lineDensity: number; bend: number; twist?: number }): OneStrand {
  const n = points.length;
  const system = createRodSystem([n]);
  points.forEach((p, i) => system.x.set(p, 3 * i));
  const e = [0, 1, 2].map((k) => points[1][k] - points[0][k]), l = Math.hypot(...e);
  const t = e.map((v) => v / l);
  system.rootPosition.set(points[0]);
  system.rootBefore.set(points[0]);
  system.rootTangent.set(t);
  const axis = Math.abs(t[1]) < 0.9 ? [0, 1, 0] : [1, 0, 0];
  const d = axis[0] * t[0] + axis[1] * t[1] + axis[2] * t[2];
  const u = axis.map((v, k) => v - d * t[k]), m = Math.hypot(...u);
  system.rootDirector.set(u.map((v) => v / m));
  restStrand(system, 0, material.lineDensity, material.bend, material.twist ?? (2 * material.bend) / 3);
  const scratch = createStepScratch(n);
  return {
    system,
    step(count, { h, gravity = [0, -9.81, 0], damping = 0 }, contacts) {
      for (let k = 0; k < count; k++) {
        stepStrand(system, 0, { h, gravity, damping }, scratch, contacts ?? null);
        system.rootBefore.set(system.rootPosition);
      }
    },
    point: (i) => [system.x[3 * i], system.x[3 * i + 1], system.x[3 * i + 2]],
  };
}

export const straight = (n: number, length: number, direction: [number, number, number]): number[][] =>
  Array.from({ length: n }, (_, i) => direction.map((d) => (d * length * i) / (n - 1)));
