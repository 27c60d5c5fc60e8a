/** Maps from pictures and as pictures, by the texture coordinates of the mesh. */
import type { SkinGrid } from './skin-grid';

/** Grey values 0 … 255, row by row from the top. */
export interface GreyImage { width: number; height: number; values: Uint8Array | Uint8ClampedArray }

/** Value at (u, v), v upwards; linear between the middles of pixels, repeated beyond 0 … 1. */
export function greyAt({ width, height, values }: GreyImage, u: number, v: number): number {
  const x = u * width - 0.5, y = (1 - v) * height - 0.5, i = Math.floor(x), j = Math.floor(y), s = x - i, t = y - j;
  const wrap = (k: number, n: number): number => ((k % n) + n) % n, at = (p: number, q: number): number => values[wrap(q, height) * width + wrap(p, width)];
  return (1 - t) * ((1 - s) * at(i, j) + s * at(i + 1, j)) + t * ((1 - s) * at(i, j + 1) + s * at(i + 1, j + 1));
}

/** A map on the mesh's skin grid from a picture; `uvs`: 2 × vertices. */
export function mapFromImage(grid: SkinGrid, uvs: ArrayLike<number>, image: GreyImage): Uint8Array {
  const out = new Uint8Array(grid.count), T = grid.triangles;
  for (let f = 0; f < grid.faceCount; f++) {
    const A = 2 * T[3 * f], B = 2 * T[3 * f + 1], C = 2 * T[3 * f + 2];
    grid.eachOf(f, (t, b, c) => { const a = 1 - b - c; out[t] = Math.round(greyAt(image, a * uvs[A] + b * uvs[B] + c * uvs[C], a * uvs[A + 1] + b * uvs[B + 1] + c * uvs[C + 1])); });
  }
  return out;
}

/** Pixels beyond the rim of what is covered that take its value, so that no seam shows when it is read again. */
const GUTTER = 6;

/** The picture of a map; `covered`: share of its pixels that belong to skin. `map` null is 1 everywhere. */
export function imageFromMap(grid: SkinGrid, uvs: ArrayLike<number>, map: Uint8Array | null, size: number): GreyImage & { covered: number } {
  const values = new Uint8Array(size * size), from = new Int32Array(size * size).fill(-1), T = grid.triangles;
  for (let f = 0; f < grid.faceCount; f++) {
    const [ax, ay, bx, by, cx, cy] = [0, 1, 2].flatMap((k) => [uvs[2 * T[3 * f + k]] * size, (1 - uvs[2 * T[3 * f + k] + 1]) * size]), area = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay);
    if (!Number.isFinite(area) || Math.abs(area) < 1e-9) continue;
    // what lies outside 0 … 1 is another copy of the picture
    const x0 = Math.floor(Math.min(ax, bx, cx)), x1 = Math.ceil(Math.max(ax, bx, cx)), y0 = Math.floor(Math.min(ay, by, cy)), y1 = Math.ceil(Math.max(ay, by, cy));
    if (x1 - x0 > 4 * size || y1 - y0 > 4 * size) continue;
    for (let y = y0; y < y1; y++) for (let x = x0; x < x1; x++) {
      const px = x + 0.5, py = y + 0.5, b = ((px - ax) * (cy - ay) - (cx - ax) * (py - ay)) / area, c = ((bx - ax) * (py - ay) - (px - ax) * (by - ay)) / area;
      if (b < -1e-6 || c < -1e-6 || b + c > 1 + 1e-6) continue;
      const at = (((y % size) + size) % size) * size + (((x % size) + size) % size);
      from[at] = f;
      values[at] = map ? Math.round(255 * grid.sample(map, f, Math.max(0, b), Math.max(0, c))) : 255;
    }
  }
  let covered = 0;
  for (const f of from) if (f >= 0) covered++;
  for (let pass = 0; pass < GUTTER; pass++) {
    const found: [number, number][] = [];
    for (let y = 0; y < size; y++) for (let x = 0; x < size; x++) {
      const at = y * size + x;
      if (from[at] >= 0) continue;
      let sum = 0, n = 0;
      for (const [dx, dy] of [[1, 0], [-1, 0], [0, 1], [0, -1]]) { const p = x + dx, q = y + dy; if (p >= 0 && q >= 0 && p < size && q < size && from[q * size + p] >= 0) { sum += values[q * size + p]; n++; } }
      if (n > 0) found.push([at, Math.round(sum / n)]);
    }
    for (const [at, v] of found) { values[at] = v; from[at] = 0; }
  }
  return { width: size, height: size, values, covered: covered / (size * size) };
}
