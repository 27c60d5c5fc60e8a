/** One WebAssembly memory for all that looks for contacts in a run: a browser gives a page about a hundred. */
const BEGIN = 4096, PAGE = 65536;

export class NearMemory {
  readonly memory = new WebAssembly.Memory({ initial: 1 });
  /** Of the strands' points: 6, m, where each is and where it would go. */
  places = new Float64Array(0);
  private placesAt = 0;
  private points = 0;
  private end = BEGIN;
  private readonly users: { view(): void }[] = [];
  /** `user` makes its views anew when the memory grows. */
  add(user: { view(): void }): void { this.users.push(user); }
  /** Where so many bytes begin, which are never given back. The memory may grow, by which all views are made anew. */
  take(bytes: number): number {
    const at = this.end, end = (this.end = at + 16 * Math.ceil(bytes / 16)), missing = end - this.memory.buffer.byteLength;
    if (missing > 0) {
      this.memory.grow(Math.ceil((missing + 0.5 * end) / PAGE));
      this.places = new Float64Array(this.memory.buffer, this.placesAt, 6 * this.points);
      for (const user of this.users) user.view();
    }
    return at;
  }
  /** Where `places` of so many points begin: the same for all that ask for as many. */
  placesOf(points: number): number {
    if (this.points !== points) {
      this.placesAt = this.take(48 * points);
      this.points = points;
      this.places = new Float64Array(this.memory.buffer, this.placesAt, 6 * points);
    }
    return this.placesAt;
  }
}
