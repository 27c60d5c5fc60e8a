/** Nearest chains of four strands side by side in float32: `../near-steps.ts` as WebAssembly, the same bytes in browsers, on the server and in the command line. */
import { compiledOnce } from '../../../math/wasm';
import { CHAIN_FIELDS, type ChainArrays } from '../near-steps';
import { layAlong, STEPS } from '../nearest-chain';
import { CHAIN_CODE, CHAIN_NAMES } from './chain-code';

export const LANES = 4;
/** Bytes that are the code's own. */
const BEGIN = 4096, PAGE = 65536;
interface Exports { setBase(field: number, at: number): void; nearSteps(points: number, steps: number): void }

const chainModule = compiledOnce(CHAIN_CODE);
/** The last one made: strokes come one after the other, mostly on strands of as many points, and room for each would be let go of late. */
let last: FourChains | null = null;

export class FourChains {
  private readonly k: { readonly [K in keyof ChainArrays]: Float32Array };
  private readonly code: Exports;

  /** For strands of so many points; null where it does not run. The same one may be handed out again: what is put in is taken out before anybody else puts anything in. */
  static of(points: number): FourChains | null {
    if (last?.points === points) return last;
    const code = chainModule();
    try { return (last = code && new FourChains(code, points)); } catch { return null; }
  }
  private constructor(module: WebAssembly.Module, private readonly points: number) {
    const size = Object.values(CHAIN_FIELDS).reduce((sum, fields) => sum + 4 * LANES * fields * points, BEGIN), memory = new WebAssembly.Memory({ initial: Math.ceil(size / PAGE) });
    this.code = new WebAssembly.Instance(module, { env: { memory, abort: () => { throw new Error('The search for the nearest chains stopped.'); } } }).exports as unknown as Exports;
    let at = BEGIN;
    this.k = Object.fromEntries(CHAIN_NAMES.map((name, field) => {
      const from = at, numbers = LANES * CHAIN_FIELDS[name as keyof ChainArrays] * points;
      this.code.setBase(field, from);
      at += 4 * numbers;
      return [name, new Float32Array(memory.buffer, from, numbers)];
    })) as unknown as typeof this.k;
  }

  /** Hands over a strand; as `NearestChain.solve`. */
  put(lane: number, out: Float64Array, o: number, goal: Float64Array, lengths: Float64Array, e: number, held: number): void {
    const { k: { x, wanted, rest, moves }, points } = this, rx = goal[0], ry = goal[1], rz = goal[2];
    for (let i = 0, a = lane, b = lane, g = 0, p = o; i < points; i++, a += 3 * LANES, b += LANES, g += 3, p += 3) {
      wanted[a] = goal[g] - rx; wanted[a + LANES] = goal[g + 1] - ry; wanted[a + 2 * LANES] = goal[g + 2] - rz;
      if (i > held) { x[a] = out[p] - rx; x[a + LANES] = out[p + 1] - ry; x[a + 2 * LANES] = out[p + 2] - rz; moves[b] = 1; }
      else { x[a] = wanted[a]; x[a + LANES] = wanted[a + LANES]; x[a + 2 * LANES] = wanted[a + 2 * LANES]; moves[b] = 0; }
      rest[b] = lengths[e + i];
    }
  }
  run(): void { this.code.nearSteps(this.points, STEPS); }
  /** Writes the strand of a lane out, its lengths exact. */
  take(lane: number, out: Float64Array, o: number, goal: Float64Array, lengths: Float64Array, e: number, held: number): void {
    layAlong(out, o, this.points, goal, this.k.x, LANES, lane, lengths, e, held);
  }
}
