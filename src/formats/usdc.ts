/**
 * Curves over time as an OpenUSD crate (.usdc), version 0.8.0, written in a stream: the layout is known before the first number is, as
 * how many points each sample has is, so that the tables that stand at the end are made first.
 *
 * Source: the layout of FORMATS notes of this project, measured with two readers that are not ours (tests/conformance/usd.test.ts).
 * A file: 88 bytes of bootstrap, values at multiples of eight, then TOKENS, STRINGS, FIELDS, FIELDSETS, PATHS, SPECS and the
 * table of contents. Blocks that are compressed elsewhere hold literals only here: they are small beside the points.
 */
import { CurveStage, GROUP, type CurveCache, type MovingProperty, type StillProperty, type UsdStage } from './usd-curves';

const TYPE = { int: 3, int64: 5, float: 8, double: 9, string: 10, token: 11, vec2f: 20, vec3f: 24, tokenVector: 41, specifier: 42, variability: 44, timeSamples: 46, doubleVector: 48 } as const;
const ARRAY = 1n << 63n, INLINED = 1n << 62n;
const SPEC = { attribute: 1, prim: 6, pseudoRoot: 7 } as const;
/** Bytes handed on at once. */
const PIECE = 1 << 20;
const aligned = (n: number): number => (n + 7) & ~7;
const rep = (type: number, payload: number | bigint, flags = 0n): bigint => flags | (BigInt(type) << 48n) | (BigInt(payload) & 0xffffffffffffn);

/** Bytes that grow: room is made before the bytes are looked at, as it may move them. */
class Bytes {
  private data = new Uint8Array(1 << 12);
  private view = new DataView(this.data.buffer);
  length = 0;
  private room(n: number): number {
    const at = this.length;
    if (at + n > this.data.length) { const more = new Uint8Array(at + n + Math.min(at + n, PIECE)); more.set(this.data); this.data = more; this.view = new DataView(more.buffer); }
    this.length += n;
    return at;
  }
  u8(v: number): void { const at = this.room(1); this.data[at] = v; }
  u32(v: number): void { const at = this.room(4); this.view.setUint32(at, v, true); }
  i32(v: number): void { const at = this.room(4); this.view.setInt32(at, v, true); }
  u64(v: number | bigint): void { const at = this.room(8); this.view.setBigUint64(at, BigInt.asUintN(64, BigInt(v)), true); }
  f64(v: number): void { const at = this.room(8); this.view.setFloat64(at, v, true); }
  bytes(v: Uint8Array): void { const at = this.room(v.length); this.data.set(v, at); }
  align(): void { while (this.length % 8 !== 0) this.u8(0); }
  /** The bytes; nothing is put to them any more. */
  taken(): Uint8Array { return this.data.subarray(0, this.length); }
}

/** One block of literals in the LZ4 block format, after the 0 that says there is but one block. */
function literals(raw: Uint8Array): Uint8Array {
  const out = new Bytes();
  out.u8(0);
  out.u8(Math.min(15, raw.length) << 4);
  if (raw.length >= 15) { let left = raw.length - 15; while (left >= 255) { out.u8(255); left -= 255; } out.u8(left); }
  out.bytes(raw);
  return out.taken();
}
/** Whole numbers as differences: the commonest, two bits each, and what the bits do not say. */
function packedInts(values: readonly number[]): Uint8Array {
  const deltas = values.map((v, i) => (v | 0) - (i > 0 ? values[i - 1] | 0 : 0)), counts = new Map<number, number>();
  let common = 0, most = 0;
  for (const d of deltas) { const n = (counts.get(d) ?? 0) + 1; counts.set(d, n); if (n > most) { most = n; common = d; } }
  const out = new Bytes(), codes = new Uint8Array(Math.ceil(values.length / 4)), rest = new Bytes();
  out.i32(common);
  deltas.forEach((d, i) => {
    const code = d === common ? 0 : d >= -128 && d < 128 ? 1 : d >= -32768 && d < 32768 ? 2 : 3;
    codes[i >> 2] |= code << (2 * (i & 3));
    if (code === 1) rest.u8(d & 255);
    if (code === 2) { rest.u8(d & 255); rest.u8((d >> 8) & 255); }
    if (code === 3) rest.i32(d);
  });
  out.bytes(codes);
  out.bytes(rest.taken());
  return literals(out.taken());
}

/** Token 0 is the empty one: it is no property's, as 0 has no negative. */
class Tokens {
  readonly list: string[] = [''];
  private readonly at = new Map<string, number>([['', 0]]);
  of(text: string): number { let k = this.at.get(text); if (k === undefined) { k = this.list.length; this.list.push(text); this.at.set(text, k); } return k; }
}

const ELEMENTS: Record<Exclude<StillProperty['type'], 'token'>, { type: number; width: number; whole: boolean }> = { 'int[]': { type: TYPE.int, width: 1, whole: true }, 'float[]': { type: TYPE.float, width: 1, whole: false }, 'color3f[]': { type: TYPE.vec3f, width: 3, whole: false }, 'point3f[]': { type: TYPE.vec3f, width: 3, whole: false }, 'texCoord2f[]': { type: TYPE.vec2f, width: 2, whole: false } };

