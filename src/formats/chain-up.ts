/**
 * Polylines from edges that follow each other in any order: two that meet in a vertex are one where no third one does. Each begins at the end that its first edge there names first;
 * a ring at its first edge. In the order of their first edges.
 */
export function chainUp(edges: readonly (readonly [number, number])[]): number[][] {
  const at = new Map<number, number[]>(), done = new Uint8Array(edges.length), out: { first: number; chain: number[] }[] = [];
  edges.forEach(([a, b], e) => { for (const v of a === b ? [] : [a, b]) { const list = at.get(v); if (list) list.push(e); else at.set(v, [e]); } });
  /** From vertex `v` along edge `e` as far as it goes. */
  const along = (v: number, e: number): void => {
    const chain = [v];
    let first = e, here = v;
    for (let next: number | undefined = e; next !== undefined && done[next] === 0;) {
      done[next] = 1;
      if (next < first) first = next;
      here = edges[next][0] === here ? edges[next][1] : edges[next][0];
      chain.push(here);
      const beside: number[] = at.get(here)!;
      next = beside.length === 2 ? beside.find((k) => done[k] === 0) : undefined;
    }
    // the other end may be the one that is named first
    const start = edges[e][0] === v, back = edges[at.get(here)!.find((k) => edges[k].includes(chain[chain.length - 2]))!][0] === here;
    out.push({ first, chain: !start && back ? chain.reverse() : chain });
  };
  edges.forEach(([a, b], e) => { if (a === b) done[e] = 1; });
  edges.forEach(([a, b], e) => { if (done[e] === 0 && at.get(a)!.length !== 2) along(a, e); if (done[e] === 0 && at.get(b)!.length !== 2) along(b, e); });
  edges.forEach(([a], e) => { if (done[e] === 0) along(a, e); });
  return out.sort((x, y) => x.first - y.first).map((x) => x.chain);
}
