/**
 * Contact of edges with planes, in the same solve; a point's own contact is one at the end of its edge.
 *
 * With the weights a = 1 − s and b = s on the points of the edge, 1/m_e = a²/m_a + b²/m_b and the penalty k = 30 m_e/h²:
 *
 * - normal: force λ − k g along n (g the gap), λ ← max(0, λ − k g), no more than `HARDEST` m_e, after the substep; its stiffness is lumped on the two
 *   points (a k, b k): a consistent block leaves a zigzag of the strand free, which shakes;
 * - friction, against the slip δ over the substep and along the surface: a contact that sticks carries t − k δ until that
 *   exceeds μN (Coulomb); one that slips feels −K δ with K = min(k, μN/|δ|), |δ| in the first pass by the velocity and what it
 *   was underestimated by the substep before. Whether it sticks is remembered: to ask anew each substep gives more than μN.
 *
 * **Source:** augmented Lagrangians for contact, Alart and Curnier 1991; friction in rods, Daviet et al. 2011, *from memory*.
 */
import type { RodArrays, StepNumbers } from './arrays';
import { any, select, type f, type i32 } from './lanes';

/** Penalty of a contact in units of the inertia that meets it. */
const CONTACT_PENALTY = 30;
/** m/s²: greatest force that a contact carries over, by the mass that meets it: between surfaces that leave no room it would grow for ever. */
const HARDEST = 3500;
/** Share of a miss in the slip that is added to the next guess. */
const LAG_SHARE = 0.3;

/** Marks the points whose contact is expected to press: they are stepped by backward Euler. */
export function markTouched(k: RodArrays, first: i32, n: i32): void {
  const { touchOn, touchAt, held } = k;
  for (let i: i32 = 0; i < n; i++) held[i] = 0;
  for (let i: i32 = 1; i < n; i++) {
    for (let j: i32 = 0; j < 2; j++) {
      const e: i32 = 2 * (first + i) + j;
      const on = select(touchOn[e] - 1.5, 1, 0);
      held[i] = Math.max(held[i], on * select(touchAt[e], 1, 0));
      held[i - 1] = Math.max(held[i - 1], on * select(1 - touchAt[e], 1, 0));
    }
  }
}

