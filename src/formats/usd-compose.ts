/**
 * What the prims of an OpenUSD layer come to: variants chosen, and what a prim takes over from others of the same layer (references without a
 * file, inherits, specializes). Other files are not opened. **Source:** OpenUSD documentation of composition, *from memory*.
 */
import type { UsdLayer } from './usda-read';

type Specs = UsdLayer['specsByPath'];
/** What is taken over from may take over from others, so often; and a layer comes to so many prims and properties at most. */
const ROUNDS = 12, MOST_SPECS = 400_000;

/** The layer with all of it put where it belongs; `patterns`: prims that others take over and that are only said to be over something. */
export function composed(specs: Specs, warnings: string[]): { specs: Specs; patterns: Set<string> } {
  const out = chosenOf(specs, warnings), patterns = new Set<string>(), missing = new Set<string>();
  let size = Object.keys(out).length;
  for (let round = 0, more = true; more && round < ROUNDS; round++) {
    more = false;
    // sorted, what lies in a prim stands together
    const paths = Object.keys(out), sorted = [...paths].sort();
    for (const to of paths) for (const from of takenFrom(out[to].fields, out['/']?.fields)) {
      // nothing takes over itself, or what it lies in
      if (to === from || to.startsWith(`${from}/`) || from.startsWith(`${to}/`)) continue;
      if (!out[from]) { missing.add(from); continue; }
      if (out[from].fields.specifier === 'over' || out[from].fields.specifier === 1) patterns.add(from);
      for (let k = placeIn(sorted, from); k < sorted.length && sorted[k].startsWith(from); k++) {
        const path = sorted[k];
        if (path !== from && !path.startsWith(`${from}/`) && !path.startsWith(`${from}.`)) continue;
        const at = to + path.slice(from.length), own = out[at]?.fields;
        if (!own && ++size > MOST_SPECS) throw new Error(`its prims take over so much from each other that it comes to more than ${MOST_SPECS.toLocaleString('en')} of them; flatten it first`);
        const next = { ...out[path].fields, ...own, ...(own && !own.typeName ? { typeName: out[path].fields.typeName } : {}) };
        if (own && Object.keys(next).length === Object.keys(own).length && next.typeName === own.typeName) continue;
        out[at] = { fields: next };
        more = true;
      }
    }
  }
  if (missing.size > 0) warnings.push(`It takes over ${[...missing].slice(0, 3).map((p) => `“${p}”`).join(', ')}, which ${missing.size === 1 ? 'is' : 'are'} not in it.`);
  return { specs: out, patterns };
}

/** Where a path stands among sorted ones. */
function placeIn(sorted: readonly string[], path: string): number {
  let low = 0, high = sorted.length;
  while (low < high) { const mid = (low + high) >> 1; if (sorted[mid] < path) low = mid + 1; else high = mid; }
  return low;
}

/** Paths of prims of the same layer that a prim takes over; without a path it is the layer's first. */
function takenFrom(fields: Record<string, unknown>, layer: Record<string, unknown> = {}): string[] {
  const out: string[] = [];
  for (const [name, whole] of [['references', true], ['payload', true], ['inherits', false], ['inheritPaths', false], ['specializes', false]] as const) {
    for (const v of [fields[name]].flat()) {
      if (typeof v === 'string' && v.startsWith('/')) out.push(v);
      else if (whole && v && typeof v === 'object' && (v as { asset?: unknown }).asset === '') {
        const path = (v as { path?: string }).path ?? (typeof layer.defaultPrim === 'string' ? `/${layer.defaultPrim}` : '');
        if (path) out.push(path);
      }
    }
  }
  return out;
}

/** Variants that are not chosen left out, the others put where they belong; what is said beside them counts more. */
function chosenOf(specs: Specs, warnings: string[]): Specs {
  const out: Specs = {}, first: Record<string, string> = {};
  for (const [path, spec] of Object.entries(specs)) if (!path.includes('{')) out[path] = { fields: { ...spec.fields } };
  for (const [path, { fields }] of Object.entries(specs)) {
    if (!path.includes('{')) continue;
    let taken = true;
    for (const m of path.matchAll(/\{([^=}]*)=([^}]*)\}/g)) {
      if (m[2] === '') { taken = false; continue; }
      const prim = placeOf(path.slice(0, m.index)), said = out[prim]?.fields ?? {}, choice = ((said.variantSelection ?? said.variants) as Record<string, string> | undefined)?.[m[1]], key = `${prim} ${m[1]}`;
      if (choice === undefined && first[key] === undefined) { first[key] = m[2]; warnings.push(`${prim} does not say which “${m[1]}” it is: “${m[2]}” is taken.`); }
      if ((choice ?? first[key]) !== m[2]) taken = false;
    }
    if (taken) { const at = placeOf(path); out[at] = { fields: { ...fields, ...out[at]?.fields } }; }
  }
  return out;
}
const placeOf = (path: string): string => path.replace(/(?:\{[^}]*\})+\/?(?=[^./{])/g, '/').replace(/\{[^}]*\}/g, '');
