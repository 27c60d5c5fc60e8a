/** Places (3 × count) in an order in which neighbours follow each other for the most part: by the bits of their numbers in turn. **Source:** Morton 1966, *from memory*. */
export function besideEachOther(places: ArrayLike<number>, count: number): Uint32Array {
  const low = [Infinity, Infinity, Infinity], high = [-Infinity, -Infinity, -Infinity];
  for (let a = 0; a < 3 * count; a++) { low[a % 3] = Math.min(low[a % 3], places[a]); high[a % 3] = Math.max(high[a % 3], places[a]); }
  const size = Math.max(1e-9, high[0] - low[0], high[1] - low[1], high[2] - low[2]), code = new Float64Array(count);
  for (let s = 0; s < count; s++) for (let bit = 9; bit >= 0; bit--) for (let c = 0; c < 3; c++) code[s] = 2 * code[s] + ((Math.floor((1023 * (places[3 * s + c] - low[c])) / size) >> bit) & 1);
  return Uint32Array.from({ length: count }, (_, s) => s).sort((a, b) => code[a] - code[b] || a - b);
}
