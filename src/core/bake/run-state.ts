/**
 * All that a run has become, as bytes, so that another run of the same scene can go on from there to the bit.
 *
 * A run is a tree of objects that hold numbers and typed arrays. Two runs begun with the same scene, plan and share are trees
 * of the same shape, so a walk over one in a fixed order (names sorted) meets what a walk over the other meets. What a run was
 * begun with (the scene and its plan) is left out: it is the same already; so is what a class says it makes anew in every frame (`madeAnew`). Where strands act on each other, all shares
 * must stand at the same frame while their states are taken, as part of it is memory they have in common.
 */
import { requireContract } from '../contract';
import type { SwayRun } from '../sway/run';

/** What a run was begun with and lists it only writes on within a substep, by name; functions are left out too. */
const GIVEN = new Set(['scene', 'whole', 'character', 'mesh', 'plan', 'settings', 'shot', 'report', 'colliders', 'coupling', 'ofGuides', 'wind', 'rest', 'obstacles', 'dropWalls', 'candidates', 'found']);
const MAGIC = 0x31535246;

/** Thrown where bytes are not the state of such a run. */
export class RunStateError extends Error {}

type Numbers = ArrayBufferView & { constructor: new (buffer: ArrayBuffer) => ArrayBufferView };
interface Place { holder: Record<string, unknown>; key: string }
type Leaf = (Place & { kind: 'array' }) | (Place & { kind: 'number' }) | { kind: 'map'; map: Map<number, Float32Array> };

function leavesOf(root: object): Leaf[] {
  const seen = new Set<object>(), out: Leaf[] = [];
  const visit = (holder: Record<string, unknown>, key: string): void => {
    const value = holder[key];
    if (typeof value === 'number' || typeof value === 'boolean') { out.push({ kind: 'number', holder, key }); return; }
    if (value === null || typeof value !== 'object') return;
    if (ArrayBuffer.isView(value)) { out.push({ kind: 'array', holder, key }); return; }
    if (seen.has(value) || value instanceof ArrayBuffer || value instanceof SharedArrayBuffer) return;
    seen.add(value);
    if (value instanceof Map) { out.push({ kind: 'map', map: value as Map<number, Float32Array> }); return; }
    const inner = value as Record<string, unknown>, { madeAnew } = value.constructor as { madeAnew?: ReadonlySet<string> };
    for (const name of Object.keys(inner).sort()) if (!GIVEN.has(name) && !madeAnew?.has(name)) visit(inner, name);
  };
  visit({ root }, 'root');
  return out;
}

const bytesOf = (v: ArrayBufferView): Uint8Array => new Uint8Array(v.buffer, v.byteOffset, v.byteLength);
const arrayOf = ({ holder, key }: Place): Numbers => holder[key] as Numbers;
/** Arrays stand at multiples of four. */
const room = (bytes: number): number => (bytes + 3) & ~3;
/** Says that an array is the very one of an earlier leaf, whose number follows. */
const SAME = 0xffffffff;
/** Says that an array is eight bytes over and over, as what has not been used yet: its length and they follow. */
const EVEN = 0xfffffffe;
/** Bytes: shorter ones are not worth it, and longer ones are none of a run’s. */
const LEAST_EVEN = 64, MOST_EVEN = 1 << 28;
function isEven(value: Numbers): boolean {
  if (value.byteLength < LEAST_EVEN || value.byteLength % 8 !== 0 || value.byteOffset % 4 !== 0) return false;
  const words = new Int32Array(value.buffer, value.byteOffset, value.byteLength / 4), a = words[0], b = words[1];
  for (let i = 2; i < words.length; i += 2) if (words[i] !== a || words[i + 1] !== b) return false;
  return true;
}

