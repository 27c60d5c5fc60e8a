/** How much of a treatment each strand has: number × map × random range, or what a formula yields; the profile is multiplied in along the strand. */
import { hashUnit } from '../math/random';
import type { Density, Planting } from '../groom/planting';
import { isTrouble, readFormula, type FormulaTrouble } from './formula';
import { mapWord } from './formula-words';
import type { Driver } from './treatments';

/** Random number `k` of strand `id` for a seed, 0 … 1: the same in whatever order and number strands are made. */
export const strandRandom = (id: number, seed: number, k: number): number => hashUnit((Math.imul(id + 1, 0x9e3779b1) ^ Math.imul(seed + 17, 0x85ebca6b)) + Math.imul(k, 0x632be5ab));

/** What drivers know of strands; arrays by strand. */
export interface DriverInput {
  roots: Planting;
  ids: Uint32Array;
  /** 3 × strands: places (m) and normals of the roots, rest pose. */
  places: Float32Array; normals: Float32Array;
  /** m, before the treatments. */
  lengths: Float32Array;
  maps: Readonly<Record<string, Density>>;
  /** Shares of the length at which the nodes are. */
  shares: Float32Array;
}
export interface Driven {
  /** Amount of each strand; of node by node where `table` is. */
  amounts: Float32Array;
  /** nodes × strands. */
  table: Float32Array | null;
  trouble: FormulaTrouble | null;
}

/** What a formula is told of strand s by its root, its length (m) and its chance: the inputs of `FORMULA_INPUTS` but `t`. */
export function scopeOf(scope: Record<string, number>, { places, normals }: Pick<DriverInput, 'places' | 'normals'>, s: number, length: number, random: number): void {
  scope.random = random;
  scope.length = 100 * length;
  scope.left = normals[3 * s]; scope.up = normals[3 * s + 1]; scope.front = normals[3 * s + 2];
  scope.side = 100 * places[3 * s]; scope.height = 100 * places[3 * s + 1]; scope.depth = 100 * places[3 * s + 2];
}

export function drive(driver: Driver, seed: number, input: DriverInput): Driven {
  const { roots, ids, lengths, maps, shares } = input, count = ids.length, amounts = new Float32Array(count);
  if (driver.formula.trim() === '') {
    const map = driver.map ? maps[driver.map] : undefined;
    for (let s = 0; s < count; s++) amounts[s] = driver.amount * (map ? map(roots.faces[s], roots.weights[2 * s], roots.weights[2 * s + 1]) : 1) * (driver.low + (driver.high - driver.low) * strandRandom(ids[s], seed, 7));
    return { amounts, table: null, trouble: null };
  }
  const formula = readFormula(driver.formula, Object.keys(maps).map(mapWord));
  if (isTrouble(formula)) return { amounts, table: null, trouble: formula };
  const along = formula.names.has('t'), n = shares.length, table = along ? new Float32Array(n * count) : null, used = Object.entries(maps).map(([name, map]) => [mapWord(name), map] as const).filter(([name]) => formula.names.has(name)), scope: Record<string, number> = {};
  let bad = 0;
  const held = (v: number): number => { if (Number.isFinite(v)) return Math.max(0, Math.min(4, v)); bad++; return 0; };
  for (let s = 0; s < count; s++) {
    scopeOf(scope, input, s, lengths[s], strandRandom(ids[s], seed, 7));
    for (const [name, map] of used) scope[name] = map(roots.faces[s], roots.weights[2 * s], roots.weights[2 * s + 1]);
    scope.t = 1;
    if (!table) { amounts[s] = held(formula.evaluate(scope)); continue; }
    let most = 0;
    for (let k = 0; k < n; k++) { scope.t = shares[k]; most = Math.max(most, (table[n * s + k] = held(formula.evaluate(scope)))); }
    amounts[s] = most;
  }
  return { amounts, table, trouble: bad > 0 ? { message: `For ${bad.toLocaleString('en')} ${along ? 'places' : 'strands'} this does not come to a number; they count as 0.`, at: 0 } : null };
}
