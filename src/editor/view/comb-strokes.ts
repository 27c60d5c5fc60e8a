/** What the pointer does in Comb: strokes of brushes, cutting, choosing, adding and removing guides. */
import * as THREE from 'three';
import { BRUSHES, type BrushKind } from '../../core/groom/comb/brush-stroke';
import { brushDistance, dabOf, Strides } from '../../core/groom/comb/reach';
import type { SurfacePoint } from '../../core/mesh/surface';
import type { Session } from '../state/session';
import { useEditor, type CombTool } from '../state/store';
import { insideOutline } from './outline';
import type { Viewport } from './viewport';

export interface Hit { point: THREE.Vector3; normal: THREE.Vector3; face: number; depth: number }
/** How a place of the picture is found in the scene. */
export interface Places {
  pick: (x: number, y: number, skinOnly?: boolean) => Hit | null;
  atDepth: (x: number, y: number, depth: number) => THREE.Vector3;
  guideAt: (x: number, y: number) => { guide: number; point: number } | null;
}

const WORDS: Record<CombTool, string> = {
  look: '', comb: 'Comb', smooth: 'Smooth', straighten: 'Straighten', part: 'Part', gather: 'Gather', spread: 'Spread', lift: 'Lift', press: 'Press', twist: 'Twist', curl: 'Curl', longer: 'Longer', match: 'Match lengths',
  cut: 'Cut', settle: 'Settle', add: 'Add guides', remove: 'Remove guides', paint: 'Paint', choose: 'Choose', cage: 'Cage',
};
const REVERSED: Partial<Record<CombTool, string>> = { gather: 'Spread', spread: 'Gather', lift: 'Press', press: 'Lift', twist: 'Twist back', curl: 'Uncurl', longer: 'Shorter' };
const isBrush = (tool: CombTool): tool is BrushKind => (BRUSHES as readonly string[]).includes(tool);
/** Brushes that follow the skin; the others keep the depth at which they took hold of the hair. */
const ON_SKIN = new Set<CombTool>(['part', 'add', 'remove']);
/** Only a way makes them do anything. */
const BY_WAY = new Set<CombTool>(['comb', 'part']);

interface Now { tool: CombTool; reverse: boolean; radius: number; depth: number; last: THREE.Vector3; strides: Strides; line: [number, number][]; guides: Set<number>; points: Set<number>; roots: SurfacePoint[] }

export class CombStrokes {
  private now: Now | null = null;
  constructor(private readonly view: Viewport, private readonly session: Session, private readonly places: Places) {}

  get busy(): boolean { return this.now !== null; }
  /** Radius of the brush at a depth, m. */
  radiusAt(depth: number): number {
    const { brush, comb } = useEditor.getState();
    return comb.size === 'world' ? brush.radiusMm / 1000 : brush.radiusPx * this.view.metresPerPixel(depth);
  }

  /** Takes the pointer, if there is something under it to work on. */
  down(e: PointerEvent, x: number, y: number): boolean {
    const { comb } = useEditor.getState(), { session } = this, { tool } = comb, reverse = e.ctrlKey || e.metaKey;
    if (tool === 'choose' && comb.choose !== 'brush') {
      if (comb.choose === 'click') { const at = this.places.guideAt(x, y); if (at) this.takeChosen([at.guide], [at.guide * session.guides!.pointCount + at.point], reverse); return at !== null; }
      this.now = this.begun(tool, reverse, this.places.pick(x, y)?.depth ?? this.view.depthOfTarget(), this.places.atDepth(x, y, this.view.depthOfTarget()));
      this.now.line.push([x, y]);
      return true;
    }
    const hit = this.places.pick(x, y, ON_SKIN.has(tool));
    if (!hit) {
      if (tool !== 'cut' || comb.cut !== 'line') return false;
      const depth = this.view.depthOfTarget();
      this.now = this.begun(tool, reverse, depth, this.places.atDepth(x, y, depth));
    } else this.now = this.begun(tool, reverse, hit.depth, hit.point);
    const { now } = this;
    if (tool === 'cut' && comb.cut === 'line') { now.line.push([x, y]); return true; }
    if (isBrush(tool)) {
      const pressure = e.pointerType === 'pen' && e.pressure > 0 ? e.pressure : 1, { brush } = useEditor.getState();
      session.combDesk.begin(tool, { radius: now.radius, strength: brush.strength * pressure, falloff: brush.falloff, reverse });
      if (!BY_WAY.has(tool)) session.combDesk.touch(dabOf(now.last.toArray(), now.last.toArray(), this.sight));
    } else if (tool === 'cut') { session.combDesk.begin('cut', { radius: now.radius, strength: 1, falloff: 1, reverse }); this.at(now.last, now.last, 1); }
    else this.at(now.last, now.last, 1);
    return true;
  }
  private begun(tool: CombTool, reverse: boolean, depth: number, at: THREE.Vector3): Now {
    const radius = this.radiusAt(depth);
    return { tool, reverse, radius, depth, last: at.clone(), strides: new Strides(at.toArray(), radius), line: [], guides: new Set(), points: new Set(), roots: [] };
  }
  private get sight(): number[] { return this.view.forward.toArray(); }

