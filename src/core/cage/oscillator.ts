/** The damped oscillator in closed form. */

/** Nearer to critical than this (of ω²) both solutions are the critical one, to rounding. */
const CRITICAL = 1e-9;

/**
 * u″ + c u′ + ω² u = 0 over `h` s: (u, u′) becomes (out₀ u + out₁ u′, out₂ u + out₃ u′). `omega` in 1/s, > 0; `c` in 1/s, ≥ 0. **Source:** textbook,
 * such as Den Hartog, Mechanical Vibrations, chapter 2; from memory.
 */
export function oscillatorStep(h: number, omega: number, c: number, out: Float64Array): void {
  const half = c / 2, under = omega * omega - half * half;
  let even: number, odd: number;
  if (Math.abs(under) < CRITICAL * omega * omega) { const fades = Math.exp(-half * h); even = fades; odd = fades * h; } else if (under > 0) { const beta = Math.sqrt(under), fades = Math.exp(-half * h); even = fades * Math.cos(beta * h); odd = (fades * Math.sin(beta * h)) / beta; } else {
    // by its two rates, neither of which overflows
    const beta = Math.sqrt(-under), slow = Math.exp((beta - half) * h), fast = Math.exp((-beta - half) * h);
    even = (slow + fast) / 2;
    odd = (slow - fast) / (2 * beta);
  }
  out[0] = even + half * odd;
  out[1] = odd;
  out[2] = -omega * omega * odd;
  out[3] = even - half * odd;
}
