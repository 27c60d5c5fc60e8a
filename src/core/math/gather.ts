/** Rounds after which the gatherings hardly change. */
const ROUNDS = 5;

/**
 * Gathers things that are alike: `D` numbers of each in `F`, in so many gatherings at most; numbers of the members of each, ascending. k-means
 * from centres that are far apart, so that the same input gives the same gatherings.
 */
export function gatherAlike(F: Float32Array, D: number, wanted: number): number[][] {
  const count = F.length / D, K = Math.min(wanted, count), C = new Float64Array(D * K), nearest = new Float64Array(count).fill(Infinity), own = new Int32Array(count);
  // centres far apart
  let next = 0;
  for (let k = 0; k < K; k++) {
    for (let d = 0; d < D; d++) C[D * k + d] = F[D * next + d];
    let far = -1;
    for (let s = 0; s < count; s++) {
      let sum = 0;
      for (let d = 0; d < D && sum < nearest[s]; d++) { const e = F[D * s + d] - C[D * k + d]; sum += e * e; }
      if (sum < nearest[s]) { nearest[s] = sum; own[s] = k; }
      if (nearest[s] > far) { far = nearest[s]; next = s; }
    }
  }
  const size = new Int32Array(K);
  for (let round = 0; round < ROUNDS; round++) {
    C.fill(0);
    size.fill(0);
    for (let s = 0; s < count; s++) { size[own[s]]++; for (let d = 0; d < D; d++) C[D * own[s] + d] += F[D * s + d]; }
    for (let k = 0; k < K; k++) for (let d = 0; d < D; d++) C[D * k + d] /= Math.max(1, size[k]);
    if (round === ROUNDS - 1) break;
    for (let s = 0; s < count; s++) {
      // from where it was: most stay, and others are given up early
      let best = own[s], least = 0;
      for (let d = 0; d < D; d++) { const e = F[D * s + d] - C[D * best + d]; least += e * e; }
      for (let k = 0; k < K; k++) {
        if (size[k] === 0) continue;
        let sum = 0;
        for (let d = 0; d < D && sum < least; d++) { const e = F[D * s + d] - C[D * k + d]; sum += e * e; }
        if (sum < least) { least = sum; best = k; }
      }
      own[s] = best;
    }
  }
  const out: number[][] = Array.from({ length: K }, () => []);
  for (let s = 0; s < count; s++) out[own[s]].push(s);
  return out.filter((g) => g.length > 0);
}
