/** A cage of handles round the chosen hair, from when it is put up until its shape is taken. Part of the session. */
import { cageRound, moveHandles, throughCage, type Cage } from '../../core/groom/comb/cage';
import { NearestChain } from '../../core/groom/comb/nearest-chain';
import { placeGuides } from '../../core/groom/planting';
import type { CombDesk } from './comb-desk';
import type { Session } from './session';
import { useEditor } from './store';

interface Standing { made: Cage; now: Cage; chosen: Set<number>; guides: number[]; /** 3 × points × those guides, m, as they were. */ base: Float64Array; bent: Float64Array; moved: boolean }

export class CageDesk {
  private standing: Standing | null = null;
  constructor(private readonly session: Session, private readonly desk: CombDesk) {}

  get cage(): Cage | null { return this.standing?.now ?? null; }
  get chosen(): ReadonlySet<number> { return this.standing?.chosen ?? new Set(); }
  get moved(): boolean { return this.standing?.moved ?? false; }

  /** Puts a cage round the chosen hair, or all of it. */
  put(): void {
    const { session, desk } = this, { guides } = session, n = guides?.pointCount ?? 1;
    this.take();
    if (!guides) return;
    const list = desk.chosenOrAll(), base = new Float64Array(3 * n * list.length), inside: number[] = [];
    list.forEach((g, k) => {
      const row = base.subarray(3 * n * k, 3 * n * (k + 1));
      placeGuides(guides.offsets.subarray(3 * n * g, 3 * n * (g + 1)), session.motions.subarray(7 * g, 7 * g + 7), n, row);
      for (let i = 0; i < n; i++) if (desk.choiceAt(g, i) > 0) inside.push(row[3 * i], row[3 * i + 1], row[3 * i + 2]);
    });
    const made = cageRound(inside, useEditor.getState().comb.cageSize);
    this.standing = made && { made, now: made, chosen: new Set(), guides: list, base, bent: base.slice(), moved: false };
    this.told();
  }
  /** One handle alone, or one more or fewer. */
  pick(handle: number, also: boolean): void {
    const s = this.standing;
    if (!s) return;
    if (!also) { if (!s.chosen.has(handle)) s.chosen = new Set([handle]); } else if (s.chosen.has(handle)) s.chosen.delete(handle);
    else s.chosen.add(handle);
    this.told();
  }
  pickAll(): void { const s = this.standing; if (s) { s.chosen = new Set(Array.from({ length: s.now.n ** 3 }, (_, h) => h)); this.told(); } }
  /** Moves the chosen handles from where `from` has them. `turn` in radians about x, y, z. */
  move(from: Cage, by: { move?: ArrayLike<number>; turn?: ArrayLike<number>; scale?: number }): void {
    const s = this.standing;
    if (!s) return;
    s.now = moveHandles(from, [...s.chosen], { move: by.move ?? [0, 0, 0], turn: by.turn ?? [0, 0, 0], scale: by.scale ?? 1 }, useEditor.getState().comb.cageFalloffCm / 100);
    s.moved = true;
    this.bend(s);
    this.told();
  }
  private bend(s: Standing): void {
    const { session, desk } = this, { guides } = session, n = guides?.pointCount ?? 1, keepOff = desk.obstacles(), lengths = new Float64Array(n), chain = new NearestChain(n), keepLengths = useEditor.getState().comb.cageKeepsLengths;
    if (!guides) return;
    throughCage({ ...s.made, handles: s.now.handles }, s.base, (p) => (p % n === 0 ? 0 : desk.choiceAt(s.guides[Math.floor(p / n)], p % n)), s.bent);
    if (keepOff) keepOff.begin(n * s.guides.length);
    s.guides.forEach((g, k) => {
      const o = 3 * n * k, base = s.base.subarray(o, o + 3 * n), wanted = s.bent.slice(o, o + 3 * n), from = keepLengths ? base : wanted;
      for (let i = 1; i < n; i++) lengths[i] = Math.hypot(from[3 * i] - from[3 * i - 3], from[3 * i + 1] - from[3 * i - 2], from[3 * i + 2] - from[3 * i - 1]);
      if (keepLengths) { s.bent.set(base, o); chain.solve(s.bent, o, n, wanted, lengths, 0); }
      if (keepOff && !keepOff.layOut(s.bent, o, n, n * k, base, lengths, 0)) s.bent.set(base, o);
      desk.show(g, s.bent.subarray(o, o + 3 * n));
    });
  }
  /** Takes the shape that the cage has given as an edit, and the cage away. */
  take(): void {
    const s = this.standing, { guides } = this.session;
    this.standing = null;
    if (s?.moved && guides) this.desk.setShapes('Cage', guides.offsets.slice(), s.guides);
    if (s) this.told();
  }
  /** Takes the cage away and leaves the hair as it was. */
  leave(): void {
    const s = this.standing;
    this.standing = null;
    if (s?.moved) this.session.adoptShapes();
    if (s) this.told();
  }
  forget(): void { this.standing = null; }
  private told(): void { useEditor.setState({ choiceCount: useEditor.getState().choiceCount + 1 }); this.session.changed(); }
}