const MOVING: Record<MovingProperty['type'], { type: number; width: number; bytes: number }> = { 'float3[]': { type: TYPE.vec3f, width: 3, bytes: 4 }, 'point3f[]': { type: TYPE.vec3f, width: 3, bytes: 4 }, 'vector3f[]': { type: TYPE.vec3f, width: 3, bytes: 4 }, 'float[]': { type: TYPE.float, width: 1, bytes: 4 }, 'int64[]': { type: TYPE.int64, width: 1, bytes: 8 } };

/** Writes the file piece by piece; `range`: only these samples (a part of a larger take). Throws where the points of a sample do not match the counts. */
export async function* writeUsdc(of: CurveCache | UsdStage, range?: { first: number; last: number }): AsyncGenerator<Uint8Array> {
  const stage: UsdStage = 'run' in of ? of : new CurveStage(of), { cache } = stage, first = range?.first ?? stage.first, last = range?.last ?? stage.last, samples = last - first + 1, tokens = new Tokens(), strings: number[] = [];
  const fields: { token: number; value: bigint }[] = [], fieldsets: number[] = [], paths: { token: number; property: boolean; jump: number }[] = [], specs: { fieldset: number; type: number }[] = [];
  const head = new Bytes();
  head.bytes(new Uint8Array(88));
  const place = (write: () => void): number => { head.align(); const at = head.length; write(); return at; };
  const token = (text: string): bigint => rep(TYPE.token, tokens.of(text), INLINED), string = (text: string): bigint => { strings.push(tokens.of(text)); return rep(TYPE.string, strings.length - 1, INLINED); };
  const number = (v: number): bigint => {
    if (Math.fround(v) === v) { const view = new DataView(new ArrayBuffer(4)); view.setFloat32(0, v, true); return rep(TYPE.double, view.getUint32(0, true), INLINED); }
    return rep(TYPE.double, place(() => head.f64(v)));
  };
  const tokenList = (list: readonly string[]): bigint => rep(TYPE.tokenVector, place(() => { head.u64(list.length); for (const t of list) head.u32(tokens.of(t)); }));
  const array = (type: number, values: ArrayLike<number>, width: number, whole: boolean): bigint => (values.length === 0 ? rep(type, 0, ARRAY) : rep(type, place(() => {
    head.u64(values.length / width);
    const numbers = whole ? (values instanceof Int32Array ? values : Int32Array.from(values)) : values instanceof Float32Array ? values : Float32Array.from(values);
    head.bytes(new Uint8Array(numbers.buffer, numbers.byteOffset, numbers.byteLength));
  }), ARRAY));
  /** A spec with its fields. */
  const spec = (type: number, of: [string, bigint][]): void => {
    specs.push({ fieldset: fieldsets.length, type });
    for (const [name, value] of of) { fieldsets.push(fields.length); fields.push({ token: tokens.of(name), value }); }
    fieldsets.push(-1);
  };

  // where every sample will stand: after the head, one after the other; what is empty takes no room
  const times = Float64Array.from({ length: samples }, (_, k) => stage.timeOf(first + k)), sizeOf = (m: MovingProperty, k: number): number => { const n = m.numbers(first + k); return n === 0 ? 0 : aligned(8 + MOVING[m.type].bytes * n); }, places: number[][] = [];
  let end = 0;
  for (let k = 0; k < samples; k++) places.push(stage.moving.map((m) => { const at = end; end += sizeOf(m, k); return at; }));
  const names = [...stage.still.map((p) => p.name), ...stage.moving.map((m) => m.name)].sort();
  paths.push({ token: 0, property: false, jump: -1 }, { token: tokens.of(GROUP), property: false, jump: -1 }, { token: tokens.of(stage.name), property: false, jump: -1 });
  names.forEach((name, k) => paths.push({ token: tokens.of(name), property: true, jump: k === names.length - 1 ? -2 : 0 }));
  spec(SPEC.pseudoRoot, [['defaultPrim', token(GROUP)], ['documentation', string(cache.comment)], ['endTimeCode', number(cache.endFrame)], ['framesPerSecond', number(cache.fps)], ['metersPerUnit', number(stage.axes.choice.metres)], ['primChildren', tokenList([GROUP])], ['startTimeCode', number(cache.startFrame)], ['timeCodesPerSecond', number(cache.fps)], ['upAxis', token(stage.axes.choice.up.toUpperCase())]]);
  spec(SPEC.prim, [['kind', token('component')], ['primChildren', tokenList([stage.name])], ['specifier', rep(TYPE.specifier, 0, INLINED)], ['typeName', token('Xform')]]);
  spec(SPEC.prim, [['properties', tokenList(names)], ['specifier', rep(TYPE.specifier, 0, INLINED)], ['typeName', token(stage.prim)]]);
  /** Values of moving properties, whose places are put in once the head's length is known. */
  const later: { field: number; moving: number; sampled: number }[] = [];
  const timesAt = place(() => { head.u64(samples); for (const t of times) head.f64(t); });
  for (const name of names) {
    const still = stage.still.find((p) => p.name === name);
    if (still) {
      const value = still.type === 'token' ? token(still.value as string) : array(ELEMENTS[still.type].type, still.value as ArrayLike<number>, ELEMENTS[still.type].width, ELEMENTS[still.type].whole);
      spec(SPEC.attribute, [['default', value], ...(still.interpolation ? [['interpolation', token(still.interpolation)] as [string, bigint]] : []), ['typeName', token(still.type)], ...(still.uniform ? [['variability', rep(TYPE.variability, 1, INLINED)] as [string, bigint]] : [])]);
      continue;
    }
    const moving = stage.moving.findIndex((m) => m.name === name), field = fields.length;
    // timeSamples: a jump over nothing, the times, a jump over nothing, the number, and a value each
    const sampled = place(() => { head.u64(8); head.u64(rep(TYPE.doubleVector, timesAt)); head.u64(8); head.u64(samples); for (let k = 0; k < samples; k++) head.u64(0); });
    spec(SPEC.attribute, [['default', 0n], ['timeSamples', rep(TYPE.timeSamples, sampled)], ['typeName', token(stage.moving[moving].type)]]);
    later.push({ field, moving, sampled });
  }
  head.align();
  const begin = head.length, bytes = head.taken(), view = new DataView(bytes.buffer), valueAt = (moving: number, k: number): bigint => { const m = stage.moving[moving]; return rep(MOVING[m.type].type, m.numbers(first + k) === 0 ? 0 : begin + places[k][moving], ARRAY); };
  for (const { field, moving, sampled } of later) {
    fields[field].value = valueAt(moving, 0);
    for (let k = 0; k < samples; k++) view.setBigUint64(sampled + 32 + 8 * k, valueAt(moving, k), true);
  }
  const tables = tablesOf(tokens.list, strings, fields, fieldsets, paths, specs, begin + end);
  bytes.set(new TextEncoder().encode('PXR-USDC'));
  bytes.set([0, 8, 0], 8);
  view.setBigUint64(16, BigInt(begin + end + tables.contents), true);
  yield bytes;
  let sample = first;
  for await (const { values } of stage.run(first, last)) {
    for (const m of stage.moving) {
      const n = m.numbers(sample), { width, bytes: each } = MOVING[m.type], list = values[m.name], size = each * n;
      if (n === 0) continue;
      const count = new Uint8Array(8), numbers = new Uint8Array(list.buffer, list.byteOffset, size);
      new DataView(count.buffer).setBigUint64(0, BigInt(n / width), true);
      yield count;
      // copies, as the numbers are written over for the next sample, and small ones
      for (let o = 0; o < size; o += PIECE) yield numbers.slice(o, o + PIECE);
      if (aligned(8 + size) > 8 + size) yield new Uint8Array(aligned(8 + size) - 8 - size);
    }
    sample++;
  }
  yield tables.bytes;
}

