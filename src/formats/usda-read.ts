/**
 * Reads OpenUSD text (.usda) as far as curves need it: prims, what is said of them, properties with their values and samples, and
 * variants; in the shape that three.js's reader of the binary form gives. Numbers in brackets come flat, however deep the brackets.
 *
 * **Source:** OpenUSD documentation of the text file format, *from memory*; checked with what another library reads and writes
 * (tinyusdz, tests/conformance/usd.test.ts).
 */
export interface UsdSpec { fields: Record<string, unknown> }
/** Prims by path (`/a/b`, `/a{set=choice}b` within a variant), properties as `/a/b.name`, the layer as `/`. */
export interface UsdLayer { specsByPath: Record<string, UsdSpec> }

/** What is wrong with a text, and on which line; `cut`: it ends too soon. */
export class UsdTextError extends Error { constructor(message: string, readonly line: number, readonly cut: boolean) { super(message); } }

const NUMBER = /[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?|[-+]?inf\b|nan\b/y, WORD = /[A-Za-z_][\w:.]*/y, SPACE = /(?:\s+|#[^\n]*)*/y;
/** What may stand before a type. */
const BEFORE = new Set(['custom', 'uniform', 'varying', 'config', 'prepend', 'append', 'delete', 'add', 'reorder']);
const MOST_DEEP = 200;

class Reader {
  private at = 0;
  constructor(private readonly text: string, private readonly specs: Record<string, UsdSpec>) {}

  private fail(what: string, at = this.at): never { throw new UsdTextError(`${what}.`, this.text.slice(0, at).split('\n').length, false); }
  private ends(within: string): never { throw new UsdTextError(`${within} has no end.`, this.text.split('\n').length, true); }
  private next(): string { return this.text.slice(this.at, this.at + 12).split('\n')[0]; }
  private space(): void { SPACE.lastIndex = this.at; SPACE.test(this.text); this.at = SPACE.lastIndex; }
  /** Whether `c` comes next; it is gone over then. */
  private takes(c: string): boolean {
    this.space();
    if (!this.text.startsWith(c, this.at)) return false;
    this.at += c.length;
    return true;
  }
  private needs(c: string): void {
    if (this.takes(c)) return;
    if (this.at >= this.text.length) this.ends('what stands there');
    this.fail(`“${c}” should follow, not “${this.next()}”`);
  }
  private word(): string {
    this.space();
    WORD.lastIndex = this.at;
    const m = WORD.exec(this.text);
    if (!m) { if (this.at >= this.text.length) this.ends('what stands there'); this.fail(`a word should follow, not “${this.next()}”`); }
    this.at = WORD.lastIndex;
    return m[0];
  }
  private quoted(): string | null {
    this.space();
    const { text } = this, q = text[this.at];
    if (q !== '"' && q !== '\'') return null;
    const end = text.startsWith(q.repeat(3), this.at) ? q.repeat(3) : q, from = this.at + end.length;
    let to = from;
    while (to < text.length && !text.startsWith(end, to)) to += text[to] === '\\' ? 2 : 1;
    if (to >= text.length) this.ends('a text in quotes');
    this.at = to + end.length;
    return text.slice(from, to).replace(/\\(.)/g, '$1');
  }
  private between(open: string, close: string): string {
    const to = this.text.indexOf(close, this.at + open.length);
    if (to < 0) this.ends(`what begins with “${open}”`);
    const out = this.text.slice(this.at + open.length, to);
    this.at = to + close.length;
    return out;
  }
  private number(): number | null {
    NUMBER.lastIndex = this.at;
    const m = NUMBER.exec(this.text);
    if (!m) return null;
    this.at = NUMBER.lastIndex;
    return m[0].endsWith('inf') ? (m[0][0] === '-' ? -Infinity : Infinity) : Number(m[0]);
  }

  /** A value; what stands in brackets is put after each other into one list. */
  private value(deep = 0): unknown {
    if (deep > MOST_DEEP) this.fail('brackets lie too deep in each other');
    const text = this.quoted();
    if (text !== null) return text;
    const c = this.text[this.at];
    if (c === '(' || c === '[') {
      const out: unknown[] = [];
      this.list(c === '(' ? ')' : ']', out, deep);
      return out;
    }
    if (c === '{') return this.dictionary(deep);
    if (c === '@') return this.text.startsWith('@@@', this.at) ? this.assetAt('@@@') : this.assetAt('@');
    if (c === '<') return this.pathAt();
    const n = this.number();
    if (n !== null) return n;
    const word = this.word();
    return word === 'None' ? null : word === 'true' ? true : word === 'false' ? false : word;
  }
  /** An asset: its name, and what prim of it; when it begins is gone over. */
  private assetAt(mark: string): { asset: string; path?: string } {
    const asset = this.between(mark, mark);
    this.space();
    const path = this.text[this.at] === '<' ? this.between('<', '>') : null;
    this.said();
    return path === null ? { asset } : { asset, path };
  }
  /** A prim of the same layer; when it begins is gone over. */
  private pathAt(): string {
    const path = this.between('<', '>');
    this.said();
    return path;
  }
  private list(close: string, out: unknown[], deep: number): void {
    this.at++;
    for (;;) {
      this.space();
      const c = this.text[this.at];
      if (c === close) { this.at++; return; }
      if (c === ',' || c === ';') { this.at++; continue; }
      if (c === '(' || c === '[') { if (deep > MOST_DEEP) this.fail('brackets lie too deep in each other'); this.list(c === '(' ? ')' : ']', out, deep + 1); continue; }
      if (c === undefined) this.ends('a list');
      const n = this.number();
      out.push(n ?? this.value(deep + 1));
    }
  }
  /** `{ type name = value … }`, or samples `{ time: value, … }`. */
  private dictionary(deep: number): Record<string, unknown> | { times: number[]; values: unknown[] } {
    this.needs('{');
    const times: number[] = [], values: unknown[] = [], out: Record<string, unknown> = {};
    for (;;) {
      if (this.takes('}')) return times.length > 0 ? { times, values } : out;
      if (this.takes(',') || this.takes(';')) continue;
      const n = this.number();
      if (n !== null) { this.needs(':'); times.push(n); values.push(this.value(deep + 1)); continue; }
      if (this.text[this.at] === '<') { this.between('<', '>'); this.needs(':'); this.value(deep + 1); continue; }
      let name = this.quoted();
      if (name === null) {
        this.word();
        if (this.takes('[')) this.needs(']');
        name = this.quoted() ?? this.word();
      }
      this.needs('=');
      out[name] = this.value(deep + 1);
    }
  }
  /** Goes over what stands in curly brackets. */
  private braces(): void {
    this.needs('{');
    for (let open = 1; open > 0;) {
      if (this.takes('{')) open++;
      else if (this.takes('}')) open--;
      else if (this.at >= this.text.length) this.ends('what stands in curly brackets');
      else if (this.quoted() === null) this.at++;
    }
  }
  /** What stands in round brackets behind a name: key = value, one after another. */
  private said(): Record<string, unknown> {
    const out: Record<string, unknown> = {};
    if (!this.takes('(')) return out;
    while (!this.takes(')')) {
      if (this.takes(';') || this.takes(',')) continue;
      // a text alone says what it is
      if (this.quoted() !== null) continue;
      let key = this.word();
      if (BEFORE.has(key)) key = this.word();
      this.needs('=');
      out[key] = this.value();
    }
    return out;
  }

  layer(): void {
    this.specs['/'] = { fields: this.said() };
    for (;;) {
      this.space();
      if (this.at >= this.text.length) return;
      this.item('', 0);
    }
  }
  /** One thing within a prim, or in the layer. `path` without a slash at its end. */
  private item(path: string, deep: number): void {
    if (deep > MOST_DEEP) this.fail('prims lie too deep in each other');
    const from = this.at;
    let word = this.word();
    if (word === 'def' || word === 'over' || word === 'class') { this.prim(path, word, deep); return; }
    if (word === 'variantSet') { this.variants(path, deep); return; }
    while (BEFORE.has(word)) word = this.word();
    // an order of names, which nothing here depends on
    if (word === 'nameChildren' || word === 'properties' || word === 'rootPrims') { this.needs('='); this.value(); return; }
    if (this.takes('[')) this.needs(']');
    if (path === '') this.fail('a prim should follow', from);
    const name = this.word();
    // curves of a value over time, in a layout of their own
    if (name.endsWith('.spline')) { this.needs('='); this.braces(); return; }
    const samples = name.endsWith('.timeSamples'), full = `${path}.${samples ? name.slice(0, -12) : name}`;
    const spec = (this.specs[full] ??= { fields: {} });
    if (this.takes('=')) spec.fields[samples ? 'timeSamples' : 'default'] = this.value();
    this.said();
    this.takes(';');
  }
  private prim(above: string, specifier: string, deep: number): void {
    let name = this.quoted(), typeName = '';
    if (name === null) { typeName = this.word(); name = this.quoted(); }
    if (name === null) return this.fail('the prim has no name');
    const path = above.endsWith('}') ? `${above}${name}` : `${above}/${name}`;
    this.specs[path] = { fields: { specifier, typeName, ...this.said() } };
    this.body(path, deep);
  }
  private body(path: string, deep: number): void {
    this.needs('{');
    while (!this.takes('}')) {
      if (this.takes(';')) continue;
      if (this.at >= this.text.length) this.ends(`“${path}”`);
      this.item(path, deep + 1);
    }
  }
  private variants(path: string, deep: number): void {
    const set = this.quoted();
    if (set === null) this.fail('the set of variants has no name');
    this.needs('=');
    this.needs('{');
    while (!this.takes('}')) {
      const name = this.quoted();
      if (name === null) this.fail('a variant has no name');
      this.said();
      this.body(`${path}{${set}=${name}}`, deep + 1);
    }
  }
}

/** A layer of text. Throws `UsdTextError` where it is none. */
export function readUsdText(text: string): UsdLayer {
  const specs: Record<string, UsdSpec> = {};
  new Reader(text, specs).layer();
  return { specsByPath: specs };
}
