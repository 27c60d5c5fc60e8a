/** Material frames of a strand, carried along as it moves. */
import type { RodSystem } from './rod-system';
import type { StepScratch } from './step-scratch';

/** New tangents; directors carried from the old tangent to the new one without spin. */
export function transportFrames(system: RodSystem, first: number, n: number, scratch: StepScratch): void {
  for (let j = 0; j < n - 1; j++) scratch.inverseLength[j] = transportEdge(system, first + j);
}

/** Carries the frame of one edge from the tangent it has to the edge's present direction; returns 1 / length. */
export function transportEdge(system: RodSystem, edge: number): number {
  const { x, tangent, director } = system;
  const a = 3 * edge;
  const ex = x[a + 3] - x[a], ey = x[a + 4] - x[a + 1], ez = x[a + 5] - x[a + 2];
  const il = 1 / Math.sqrt(ex * ex + ey * ey + ez * ez + 1e-30);
  const tx = ex * il, ty = ey * il, tz = ez * il;
  const ox = tangent[a], oy = tangent[a + 1], oz = tangent[a + 2];
  const ux = director[a], uy = director[a + 1], uz = director[a + 2];
  const c = ox * tx + oy * ty + oz * tz;
  const kx = oy * tz - oz * ty, ky = oz * tx - ox * tz, kz = ox * ty - oy * tx;
  const f = (kx * ux + ky * uy + kz * uz) / Math.max(1 + c, 1e-3);
  let px = ux * c + ky * uz - kz * uy + kx * f;
  let py = uy * c + kz * ux - kx * uz + ky * f;
  let pz = uz * c + kx * uy - ky * ux + kz * f;
  const q = px * tx + py * ty + pz * tz;
  px -= q * tx; py -= q * ty; pz -= q * tz;
  const k = 1 / Math.sqrt(px * px + py * py + pz * pz + 1e-30);
  director[a] = px * k; director[a + 1] = py * k; director[a + 2] = pz * k;
  tangent[a] = tx; tangent[a + 1] = ty; tangent[a + 2] = tz;
  return il;
}
