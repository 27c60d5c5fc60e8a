/**
 * What the shares of a run have in common while strands act on each other: memory, and a place to meet within every substep.
 * A run in one share needs neither.
 */
export interface Coupling {
  part: number;
  parts: number;
  /** First guide of each share, and the end. */
  bounds: readonly number[];
  memory: ArrayBuffer | SharedArrayBuffer;
  /** Arrivals, rounds, 1 when the run is given up; null for one share. */
  control: Int32Array | null;
}

/** Numbers kept at the end of the memory for ties to places. */
export const TIE_NUMBERS = 65536;
/** Float64 numbers needed for so many points. */
export const couplingNumbers = (points: number): number => 32 * points + TIE_NUMBERS + 4096;
export const CONTROL_WORDS = 3;
const ARRIVED = 0, ROUND = 1, GIVEN_UP = 2;

/** Thrown where the run is given up while a share waits for the others. */
export class GivenUp extends Error {}

export const alone = (guides: number, points: number): Coupling => ({ part: 0, parts: 1, bounds: [0, guides], memory: new ArrayBuffer(8 * couplingNumbers(points)), control: null });
export const makeShared = (points: number): { memory: SharedArrayBuffer; control: SharedArrayBuffer } => ({ memory: new SharedArrayBuffer(8 * couplingNumbers(points)), control: new SharedArrayBuffer(4 * CONTROL_WORDS) });

/** Waits until every share has come here. */
export function meet({ control, parts }: Coupling): void {
  if (!control || parts < 2) return;
  const round = Atomics.load(control, ROUND);
  if (Atomics.load(control, GIVEN_UP) === 1) throw new GivenUp();
  if (Atomics.add(control, ARRIVED, 1) === parts - 1) {
    Atomics.store(control, ARRIVED, 0);
    Atomics.add(control, ROUND, 1);
    Atomics.notify(control, ROUND);
    return;
  }
  while (Atomics.load(control, ROUND) === round) {
    if (Atomics.load(control, GIVEN_UP) === 1) throw new GivenUp();
    Atomics.wait(control, ROUND, round, 100);
  }
}
/** Lets go of every share that waits, now or later. */
export function giveUp(control: Int32Array): void {
  Atomics.store(control, GIVEN_UP, 1);
  Atomics.notify(control, ROUND);
}