/** Adds contact to `r`, `pointBlock` and `edgeBlock`, and leaves what the pass decided in the slots' working numbers. */
export function addTouch(k: RodArrays, o: StepNumbers, first: i32, n: i32, pass: i32): void {
  const { x, vPrev, mass, fixed, touchOn, touchAt, touchNormal, touchPlane, touchSlide, touchFriction, touchForce, touchStick, touchSticks, touchWas, touchLag, y, before, r, pointBlock, edgeBlock, touchBlock, touchActive, touchK, touchStiff, touchCarried, held } = k;
  const h = o.h, ih2 = 1 / (h * h);
  for (let g: i32 = 0; g < 6 * n; g++) touchBlock[g] = 0;
  for (let i: i32 = 1; i < n; i++) {
    for (let j: i32 = 0; j < 2; j++) {
      const p: i32 = first + i, e: i32 = 2 * p + j, q: i32 = 2 * i + j;
      touchActive[q] = 0;
      touchK[q] = 0;
      touchStiff[q] = 0;
      if (any(touchOn[e])) {
        const c: i32 = 3 * p, v: i32 = 3 * e, b: i32 = 3 * i, d: i32 = 4 * i, w: i32 = 3 * q, gb: i32 = 6 * i, ga: i32 = gb - 6;
        const wb = touchAt[e], wa = 1 - wb, nx = touchNormal[v], ny = touchNormal[v + 1], nz = touchNormal[v + 2], ux = touchSlide[v], uy = touchSlide[v + 1], uz = touchSlide[v + 2];
        const inverse = wa * wa * ((1 - fixed[p - 1]) / mass[p - 1]) + wb * wb * ((1 - fixed[p]) / mass[p]);
        const me = select(inverse, 1 / Math.max(inverse, 1e-30), 0), inertia = me * ih2, stiff = CONTACT_PENALTY * inertia;
        const cx = wa * x[c - 3] + wb * x[c], cy = wa * x[c - 2] + wb * x[c + 1], cz = wa * x[c - 1] + wb * x[c + 2];
        const plane = touchPlane[e], gap = nx * cx + ny * cy + nz * cz - plane;
        const carried = touchForce[e], force = carried - stiff * gap, was = touchWas[e];
        const near = select(touchOn[e], 1, 0);
        // where it would be without any other force
        const free = nx * (wa * y[b - 3] + wb * y[b] + h * h * o.gravityX) + ny * (wa * y[b - 2] + wb * y[b + 1] + h * h * o.gravityY) + nz * (wa * y[b - 1] + wb * y[b + 2] + h * h * o.gravityZ) - plane;
        let active: f = near * select(force, 1, 0), normal: f = Math.max(0, force);
        if (pass === 0) {
          active = select(touchOn[e] - 1.5, 1, 0);
          normal = select(was, carried, Math.max(0, 0 - inertia * free));
        }
        const limit = touchFriction[e] * normal;
        // slip since the start of the substep, and the slip to be expected by the velocity
        let dx = cx - wa * before[b - 3] - wb * before[b] - ux, dy = cy - wa * before[b - 2] - wb * before[b + 1] - uy, dz = cz - wa * before[b - 1] - wb * before[b + 2] - uz;
        const dn = dx * nx + dy * ny + dz * nz;
        dx = dx - dn * nx; dy = dy - dn * ny; dz = dz - dn * nz;
        const slip = Math.sqrt(dx * dx + dy * dy + dz * dz);
        const tx = touchStick[v], ty = touchStick[v + 1], tz = touchStick[v + 2];
        let sticks: f = touchSticks[e], kf: f = 0;
        if (pass === 0) {
          let ex = h * (wa * vPrev[c - 3] + wb * vPrev[c]) - ux, ey = h * (wa * vPrev[c - 2] + wb * vPrev[c + 1]) - uy, ez = h * (wa * vPrev[c - 1] + wb * vPrev[c + 2]) - uz;
          const en = ex * nx + ey * ny + ez * nz;
          ex = ex - en * nx; ey = ey - en * ny; ez = ez - en * nz;
          const guess = Math.sqrt(ex * ex + ey * ey + ez * ez) + select(was, touchLag[e], 0 - limit / Math.max(inertia, 1e-30));
          // at the first touch it sticks where friction can stop it within the substep
          sticks = select(was, sticks, select(guess, sticks, 1));
          kf = select(sticks, stiff, Math.min(stiff, limit / Math.max(guess, 1e-12)));
        } else {
          const fx = tx - stiff * dx, fy = ty - stiff * dy, fz = tz - stiff * dz, pull = Math.sqrt(fx * fx + fy * fy + fz * fz);
          const torn = sticks * select(pull - 1.001 * limit, 1, 0);
          sticks = sticks * (1 - torn);
          const shown = select(torn, Math.max(slip, (pull - limit) / Math.max(stiff, 1e-30)), slip);
          kf = select(sticks, stiff, Math.min(stiff, limit / Math.max(shown, 1e-12)));
        }
        kf = kf * active;
        sticks = sticks * active;
        const kn = stiff * active, fn = force * active;
        const sx = sticks * tx, sy = sticks * ty, sz = sticks * tz;
        const px = fn * nx + sx - kf * dx, py = fn * ny + sy - kf * dy, pz = fn * nz + sz - kf * dz;
        r[d - 4] += wa * px; r[d - 3] += wa * py; r[d - 2] += wa * pz;
        r[d] += wb * px; r[d + 1] += wb * py; r[d + 2] += wb * pz;
        const kd = kn - kf, b0 = kf + kd * nx * nx, b1 = kd * nx * ny, b2 = kd * nx * nz, b3 = kf + kd * ny * ny, b4 = kd * ny * nz, b5 = kf + kd * nz * nz;
        touchBlock[ga] += wa * b0; touchBlock[ga + 1] += wa * b1; touchBlock[ga + 2] += wa * b2; touchBlock[ga + 3] += wa * b3; touchBlock[ga + 4] += wa * b4; touchBlock[ga + 5] += wa * b5;
        touchBlock[gb] += wb * b0; touchBlock[gb + 1] += wb * b1; touchBlock[gb + 2] += wb * b2; touchBlock[gb + 3] += wb * b3; touchBlock[gb + 4] += wb * b4; touchBlock[gb + 5] += wb * b5;
        // friction is consistent: what couples the two points is taken out of the spring between them
        const kc = wa * wb * kf;
        edgeBlock[gb] -= kc * (1 - nx * nx); edgeBlock[gb + 1] += kc * nx * ny; edgeBlock[gb + 2] += kc * nx * nz; edgeBlock[gb + 3] -= kc * (1 - ny * ny); edgeBlock[gb + 4] += kc * ny * nz; edgeBlock[gb + 5] -= kc * (1 - nz * nz);
        touchActive[q] = active;
        held[i] = Math.max(held[i], active * select(wb, 1, 0));
        held[i - 1] = Math.max(held[i - 1], active * select(wa, 1, 0));
        touchK[q] = kf;
        touchStiff[q] = stiff;
        touchSticks[e] = sticks;
        touchCarried[w] = sx; touchCarried[w + 1] = sy; touchCarried[w + 2] = sz;
      }
    }
  }
  for (let g: i32 = 0; g < 6 * n; g++) pointBlock[g] += touchBlock[g];
}

