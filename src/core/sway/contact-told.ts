/** What contacts have done in the last substep, for those who count, show or keep it. */
import type { ContactFinder } from './contact';
import { SLOTS } from './rod/arrays';
import type { RodSystem } from './rod-system';

/** One contact that presses, for people to look at. */
export interface ContactMark { strand: number; place: [number, number, number]; normal: [number, number, number]; force: number }
/** Who touches what: `touched`, two slots an edge; `touches`, by strand; and where the numbers of shells' contacts begin. */
type Held = Pick<ContactFinder, 'touched' | 'touches' | 'shellIds'>;

/** How many contacts pressed, and the hardest of them, N, into `out`. */
export function countPressing({ touched, touches }: Held, system: RodSystem, out: { contacts: number; press: number }): void {
  const { k: { touchForce }, lanes: L, start } = system;
  for (let s = 0; s < system.strandCount; s++) {
    if (touches[s] === 0) continue;
    const n = system.pointsOf(s);
    for (let i = 1, e = system.at(s, 1, SLOTS); i < n; i++, e += SLOTS * L) for (let j = 0; j < SLOTS; j++) {
      const force = touchForce[e + j * L];
      if (!(force > 0) || touched[SLOTS * (start[s] + i) + j] < 0) continue;
      out.contacts++;
      if (force > out.press) out.press = force;
    }
  }
}
/** Adds what contacts with shells have given hair in a substep of `h` s, press and friction, to `impulses` (3 a slot, N·s); of each slot which contact that was, and where on its edge. */
export function gatherPresses({ touched, touches, shellIds }: Held, system: RodSystem, h: number, impulses: Float64Array, ids: Int32Array, at: Float64Array): void {
  const { k: { touchForce, touchNormal, touchStick, touchAt }, lanes: L, start } = system, from = shellIds[0], end = shellIds[shellIds.length - 1];
  for (let s = 0; s < system.strandCount; s++) {
    if (touches[s] === 0) continue;
    const n = system.pointsOf(s);
    for (let i = 1; i < n; i++) {
      const single = system.at(s, i, SLOTS), triple = system.at(s, i, 3 * SLOTS);
      for (let j = 0; j < SLOTS; j++) {
        const slot = SLOTS * (start[s] + i) + j, e = single + j * L, v = triple + 3 * j * L, id = touched[slot], force = touchForce[e];
        if (id < from || id >= end || !(force > 0)) continue;
        ids[slot] = id;
        at[slot] = touchAt[e];
        for (let c = 0; c < 3; c++) impulses[3 * slot + c] += h * (force * touchNormal[v + c * L] + touchStick[v + c * L]);
      }
    }
  }
}
/** Contacts that pressed. Forces are those on the guide, N. */
export function* pressingMarks({ touched, touches }: Held, system: RodSystem): Generator<ContactMark> {
  const { k, lanes: L, start, rootPosition } = system;
  for (let s = 0; s < system.strandCount; s++) {
    if (touches[s] === 0) continue;
    for (let i = 1; i < system.pointsOf(s); i++) for (let j = 0; j < SLOTS; j++) {
      const e = system.at(s, i, SLOTS) + j * L;
      if (touched[SLOTS * (start[s] + i) + j] < 0 || !(k.touchForce[e] > 0)) continue;
      const n = system.at(s, i, 3 * SLOTS) + 3 * j * L, a = system.at(s, i - 1, 3), b = system.at(s, i, 3), t = k.touchAt[e];
      yield {
        strand: s, force: k.touchForce[e], normal: [k.touchNormal[n], k.touchNormal[n + L], k.touchNormal[n + 2 * L]],
        place: [0, 1, 2].map((c) => rootPosition[3 * s + c] + (1 - t) * k.x[a + c * L] + t * k.x[b + c * L]) as [number, number, number],
      };
    }
  }
}