  move(places: readonly [number, number][]): void {
    const { now } = this;
    if (!now) return;
    for (const [x, y] of places) {
      if (now.line.length > 0) { now.line.push([x, y]); continue; }
      const to = ON_SKIN.has(now.tool) ? this.places.pick(x, y, true)?.point : this.places.atDepth(x, y, now.depth);
      if (!to) continue;
      for (const [a, b, share] of now.strides.to(to.toArray())) this.at(new THREE.Vector3(...a), new THREE.Vector3(...b), share);
      now.last = to;
    }
    if (now.line.length > 0) this.view.showPath(now.line.map(([x, y]) => this.places.atDepth(x, y, now.depth)));
    else this.view.showBrush({ point: now.last.toArray(), normal: this.view.forward.negate().toArray() }, now.radius, useEditor.getState().brush.falloff);
  }

  /** One stride of what the pointer does. */
  private at(a: THREE.Vector3, b: THREE.Vector3, share: number): void {
    const { now, session } = this;
    if (!now) return;
    const dab = dabOf(a.toArray(), b.toArray(), this.sight, share), { combDesk: desk } = session;
    if (isBrush(now.tool)) desk.touch(dab);
    else if (now.tool === 'cut') desk.cutHere(now.radius, dab);
    else if (now.tool === 'add') { const hit = session.surfaceNow().nearest(b.toArray()); if (hit && !now.roots.some((r) => Math.hypot(...r.point.map((v, c) => v - hit.point[c])) < 0.5 * now.radius)) now.roots.push(hit); }
    else if (now.tool === 'remove') this.gatherRoots(b, now.radius, now.guides);
    else if (now.tool === 'settle' || now.tool === 'choose') this.gatherPoints(dab.centre, now.radius, now);
    if (now.tool === 'remove' || now.tool === 'settle' || now.tool === 'choose') { desk.marked = now.guides; session.changed(); }
  }
  private gatherRoots(at: THREE.Vector3, radius: number, into: Set<number>): void {
    const { motions } = this.session;
    for (let g = 0; g < motions.length / 7; g++) if (Math.hypot(motions[7 * g + 4] - at.x, motions[7 * g + 5] - at.y, motions[7 * g + 6] - at.z) < radius) into.add(g);
  }
  private gatherPoints(centre: ArrayLike<number>, radius: number, now: Now): void {
    const P = this.session.shownGuides()?.points, n = this.session.guides?.pointCount ?? 1;
    if (P) for (let p = 0; p < P.length / 3; p++) if (p % n > 0 && brushDistance(P[3 * p], P[3 * p + 1], P[3 * p + 2], centre, this.sight, radius) < 1) { now.points.add(p); now.guides.add(Math.floor(p / n)); }
  }

  up(): void {
    const { now, session } = this, { comb } = useEditor.getState(), { combDesk: desk } = session;
    this.now = null;
    this.view.showPath([]);
    desk.marked = null;
    if (!now) return;
    const word = (now.reverse && REVERSED[now.tool]) || WORDS[now.tool];
    if (isBrush(now.tool)) {
      for (const [a, b, share] of now.strides.to(now.last.toArray(), true)) desk.touch(dabOf(a, b, this.sight, share));
      desk.end(word);
    } else if (now.tool === 'cut') {
      if (now.line.length > 1) { desk.begin('cut', { radius: 0, strength: 1, falloff: 1, reverse: false }); desk.cutLine(now.line, this.projected); }
      desk.end(word);
    } else if (now.tool === 'settle') desk.settle([...now.guides]);
    else if (now.tool === 'add') { if (now.roots.length > 0) session.desk.between(now.roots); }
    else if (now.tool === 'remove') desk.removeOr([...now.guides]);
    else if (now.tool === 'choose') {
      if (now.line.length > 2) this.within(now);
      if (now.guides.size > 0 || comb.how === 'only') this.takeChosen([...now.guides], [...now.points], now.reverse);
    }
    session.changed();
  }
  cancel(): void {
    const { now, session } = this;
    this.now = null;
    session.combDesk.marked = null;
    this.view.showPath([]);
    if (now) session.combDesk.end(null);
  }

  private takeChosen(guides: number[], points: number[], reverse: boolean): void {
    const { comb } = useEditor.getState(), how = reverse ? 'take' : comb.how;
    if (comb.what === 'points') this.session.combDesk.choosePoints(points, how);
    else this.session.combDesk.choose(guides, how);
  }
  private readonly projected = (x: number, y: number, z: number): readonly [number, number] | null => {
    const v = new THREE.Vector3(x, y, z);
    return v.clone().sub(this.view.camera.position).dot(this.view.forward) > 0 ? this.view.project(v) : null;
  };
  /** Guides with a point inside the outline that nothing hides. */
  private within(now: Now): void {
    const P = this.session.shownGuides()?.points, n = this.session.guides?.pointCount ?? 1, eye = this.view.camera.position, surface = this.session.surfaceNow(), line = now.line;
    if (!P) return;
    for (let p = 0; p < P.length / 3; p++) {
      if (p % n === 0) continue;
      const at = this.projected(P[3 * p], P[3 * p + 1], P[3 * p + 2]);
      if (!at || !insideOutline(line, at[0], at[1])) continue;
      const way = [0, 1, 2].map((c) => P[3 * p + c] - eye.getComponent(c)), far = Math.hypot(...way), hit = surface.raycast(eye.toArray(), way.map((v) => v / far));
      if (hit && hit.distance < far - 0.002) continue;
      now.points.add(p);
      now.guides.add(Math.floor(p / n));
    }
  }
}