/** The tables at the end of a file; `contents`: where their table of contents begins among them. */
function tablesOf(tokens: readonly string[], strings: readonly number[], fields: readonly { token: number; value: bigint }[], fieldsets: readonly number[], paths: readonly { token: number; property: boolean; jump: number }[], specs: readonly { fieldset: number; type: number }[], at: number): { bytes: Uint8Array; contents: number } {
  const out = new Bytes(), sections: { name: string; start: number; size: number }[] = [];
  const section = (name: string, write: () => void): void => { const start = out.length; write(); sections.push({ name, start: at + start, size: out.length - start }); };
  const ints = (values: readonly number[]): void => { const packed = packedInts(values); out.u64(packed.length); out.bytes(packed); };
  section('TOKENS', () => {
    const raw = new TextEncoder().encode(`${tokens.join('\0')}\0`), packed = literals(raw);
    out.u64(tokens.length); out.u64(raw.length); out.u64(packed.length); out.bytes(packed);
  });
  section('STRINGS', () => { out.u64(strings.length); for (const s of strings) out.u32(s); });
  section('FIELDS', () => {
    const reps = new Bytes();
    for (const f of fields) reps.u64(f.value);
    const packed = literals(reps.taken());
    out.u64(fields.length); ints(fields.map((f) => f.token)); out.u64(packed.length); out.bytes(packed);
  });
  section('FIELDSETS', () => { out.u64(fieldsets.length); ints(fieldsets); });
  section('PATHS', () => { out.u64(paths.length); out.u64(paths.length); ints(paths.map((_, k) => k)); ints(paths.map((p) => (p.property ? -p.token : p.token))); ints(paths.map((p) => p.jump)); });
  section('SPECS', () => { out.u64(specs.length); ints(specs.map((_, k) => k)); ints(specs.map((s) => s.fieldset)); ints(specs.map((s) => s.type)); });
  const contents = out.length;
  out.u64(sections.length);
  for (const s of sections) {
    const name = new Uint8Array(16);
    name.set(new TextEncoder().encode(s.name));
    out.bytes(name); out.u64(s.start); out.u64(s.size);
  }
  return { bytes: out.taken(), contents };
}