/** The state of a run as bytes: magic, number of leaves, then each leaf with its length. Little-endian. */
export function packRun(run: SwayRun): Uint8Array {
  const leaves = leavesOf(run), first = new Map<Numbers, number>();
  leaves.forEach((l, i) => { if (l.kind === 'array' && !first.has(arrayOf(l))) first.set(arrayOf(l), i); });
  const even = leaves.map((l, i) => l.kind === 'array' && first.get(arrayOf(l)) === i && isEven(arrayOf(l)));
  const size = leaves.reduce((n, l, i) => n + 4 + (l.kind === 'array' ? (even[i] ? 12 : first.get(arrayOf(l)) === i ? room(arrayOf(l).byteLength) : 4) : l.kind === 'number' ? 8 : [...l.map.values()].reduce((m, v) => m + 8 + v.byteLength, 0)), 8);
  const out = new Uint8Array(size), view = new DataView(out.buffer);
  view.setUint32(0, MAGIC, true);
  view.setUint32(4, leaves.length, true);
  let at = 8;
  leaves.forEach((leaf, i) => {
    if (leaf.kind === 'array') {
      const value = arrayOf(leaf), same = first.get(value)!;
      if (even[i]) {
        view.setUint32(at, EVEN, true);
        view.setUint32(at + 4, value.byteLength, true);
        out.set(bytesOf(value).subarray(0, 8), at + 8);
        at += 16;
        return;
      }
      view.setUint32(at, same === i ? value.byteLength : SAME, true);
      if (same === i) out.set(bytesOf(value), at + 4);
      else view.setUint32(at + 4, same, true);
      at += 4 + (same === i ? room(value.byteLength) : 4);
    } else if (leaf.kind === 'number') {
      view.setUint32(at, 8, true);
      view.setFloat64(at + 4, Number(leaf.holder[leaf.key]), true);
      at += 12;
    } else {
      view.setUint32(at, leaf.map.size, true);
      at += 4;
      for (const [key, value] of leaf.map) {
        view.setInt32(at, key, true);
        view.setUint32(at + 4, value.length, true);
        out.set(bytesOf(value), at + 8);
        at += 8 + value.byteLength;
      }
    }
  });
  return out;
}

/** Puts a run, begun with the same scene, plan and share, where the packed one was. Throws `RunStateError` for what is not such a state; the run is then not to be used. */
export function unpackRun(run: SwayRun, bytes: Uint8Array): void {
  requireContract(bytes.byteLength >= 8, 'bytes', 'the state of a run', `${bytes.byteLength} bytes`);
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength), leaves = leavesOf(run), taken = new Set<Numbers>(), other = (): never => { throw new RunStateError('This is the state of another run.'); };
  if (view.getUint32(0, true) !== MAGIC || view.getUint32(4, true) !== leaves.length) other();
  let at = 8;
  const need = (n: number): void => { if (at + n > bytes.byteLength) other(); };
  for (const leaf of leaves) {
    need(4);
    const length = view.getUint32(at, true);
    at += 4;
    if (leaf.kind === 'map') {
      leaf.map.clear();
      for (let k = 0; k < length; k++) {
        need(8);
        const key = view.getInt32(at, true), count = view.getUint32(at + 4, true);
        need(8 + 4 * count);
        leaf.map.set(key, new Float32Array(bytes.slice(at + 8, at + 8 + 4 * count).buffer));
        at += 8 + 4 * count;
      }
    } else if (leaf.kind === 'number') {
      need(8);
      const v = view.getFloat64(at, true), { holder, key } = leaf;
      if (length !== 8) other();
      holder[key] = typeof holder[key] === 'boolean' ? v !== 0 : v;
      at += 8;
    } else if (length === SAME) {
      need(4);
      const same = leaves[view.getUint32(at, true)];
      if (same?.kind !== 'array') { other(); return; }
      leaf.holder[leaf.key] = arrayOf(same);
      at += 4;
    } else {
      const own = arrayOf(leaf), over = length === EVEN;
      need(over ? 12 : room(length));
      const size = over ? view.getUint32(at, true) : length;
      if (over && (size < LEAST_EVEN || size % 8 !== 0 || size > Math.max(own.byteLength, MOST_EVEN))) other();
      const part = over ? new Uint8Array(size) : bytes.slice(at, at + length);
      if (over) for (let o = 0; o < size; o += 8) part.set(bytes.subarray(at + 4, at + 12), o);
      // a list that has grown, or one that has a place of its own by now
      if (size !== own.byteLength || taken.has(own)) leaf.holder[leaf.key] = new own.constructor(part.buffer);
      else bytesOf(own).set(part);
      taken.add(arrayOf(leaf));
      at += over ? 12 : room(length);
    }
  }
}
