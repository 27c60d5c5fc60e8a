/**
 * The fast filling: `blend` and `displace` of `../strands.ts` with the steps of `../steps.ts`, compiled to WebAssembly, four strands side by side in float32. The same
 * bytes run in browsers, on the server and in the command line, so that all answer the same to the bit.
 */
import type { FilledStrands, FillStep } from '../strands';
import { compiledOnce } from '../../math/wasm';
import type { ShapingName } from '../treatments';
import { FILL_CODE } from './fill-code';

/** Bytes that are the code's own; strands whose settings are handed over at once. */
const BEGIN = 4096, BLOCK = 4096, PAGE = 65536;
/** Numbers a node of a guide is handed over by. */
const GUIDE = 8;

/** A loop with the step of that name in it. */
type Loop = (X: number, own: number, profile: number, table: number, shares: number, normals: number, places: number, nodes: number, from: number, to: number) => void;
interface Exports extends Record<Exclude<ShapingName, 'length' | 'cut'>, Loop> {
  setNumber(i: number, v: number): void;
  blend(X: number, G: number, guides: number, weights: number, normals: number, guideNormals: number, nodes: number, from: number, to: number): void;
  shorten(X: number, own: number, line: number, nodes: number, from: number, to: number): void;
}

const fillModule = compiledOnce(FILL_CODE);

export class FastFill {
  /** As `FillShapes.X`; its memory cannot be handed over to another thread. */
  readonly X: Float32Array;
  private readonly G: Float32Array;
  private readonly at: Record<'X' | 'G' | 'guides' | 'weights' | 'normals' | 'guideNormals' | 'places' | 'shares' | 'profile' | 'line' | 'own' | 'table', number>;
  private readonly memory: WebAssembly.Memory;
  private readonly code: Exports;

  /** Null where it does not run, or there is no room for so many strands. */
  static of(strands: FilledStrands, shares: ArrayLike<number>): FastFill | null {
    const code = fillModule();
    try { return code && new FastFill(code, strands, shares); } catch { return null; }
  }
  private constructor(module: WebAssembly.Module, private readonly strands: FilledStrands, shares: ArrayLike<number>) {
    const { nodes, roots, follow, normals, guideNormals, places } = strands, total = roots.faces.length, guides = guideNormals.length / 3;
    let end = BEGIN;
    const room = (bytes: number): number => { const from = end; end += 16 * Math.ceil(bytes / 16); return from; };
    const at = (this.at = { X: room(16 * nodes * total), G: room(4 * GUIDE * nodes * guides), guides: room(16 * total), weights: room(16 * total), normals: room(16 * total), guideNormals: room(16 * guides), places: room(16 * total), shares: room(4 * nodes), profile: room(4 * nodes), line: room(16 * nodes), own: room(16 * BLOCK), table: room(4 * nodes * BLOCK) });
    this.memory = new WebAssembly.Memory({ initial: Math.ceil(end / PAGE) });
    const { buffer } = this.memory, floats = (from: number, n: number): Float32Array => new Float32Array(buffer, from, n), four = (from: number, three: ArrayLike<number>): void => { const out = floats(from, (4 * three.length) / 3); for (let i = 0, o = 0; i < three.length; i += 3, o += 4) { out[o] = three[i]; out[o + 1] = three[i + 1]; out[o + 2] = three[i + 2]; } };
    this.X = floats(at.X, 4 * nodes * total);
    this.G = floats(at.G, GUIDE * nodes * guides);
    new Uint32Array(buffer, at.guides, 4 * total).set(follow.guides);
    floats(at.weights, 4 * total).set(follow.weights);
    four(at.normals, normals);
    four(at.guideNormals, guideNormals);
    four(at.places, places);
    floats(at.shares, nodes).set(shares);
    this.code = new WebAssembly.Instance(module, { env: { memory: this.memory, abort: () => { throw new Error('The fast filling stopped.'); } } }).exports as unknown as Exports;
  }

  /** Guides at the nodes of strands, `each` numbers a node, the first six as `guideNodes` has them. */
  guides(nodes: ArrayLike<number>, each: number): void {
    const { G } = this;
    for (let i = 0, o = 0; o < G.length; i += each, o += GUIDE) for (let c = 0; c < 6; c++) G[o + c] = nodes[i + c];
  }
  blend(from: number, to: number): void {
    const { at } = this;
    this.code.blend(at.X, at.G, at.guides, at.weights, at.normals, at.guideNormals, this.strands.nodes, from, to);
  }
  /** The step, of whatever kind, on strands `from … to − 1`. */
  apply(one: FillStep, from: number, to: number): void {
    const { at, code, memory: { buffer }, strands: { nodes } } = this;
    if (one.kind !== 'length' && one.kind !== 'cut') { this.displace(one.kind, one, from, to); return; }
    for (let s = from; s < to; s += BLOCK) {
      const end = Math.min(to, s + BLOCK);
      new Float32Array(buffer, at.own, 4 * BLOCK).set(one.own.subarray(4 * s, 4 * end));
      code.shorten(at.X, at.own, at.line, nodes, s, end);
    }
  }
  private displace(kind: Exclude<ShapingName, 'length' | 'cut'>, { numbers, profile, own, table }: FillStep, from: number, to: number): void {
    const { at, code, memory: { buffer }, strands: { nodes } } = this;
    numbers.forEach((v, i) => code.setNumber(i, v));
    new Float32Array(buffer, at.profile, nodes).set(profile);
    for (let s = from; s < to; s += BLOCK) {
      const end = Math.min(to, s + BLOCK);
      new Float32Array(buffer, at.own, 4 * BLOCK).set(own.subarray(4 * s, 4 * end));
      if (table) new Float32Array(buffer, at.table, nodes * BLOCK).set(table.subarray(nodes * s, nodes * end));
      code[kind](at.X, at.own, at.profile, table ? at.table : 0, at.shares, at.normals, at.places, nodes, s, end);
    }
  }
}
