/** Seeded random numbers, the same wherever they run. */
export type Random = () => number;

/** Mulberry32 generator: uniform in [0, 1), period 2³². Source: T. Ettinger, public domain, *from memory*. */
export function makeRandom(seed: number): Random {
  let s = seed | 0;
  return () => {
    s = (s + 0x6d2b79f5) | 0;
    let t = Math.imul(s ^ (s >>> 15), 1 | s);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
}

/**
 * Hash of an unsigned 32-bit integer to [0, 1): the PCG output function. The strand shader holds the same lines, so that
 * the screen and the exports agree. Source: O'Neill 2014; Jarzynski & Olano 2020 (hash use), *from memory*.
 */
export function hashUnit(value: number): number {
  const s = (Math.imul(value, 747796405) + 2891336453) >>> 0;
  const w = Math.imul((s >>> ((s >>> 28) + 4)) ^ s, 277803737) >>> 0;
  return (((w >>> 22) ^ w) >>> 0) / 4294967296;
}