/** W = (m/ĥ² + contact)⁻¹ of every point, in which lengths are closed; xx xy xz yy yz zz. */
export function touchMetric(k: RodArrays, n: i32): void {
  const { mobility, touchBlock, metric } = k;
  for (let i: i32 = 0; i < n; i++) {
    const g: i32 = 6 * i;
    const m = 1 / mobility[i];
    const d0 = m + touchBlock[g], d1 = touchBlock[g + 1], d2 = touchBlock[g + 2], d3 = m + touchBlock[g + 3], d4 = touchBlock[g + 4], d5 = m + touchBlock[g + 5];
    const i0 = 1 / d0, l1 = d1 * i0, l2 = d2 * i0, i3 = 1 / (d3 - l1 * d1), s4 = d4 - l1 * d2, l4 = s4 * i3, i5 = 1 / (d5 - l2 * d2 - l4 * s4), m5 = l1 * l4 - l2;
    metric[g] = i0 + l1 * l1 * i3 + m5 * m5 * i5; metric[g + 1] = 0 - l1 * i3 - m5 * l4 * i5; metric[g + 2] = m5 * i5;
    metric[g + 3] = i3 + l4 * l4 * i5; metric[g + 4] = 0 - l4 * i5; metric[g + 5] = i5;
  }
}

/** Forces and states for the next substep, from where the strand came to be. */
export function keepTouch(k: RodArrays, o: StepNumbers, first: i32, n: i32, caught: f): void {
  const { x, touchOn, touchAt, touchNormal, touchPlane, touchSlide, touchFriction, touchForce, touchStick, touchSticks, touchWas, touchLag, before, touchActive, touchK, touchStiff, touchCarried } = k;
  const hardest = (HARDEST / CONTACT_PENALTY) * o.h * o.h;
  for (let i: i32 = 1; i < n; i++) {
    for (let j: i32 = 0; j < 2; j++) {
      const p: i32 = first + i, e: i32 = 2 * p + j, q: i32 = 2 * i + j;
      if (any(touchOn[e])) {
        const c: i32 = 3 * p, v: i32 = 3 * e, b: i32 = 3 * i, w: i32 = 3 * q;
        const wb = touchAt[e], wa = 1 - wb, nx = touchNormal[v], ny = touchNormal[v + 1], nz = touchNormal[v + 2], stiff = touchStiff[q], kf = touchK[q];
        const cx = wa * x[c - 3] + wb * x[c], cy = wa * x[c - 2] + wb * x[c + 1], cz = wa * x[c - 1] + wb * x[c + 2];
        const active = touchActive[q] * (1 - caught);
        const force = active * Math.min(hardest * stiff, Math.max(0, touchForce[e] - stiff * (nx * cx + ny * cy + nz * cz - touchPlane[e])));
        let dx = cx - wa * before[b - 3] - wb * before[b] - touchSlide[v], dy = cy - wa * before[b - 2] - wb * before[b + 1] - touchSlide[v + 1], dz = cz - wa * before[b - 1] - wb * before[b + 2] - touchSlide[v + 2];
        const dn = dx * nx + dy * ny + dz * nz;
        dx = dx - dn * nx; dy = dy - dn * ny; dz = dz - dn * nz;
        const slip = Math.sqrt(dx * dx + dy * dy + dz * dz);
        const fx = touchCarried[w] - kf * dx, fy = touchCarried[w + 1] - kf * dy, fz = touchCarried[w + 2] - kf * dz;
        const pull = Math.sqrt(fx * fx + fy * fy + fz * fz), limit = touchFriction[e] * force, sticks = touchSticks[e];
        const beyond = select(pull - limit, 1, 0), miss = (CONTACT_PENALTY * (pull - limit)) / Math.max(stiff, 1e-30);
        const lag = select(Math.max(beyond, 1 - sticks), LAG_SHARE * Math.max(-0.75 * slip, Math.min(3 * slip, miss)), 0);
        const again = (1 - beyond) * (1 - sticks) * select(kf - 0.999 * stiff, 1, 0) * select(0.98 * limit - pull, 1, 0);
        const keep = active * select(beyond, limit / Math.max(pull, 1e-30), 1);
        touchForce[e] = force;
        touchWas[e] = active;
        touchSticks[e] = active * Math.max(sticks * (1 - beyond), again);
        touchLag[e] = active * lag;
        touchStick[v] = keep * fx; touchStick[v + 1] = keep * fy; touchStick[v + 2] = keep * fz;
      }
    }
  }
}
