/** Errors of a reduction against the full bake: mean, 95 in 100, worst and where. */
export interface ErrorFigures { mean: number; p95: number; worst: number; frame: number; index: number; count: number }

/** m: errors are counted in steps of 1 % from a hundredth of a millimetre on. */
const LEAST = 1e-5, STEP = Math.log(1.01), STEPS = 1400;

export class ErrorTally {
  private readonly bins = new Float64Array(STEPS);
  private sum = 0;
  private count = 0;
  private worst = 0;
  private frame = -1;
  private index = -1;
  take(error: number, frame: number, index: number): void {
    this.sum += error;
    this.count++;
    if (error > this.worst || this.index < 0) { this.worst = error; this.frame = frame; this.index = index; }
    this.bins[error <= LEAST ? 0 : Math.min(STEPS - 1, 1 + Math.floor(Math.log(error / LEAST) / STEP))]++;
  }
  get figures(): ErrorFigures {
    let left = Math.ceil(0.95 * this.count), k = 0;
    while (k < STEPS - 1 && left > this.bins[k]) left -= this.bins[k++];
    return { mean: this.count > 0 ? this.sum / this.count : 0, p95: Math.min(this.worst, LEAST * Math.exp(k * STEP)), worst: this.worst, frame: this.frame, index: this.index, count: this.count };
  }
}
