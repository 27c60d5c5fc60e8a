/**
 * Bytes of a document's buffers by their ids. Of shapes that follow each other stroke by stroke only what differs is kept; what is stored on the server
 * and not in use goes when there is too much of it, and is fetched again when a step back needs it.
 */
import type { BufferId } from '../../core/document/schema';

interface Link { a: BufferId; b: BufferId; rows: Uint32Array; row: number; before: Uint8Array; after: Uint8Array }

const MOST_LINKED = 48 << 20, MOST_WHOLE = 96 << 20;

export class BufferStore {
  /** In the order they were last used, the longest unused first. */
  private readonly whole = new Map<BufferId, Uint8Array>();
  private readonly links: Link[] = [];
  private readonly byId = new Map<BufferId, Link[]>();
  private linked = 0;
  private wholeBytes = 0;
  /** Those the server is known to have. */
  readonly onServer = new Set<BufferId>();
  /** Those the open document refers to. */
  inUse: ReadonlySet<BufferId> = new Set();

  get bytes(): number { return this.linked + this.wholeBytes; }

  set(id: BufferId, bytes: Uint8Array): void {
    if (!this.whole.has(id)) this.wholeBytes += bytes.length;
    this.whole.delete(id);
    this.whole.set(id, bytes);
    this.shed();
  }
  has(id: BufferId): boolean { return this.whole.has(id) || this.way(id) !== null; }
  get(id: BufferId): Uint8Array | undefined {
    const known = this.whole.get(id);
    if (known) return known;
    const way = this.way(id);
    if (!way) return undefined;
    const bytes = way.from.slice();
    for (const { link, back } of way.links) {
      const rows = back ? link.before : link.after;
      for (let k = 0; k < link.rows.length; k++) bytes.set(rows.subarray(k * link.row, (k + 1) * link.row), link.rows[k] * link.row);
    }
    this.set(id, bytes);
    return bytes;
  }

  /** `b` has come after `a` and is of the same rows: from now on `a` is kept as what differs. */
  follow(a: BufferId, b: BufferId, row: number): void {
    const A = this.whole.get(a), B = this.whole.get(b);
    if (a === b || !A || !B || A.length !== B.length || A.length % row !== 0 || this.byId.get(a)?.some((l) => l.b === b || l.a === b)) return;
    const rows: number[] = [];
    for (let r = 0; r < A.length / row; r++) { for (let k = r * row; k < (r + 1) * row; k++) if (A[k] !== B[k]) { rows.push(r); break; } }
    const link: Link = { a, b, rows: Uint32Array.from(rows), row, before: new Uint8Array(rows.length * row), after: new Uint8Array(rows.length * row) };
    rows.forEach((r, k) => { link.before.set(A.subarray(r * row, (r + 1) * row), k * row); link.after.set(B.subarray(r * row, (r + 1) * row), k * row); });
    this.links.push(link);
    for (const id of [a, b]) { const list = this.byId.get(id); if (list) list.push(link); else this.byId.set(id, [link]); }
    this.linked += 2 * link.before.length;
    this.drop(a);
    this.shed();
  }

  private drop(id: BufferId): void {
    const bytes = this.whole.get(id);
    if (!bytes) return;
    this.whole.delete(id);
    this.wholeBytes -= bytes.length;
  }
  /** The links from something that is whole to `id`. */
  private way(id: BufferId): { from: Uint8Array; links: { link: Link; back: boolean }[] } | null {
    const came = new Map<BufferId, { link: Link; back: boolean; next: BufferId } | null>([[id, null]]), queue = [id];
    for (let k = 0; k < queue.length; k++) {
      const at = queue[k], bytes = this.whole.get(at);
      if (bytes) {
        const links: { link: Link; back: boolean }[] = [];
        for (let step = came.get(at); step; step = came.get(step.next)) links.push(step);
        return { from: bytes, links };
      }
      for (const link of this.byId.get(at) ?? []) {
        const other = link.a === at ? link.b : link.a;
        if (!came.has(other)) { came.set(other, { link, back: link.a === at, next: at }); queue.push(other); }
      }
    }
    return null;
  }
  private shed(): void {
    // a link goes only where both its ends can be had from the server
    for (let k = 0; k < this.links.length && this.linked > MOST_LINKED; ) {
      const link = this.links[k];
      if (!this.onServer.has(link.a) || !this.onServer.has(link.b)) { k++; continue; }
      this.links.splice(k, 1);
      this.linked -= 2 * link.before.length;
      for (const id of [link.a, link.b]) { const list = this.byId.get(id)!.filter((l) => l !== link); if (list.length > 0) this.byId.set(id, list); else this.byId.delete(id); }
    }
    if (this.wholeBytes <= MOST_WHOLE) return;
    for (const id of [...this.whole.keys()]) {
      if (this.wholeBytes <= MOST_WHOLE) return;
      if (!this.inUse.has(id) && this.onServer.has(id) && !this.byId.has(id)) this.drop(id);
    }
  }
}
