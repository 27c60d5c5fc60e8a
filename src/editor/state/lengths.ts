/** Lengths of all guides, m. */
export function lengthsOf(offsets: Float32Array, pointCount: number): Float32Array {
  const out = new Float32Array(offsets.length / (3 * pointCount));
  for (let g = 0, a = 3; g < out.length; g++, a += 3) {
    let sum = 0;
    for (let i = 1; i < pointCount; i++, a += 3) { const x = offsets[a] - offsets[a - 3], y = offsets[a + 1] - offsets[a - 2], z = offsets[a + 2] - offsets[a - 1]; sum += Math.sqrt(x * x + y * y + z * z); }
    out[g] = sum;
  }
  return out;
}
