/**
 * Stretch by an augmented Lagrangian: C = |e| − l, force (λ + k C) t, and after the solve λ ← λ + k (C + t · Δe). The
 * multiplier keeps statics exact whatever k is.
 */
import type { RodArrays } from './arrays';
import { select, type f, type i32 } from './lanes';

/** Stiffness of the stretch penalty in units of the masses' inertia; lower values let strands ring. */
const STRETCH_PENALTY = 100;
/** The same in units of the bending stiffness EI/l³ of the edge. */
const BEND_PENALTY = 30;

/**
 * Penalty of the edge i, N/m: well above the inertia of its points and above the bending stiffness of a short edge, or
 * bending would be traded for stretch and the projection would undo it every substep.
 */
function stretchStiffness(k: RodArrays, s: i32, first: i32, i: i32): f {
  const { mass, restLength, bend, bendLag, ih } = k;
  const p: i32 = first + i;
  const l = restLength[p], stiff = Math.max(bend[p - 1], bend[p]) * (1 + bendLag[s] * ih[i]);
  return STRETCH_PENALTY * ih[i] * ih[i] * (mass[p - 1] + mass[p]) + (BEND_PENALTY * stiff) / (l * l * l);
}

/** Adds stretch to `r` and begins the edges' blocks of H (`edgeBlock`), which couple two points like a spring. */
export function addStretch(k: RodArrays, s: i32, first: i32, n: i32): void {
  const { tangent, restLength, tension, r, inverseLength, stretchiness, edgeBlock } = k;
  for (let g: i32 = 0; g < 6; g++) { edgeBlock[g] = 0; edgeBlock[6 * n + g] = 0; }
  for (let i: i32 = 1; i < n; i++) {
    const a: i32 = 3 * (first + i), d: i32 = 4 * i, g: i32 = 6 * i;
    const tx = tangent[a], ty = tangent[a + 1], tz = tangent[a + 2];
    const stiff = stretchStiffness(k, s, first, i), pull = tension[first + i];
    stretchiness[i] = stiff;
    const force = pull + stiff * (1 / inverseLength[i] - restLength[first + i]);
    r[d - 4] += force * tx; r[d - 3] += force * ty; r[d - 2] += force * tz;
    r[d] -= force * tx; r[d + 1] -= force * ty; r[d + 2] -= force * tz;
    const geometric = Math.max(0, pull) * inverseLength[i], kk = stiff - geometric;
    edgeBlock[g] = kk * tx * tx + geometric; edgeBlock[g + 1] = kk * tx * ty; edgeBlock[g + 2] = kk * tx * tz;
    edgeBlock[g + 3] = kk * ty * ty + geometric; edgeBlock[g + 4] = kk * ty * tz; edgeBlock[g + 5] = kk * tz * tz + geometric;
  }
}

/** λ ← λ + k (C + t · Δe), x ← x + Δ, and the edges spun by Δθ (a Cayley turn of at most one radian), where `active`. */
export function moveAndTighten(k: RodArrays, first: i32, n: i32, active: f): void {
  const { x, tangent, director, restLength, tension, r, inverseLength, stretchiness } = k;
  for (let i: i32 = 1; i < n; i++) {
    const a: i32 = 3 * (first + i), d: i32 = 4 * i;
    const change = tangent[a] * (r[d] - r[d - 4]) + tangent[a + 1] * (r[d + 1] - r[d - 3]) + tangent[a + 2] * (r[d + 2] - r[d - 2]);
    const pull = stretchiness[i] * (1 / inverseLength[i] - restLength[first + i] + change);
    tension[first + i] += select(active, pull, 0);
    x[a] += select(active, r[d], 0); x[a + 1] += select(active, r[d + 1], 0); x[a + 2] += select(active, r[d + 2], 0);
    const half = select(active, Math.max(-0.5, Math.min(0.5, 0.5 * r[d + 3])), 0), m = 1 / (1 + half * half);
    const c = (1 - half * half) * m, si = 2 * half * m;
    const px = director[a], py = director[a + 1], pz = director[a + 2], tx = tangent[a], ty = tangent[a + 1], tz = tangent[a + 2];
    director[a] = c * px + si * (ty * pz - tz * py);
    director[a + 1] = c * py + si * (tz * px - tx * pz);
    director[a + 2] = c * pz + si * (tx * py - ty * px);
  }
}
