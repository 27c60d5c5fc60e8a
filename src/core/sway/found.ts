/** The two contacts that an edge keeps while colliders are looked through. */

/** Normals that differ by less are one contact. */
export const SAME_WAY = 0.97;

/** A contact of an edge, `id` −1 for none: rank (the least is kept; its gap, a little less where it was touched before), gap, share of the edge, normal, plane, and the surface's movement over the substep; m. */
export interface Found { id: number; rank: number; gap: number; s: number; nx: number; ny: number; nz: number; plane: number; ux: number; uy: number; uz: number }

export function copyFound(to: Found, f: Found): void { to.id = f.id; to.rank = f.rank; to.gap = f.gap; to.s = f.s; to.nx = f.nx; to.ny = f.ny; to.nz = f.nz; to.plane = f.plane; to.ux = f.ux; to.uy = f.uy; to.uz = f.uz; }
/** A pill's, as `NearPills` tells it from place `o` on. */
export function takeFound(to: Found, F: Float64Array, o: number): void { to.id = F[o]; to.rank = to.gap = F[o + 1]; to.s = F[o + 2]; to.nx = F[o + 3]; to.ny = F[o + 4]; to.nz = F[o + 5]; }
const alike = (f: Found, nx: number, ny: number, nz: number): boolean => f.id >= 0 && f.nx * nx + f.ny * ny + f.nz * nz > SAME_WAY;

/** Puts a contact among the two of different directions with the least rank, if it belongs there; returns its place. */
export function offer(found: Found[], id: number, rank: number, gap: number, s: number, nx: number, ny: number, nz: number): Found | null {
  const first = found[0], second = found[1];
  let place: Found | null = null;
  if (first.id < 0 || rank < first.rank) {
    if (first.id >= 0 && !alike(first, nx, ny, nz)) copyFound(second, first);
    place = first;
  } else if (!alike(first, nx, ny, nz) && (second.id < 0 || rank < second.rank)) place = second;
  if (place) { place.id = id; place.rank = rank; place.gap = gap; place.s = s; place.nx = nx; place.ny = ny; place.nz = nz; }
  return place;
}
