/** Pointer strokes in the view: pick a place, keep the depth, brush. */
import * as THREE from 'three';
import { ofChains } from '../../core/chain/character-of';
import { Strides } from '../../core/groom/comb/reach';
import { lifted } from '../../core/groom/draw';
import type { SurfacePoint } from '../../core/mesh/surface';
import type { Session } from '../state/session';
import { BRUSH_RADIUS, useEditor, type BrushName } from '../state/store';
import { CombStrokes } from './comb-strokes';
import { insideOutline } from './outline';
import type { Viewport } from './viewport';

const STROKE_NAMES: Record<BrushName, string> = { parting: 'Parting', comb: 'Comb', skin: 'Skin of the plot', paint: 'Paint', tie: 'Choose guides of a tie', draw: 'Draw a guide', between: 'Add guides', flow: 'Stroke of flow', redraw: 'Redraw a guide' };

/** A guide is taken hold of from so far, in pixels. */
const GRIP_PIXELS = 12;

interface Stroke { name: BrushName; faces: Set<number> | null; last: THREE.Vector3; strides: Strides; depth: number; changed: boolean; /** Pixels of an outline; places between which a gradient runs. */ outline?: [number, number][]; from?: THREE.Vector3; /** Places drawn so far; roots of guides to be added. */ path?: THREE.Vector3[]; root?: SurfacePoint; roots?: SurfacePoint[]; /** Places of a stroke of flow. */ along?: SurfacePoint[]; /** A guide that is drawn anew, from which of its points. */ anew?: { guide: number; from: number } }

export class BrushTool {
  private stroke: Stroke | null = null;
  private readonly combing: CombStrokes;
  private adjusting: { key: 'radiusMm' | 'radiusPx' | 'strength' | 'falloff'; x: number; start: number } | null = null;
  private held: 'radiusMm' | 'radiusPx' | 'strength' | 'falloff' | null = null;
  private hover = { x: 0, y: 0 };

  constructor(private readonly canvas: HTMLCanvasElement, private readonly view: Viewport, private readonly session: Session) {
    this.combing = new CombStrokes(view, session, { pick: (x, y, skinOnly) => this.pick(x, y, skinOnly), atDepth: (x, y, d) => this.atDepth(x, y, d), guideAt: (x, y) => this.guideAt(x, y) });
    canvas.addEventListener('pointerdown', this.down, { capture: true });
    canvas.addEventListener('pointermove', this.move);
    canvas.addEventListener('pointerup', this.up);
    canvas.addEventListener('pointercancel', this.cancel);
    canvas.addEventListener('pointerleave', this.leave);
    window.addEventListener('keydown', this.key);
    window.addEventListener('keyup', this.key);
  }
  dispose(): void {
    this.canvas.removeEventListener('pointerdown', this.down, { capture: true });
    this.canvas.removeEventListener('pointermove', this.move);
    this.canvas.removeEventListener('pointerup', this.up);
    this.canvas.removeEventListener('pointercancel', this.cancel);
    this.canvas.removeEventListener('pointerleave', this.leave);
    window.removeEventListener('keydown', this.key);
    window.removeEventListener('keyup', this.key);
  }

  /** The brush the stage works with; null where the pointer only looks around. */
  private get active(): BrushName | null {
    const { stage, comb } = useEditor.getState();
    // chains have nothing to be planted, combed or painted on
    if (ofChains(this.session.document)) return stage === 'sway' && useEditor.getState().swayTool.name === 'tie' ? 'tie' : null;
    if (stage === 'comb') return !this.session.guides || comb.tool === 'look' || comb.tool === 'cage' ? null : comb.tool === 'paint' ? 'paint' : 'comb';
    if (stage === 'plant') { const { name } = useEditor.getState().plantTool; return name === 'faces' ? 'skin' : name; }
    if (stage === 'fill') return useEditor.getState().fillTool === 'parting' && this.session.guides ? 'parting' : null;
    if (stage === 'sway' && this.session.guides) { const { swayTool } = useEditor.getState(); return swayTool.name === 'paint' ? 'paint' : swayTool.name === 'tie' ? 'tie' : null; }
    return null;
  }
  private get settings(): { radius: number; strength: number; falloff: number } {
    const { brush, stage, comb } = useEditor.getState();
    return { radius: stage === 'comb' && comb.size === 'screen' ? brush.radiusPx * this.view.metresPerPixel(this.view.depthOfTarget()) : brush.radiusMm / 1000, strength: brush.strength, falloff: brush.falloff };
  }

  /** The hair or skin under the pointer. */
  private pick(x: number, y: number, skinOnly = false): { point: THREE.Vector3; normal: THREE.Vector3; face: number; depth: number } | null {
    const { origin, direction } = this.view.ray(x, y), forward = this.view.forward;
    const hit = this.session.surfaceNow().raycast(origin.toArray(), direction.toArray());
    let best = hit ? { point: new THREE.Vector3(...hit.point), normal: new THREE.Vector3(...hit.normal), face: hit.face, distance: hit.distance } : null;
    const { guides } = this.session;
    if (guides && !skinOnly && useEditor.getState().stage === 'comb' && this.active === 'comb') {
      const points = this.session.shownGuides()!.points, reach = 0.25 * this.settings.radius;
      const p = new THREE.Vector3(), d = new THREE.Vector3();
      for (let i = 0; i < points.length; i += 3) {
        d.set(points[i], points[i + 1], points[i + 2]).sub(origin);
        const along = d.dot(direction);
        if (along < 0.02 || d.lengthSq() - along * along > reach * reach || (best && along > best.distance)) continue;
        p.copy(origin).addScaledVector(direction, along);
        best = { point: p.clone(), normal: direction.clone().negate(), face: -1, distance: along };
      }
    }
    return best && { ...best, depth: best.point.clone().sub(this.view.camera.position).dot(forward) };
  }
  /** Where the pointer is at a depth kept from the start of the stroke. */
  private atDepth(x: number, y: number, depth: number): THREE.Vector3 {
    const { origin, direction } = this.view.ray(x, y);
    return origin.clone().addScaledVector(direction, depth / direction.dot(this.view.forward));
  }
  private at(e: PointerEvent): [number, number] {
    const box = this.canvas.getBoundingClientRect();
    return [e.clientX - box.left, e.clientY - box.top];
  }

  private down = (e: PointerEvent): void => {
    const name = this.active;
    if (!name || e.button !== 0 || e.shiftKey) return;
    const [x, y] = this.at(e);
    if (name === 'redraw') { this.beginRedraw(e, x, y); return; }
    if (name === 'comb') {
      useEditor.setState({ playing: false });
      if (!this.combing.down(e, x, y)) return; // off the hair the drag looks around
      e.stopImmediatePropagation();
      e.preventDefault();
      this.view.controls.enabled = false;
      this.canvas.setPointerCapture(e.pointerId);
      return;
    }
    const hit = this.pick(x, y);
    if (!hit) return; // off the model the drag looks around
    e.stopImmediatePropagation();
    e.preventDefault();
    this.view.controls.enabled = false;
    this.canvas.setPointerCapture(e.pointerId);
    useEditor.setState({ playing: false });
    const reverse = e.ctrlKey || e.metaKey, begun = { faces: null, last: hit.point, strides: new Strides(hit.point.toArray(), this.settings.radius), depth: hit.depth, changed: false };
    if (name === 'tie') { this.stroke = { ...begun, name }; this.gather(hit.point, reverse); return; }
    if (name === 'paint') { this.beginPaint(begun, hit.point, reverse); return; }
    if (name === 'draw' || name === 'between') { this.beginGuides(name, begun, hit.point); return; }
    if (name === 'parting') { const place = this.session.surfaceNow().nearest(hit.point.toArray()); if (place) this.stroke = { ...begun, name, along: [place] }; else this.view.controls.enabled = true; return; }
    if (name === 'flow') { this.beginFlow(begun, hit.point, reverse); return; }
    if (name === 'skin') { this.beginSkin(begun, hit, [x, y], reverse); return; }
  };

  private move = (e: PointerEvent): void => {
    const [x, y] = this.at(e);
    this.hover = { x, y };
    if (this.held && this.adjust(x)) return;
    const { stroke } = this;
    if (!stroke && !this.combing.busy) { this.hoverRing(); return; }
    const events = e.getCoalescedEvents?.() ?? [];
    const places = (events.length > 0 ? events : [e]).map((c) => this.at(c));
    if (!stroke) { this.combing.move(places); return; }
    for (const [px, py] of places) {
      if (stroke.outline) { stroke.outline.push([px, py]); continue; }
      if (stroke.path) { this.drawTo(px, py); continue; }
      if (stroke.along) { const hit = this.pick(px, py), place = hit && this.session.surfaceNow().nearest(hit.point.toArray()); if (place) stroke.along.push(place); continue; }
      if (stroke.roots) { const hit = this.pick(px, py); if (hit) for (const [, b] of stroke.strides.to(hit.point.toArray())) this.addRoot(b); continue; }
      if (stroke.name === 'paint' || stroke.name === 'tie' || stroke.faces) {
        const hit = this.pick(px, py), reverse = e.ctrlKey || e.metaKey;
        if (!hit) continue;
        if (stroke.name === 'tie') this.gather(hit.point, reverse);
        else if (stroke.faces) this.paint(hit.point, reverse);
        else if (stroke.from) stroke.last = hit.point;
        else for (const [, b] of stroke.strides.to(hit.point.toArray(), false)) this.dab(new THREE.Vector3(b[0], b[1], b[2]), reverse);
        continue;
      }
    }
    if (stroke.outline) { this.view.showPath(stroke.outline.map(([px, py]) => this.atDepth(px, py, stroke.depth))); return; }
    if (stroke.from) { this.view.showPath([stroke.from, stroke.last]); return; }
    if (stroke.path) { this.view.showPath(stroke.path); return; }
    if (stroke.along) { this.view.showPath(stroke.along.map((p) => new THREE.Vector3(...p.point))); return; }
    this.ring(this.pick(x, y));
  };

  private paint(centre: THREE.Vector3, reverse: boolean): void {
    const { stroke, session } = this;
    if (!stroke?.faces) return;
    const { plantTool } = useEditor.getState(), adding = (plantTool.name === 'faces' && plantTool.take) === reverse, surface = session.surfaceNow(), r = this.settings.radius, towards = this.view.forward;
    for (const f of surface.facesNear(centre.toArray(), r)) {
      const [a, b, c] = surface.corners(f);
      const d = Math.hypot((a[0] + b[0] + c[0]) / 3 - centre.x, (a[1] + b[1] + c[1]) / 3 - centre.y, (a[2] + b[2] + c[2]) / 3 - centre.z);
      if (d > r) continue;
      const n = surface.normal(f);
      if (n[0] * towards.x + n[1] * towards.y + n[2] * towards.z > 0.2) continue; // the far side
      if (adding !== stroke.faces.has(f)) { if (adding) stroke.faces.add(f); else stroke.faces.delete(f); stroke.changed = true; }
    }
    session.plotFaces = Uint32Array.from(stroke.faces);
    session.changed();
  }

  private beginPaint(begun: Omit<Stroke, 'name'>, at: THREE.Vector3, reverse: boolean): void {
    const { desk } = this.session, { stage, swayTool, plantTool, comb } = useEditor.getState(), map = stage === 'plant' ? plantTool.name === 'paint' && plantTool.map : stage === 'comb' ? comb.map : swayTool.name === 'paint' && swayTool.map;
    if (!map) return;
    this.stroke = { ...begun, name: 'paint' };
    if (stage === 'plant' && plantTool.name === 'paint' && plantTool.how === 'gradient') { this.stroke.from = at; return; }
    desk.beginPainting(map);
    this.dab(at, reverse);
  }
  private beginGuides(name: 'draw' | 'between', begun: Omit<Stroke, 'name'>, at: THREE.Vector3): void {
    const root = this.session.surfaceNow().nearest(at.toArray());
    if (!root || (name === 'between' && !this.session.guides)) { this.view.controls.enabled = true; return; }
    this.stroke = { ...begun, name, root, ...(name === 'draw' ? { path: [at.clone()] } : { roots: [root] }) };
  }
  /** Guide and point nearest a place of the picture, within a few pixels; null for none. */
  private guideAt(x: number, y: number, only = -1): { guide: number; point: number; place: THREE.Vector3 } | null {
    const { guides } = this.session, shown = this.session.shownGuides();
    if (!guides || !shown) return null;
    const P = shown.points, v = new THREE.Vector3(), n = guides.pointCount, first = only < 0 ? 0 : only * n, end = only < 0 ? P.length / 3 : first + n;
    let best = -1, least = GRIP_PIXELS ** 2, ahead = Infinity;
    for (let p = first; p < end; p++) {
      v.fromArray(P, 3 * p);
      const [px, py] = this.view.project(v), d = (px - x) ** 2 + (py - y) ** 2, far = v.distanceTo(this.view.camera.position);
      // of several under the pointer the nearest to the eye
      if (d > GRIP_PIXELS ** 2 || (best >= 0 && far > ahead + 0.01) || (best >= 0 && d > least && far > ahead - 0.01)) continue;
      best = p; least = d; ahead = far;
    }
    return best < 0 ? null : { guide: Math.floor(best / n), point: best % n, place: new THREE.Vector3().fromArray(P, 3 * best) };
  }
  private beginRedraw(e: PointerEvent, x: number, y: number): void {
    const grip = this.guideAt(x, y);
    if (!grip) return;
    e.stopImmediatePropagation();
    e.preventDefault();
    this.view.controls.enabled = false;
    this.canvas.setPointerCapture(e.pointerId);
    useEditor.setState({ playing: false, marked: grip.guide });
    const depth = grip.place.clone().sub(this.view.camera.position).dot(this.view.forward);
    this.stroke = { name: 'redraw', faces: null, last: grip.place, strides: new Strides(grip.place.toArray(), this.settings.radius), depth, changed: false, path: [grip.place], anew: { guide: grip.guide, from: grip.point } };
  }
  private beginFlow(begun: Omit<Stroke, 'name'>, at: THREE.Vector3, take: boolean): void {
    const place = this.session.surfaceNow().nearest(at.toArray());
    if (!place || take) { this.view.controls.enabled = true; if (place) this.session.desk.takeFlow(place, this.settings.radius); return; }
    this.stroke = { ...begun, name: 'flow', along: [place] };
  }
  /** A place under the pointer, on the skin with a lift that grows, or in the plane of the view through the root. */
  private drawTo(px: number, py: number): void {
    const { stroke } = this, { plantTool, drawing } = useEditor.getState();
    if (!stroke?.path || (plantTool.name !== 'draw' && plantTool.name !== 'redraw')) return;
    const last = stroke.path[stroke.path.length - 1], hit = plantTool.name === 'draw' && plantTool.how === 'skin' ? this.pick(px, py) : null;
    let drawn = 0;
    for (let i = 1; i < stroke.path.length; i++) drawn += stroke.path[i].distanceTo(stroke.path[i - 1]);
    const next = hit ? new THREE.Vector3(...lifted({ point: hit.point.toArray(), normal: hit.normal.toArray() }, drawn, drawing.liftMm / 1000, Math.min(drawing.longestCm / 100, 0.12))) : this.atDepth(px, py, last.clone().sub(this.view.camera.position).dot(this.view.forward));
    if (next.distanceTo(last) > 5e-4) { stroke.path.push(next); stroke.changed = true; }
  }
  private addRoot(place: ArrayLike<number>): void {
    const hit = this.session.surfaceNow().nearest(place);
    if (hit) this.stroke?.roots?.push(hit);
  }
  private beginSkin(begun: Omit<Stroke, 'name'>, hit: { point: THREE.Vector3; face: number }, at: [number, number], reverse: boolean): void {
    const { plantTool } = useEditor.getState();
    if (plantTool.name !== 'faces') return;
    if (plantTool.how === 'part') { this.view.controls.enabled = true; if (hit.face >= 0) this.session.desk.addPart(hit.face, plantTool.take !== reverse); return; }
    this.stroke = { ...begun, name: 'skin', ...(plantTool.how === 'outline' ? { outline: [at] } : { faces: new Set(this.session.plotFaces) }) };
    if (this.stroke.faces) this.paint(hit.point, reverse);
  }
  /** One touch of the brush on a map. */
  private dab(centre: THREE.Vector3, reverse: boolean): void {
    const { stroke, session } = this, { stage, swayTool, plantTool, comb } = useEditor.getState(), { radius, falloff, strength } = this.settings, f = this.view.forward;
    if (!stroke) return;
    const tool = stage === 'plant' && plantTool.name === 'paint' ? plantTool : stage === 'comb' ? { how: 'toward' as const, value: comb.value } : swayTool.name === 'paint' ? { ...swayTool, how: 'toward' as const } : null;
    if (!tool) return;
    session.desk.dab({ x: centre.x, y: centre.y, z: centre.z, toward: [f.x, f.y, f.z], radius, falloff, strength }, tool.how === 'smooth' ? 'smooth' : reverse ? 1 : tool.value);
    stroke.changed = true;
  }
  /** Faces within what was drawn round, as they are seen: those that look this way and have nothing before them. */
  private within(outline: readonly [number, number][]): number[] {
    const { session, view } = this, surface = session.surfaceNow(), towards = view.forward, from = view.camera.position, out: number[] = [], mid = new THREE.Vector3();
    if (outline.length < 3) return out;
    for (let f = 0; f < session.mesh.triangles.length / 3; f++) {
      const n = surface.normal(f);
      if (n[0] * towards.x + n[1] * towards.y + n[2] * towards.z > 0.1) continue;
      const [a, b, c] = surface.corners(f);
      mid.set((a[0] + b[0] + c[0]) / 3, (a[1] + b[1] + c[1]) / 3, (a[2] + b[2] + c[2]) / 3);
      const [x, y] = view.project(mid);
      if (!insideOutline(outline, x, y)) continue;
      const ray = mid.clone().sub(from), far = ray.length(), hit = surface.raycast(from.toArray(), ray.divideScalar(far).toArray());
      if (!hit || hit.distance > far - 0.004) out.push(f);
    }
    return out;
  }
  /** One touch of the brush that gathers guides for the chosen tie by their roots. */
  private gather(centre: THREE.Vector3, reverse: boolean): void {
    const { session } = this, { selected, swayTool } = useEditor.getState(), r = this.settings.radius;
    if (swayTool.name !== 'tie' || selected?.kind !== 'tie') return;
      const tie = session.document.sway.ties.find((t) => t.id === selected.key), { motions } = session;
      if (!tie) return;
      const chosen = new Set(tie.guides);
      for (let g = 0; g < motions.length / 7; g++) {
        if (Math.hypot(motions[7 * g + 4] - centre.x, motions[7 * g + 5] - centre.y, motions[7 * g + 6] - centre.z) > r) continue;
        if (reverse) chosen.delete(g);
        else chosen.add(g);
      }
      if (chosen.size > 0 && (chosen.size !== tie.guides.length || tie.guides.some((g) => !chosen.has(g)))) {
        const guides = [...chosen].sort((a, b) => a - b);
        useEditor.getState().edit(`Strands of ${tie.name}`, (d) => { const t = d.sway.ties.find((x) => x.id === tie.id); if (t) t.guides = guides; }, `tie.${tie.id}.guides`);
      }
    session.changed();
  }

  private up = (e: PointerEvent): void => {
    const { stroke } = this;
    if (!stroke && !this.combing.busy) return;
    this.stroke = null;
    this.view.controls.enabled = true;
    if (this.canvas.hasPointerCapture(e.pointerId)) this.canvas.releasePointerCapture(e.pointerId);
    if (!stroke) { this.combing.up(); return; }
    const { desk } = this.session, { plantTool } = useEditor.getState();
    if (stroke.path && stroke.anew) {
      this.view.showPath([]);
      const back = this.guideAt(...this.at(e), stroke.anew.guide), to = back && back.point > stroke.anew.from + 1 ? back.point : null;
      if (stroke.changed) desk.redraw(stroke.anew.guide, stroke.anew.from, to, stroke.path.flatMap((p) => p.toArray()));
    } else if (stroke.path && stroke.root) {
      this.view.showPath([]);
      if (stroke.changed) desk.draw(stroke.path.flatMap((p) => p.toArray()), stroke.root);
    } else if (stroke.along) {
      this.view.showPath([]);
      if (stroke.name === 'flow') desk.addFlow(stroke.along);
      else if (this.session.fillDesk.addParting(stroke.along)) useEditor.setState({ fillTool: 'look' });
    } else if (stroke.roots) desk.between(stroke.roots);
    else if (stroke.from) {
      this.view.showPath([]);
      if (plantTool.name === 'paint' && stroke.from.distanceTo(stroke.last) > 1e-4) desk.gradient(plantTool.map, stroke.from.toArray(), stroke.last.toArray());
    } else if (stroke.outline) {
      this.view.showPath([]);
      const faces = this.within(stroke.outline), now = new Set(this.session.plotFaces), take = plantTool.name === 'faces' && plantTool.take !== (e.ctrlKey || e.metaKey);
      for (const f of faces) { if (take) now.delete(f); else now.add(f); }
      if (faces.length > 0) desk.setPlot(now, take ? 'Take what is drawn round' : 'Plot drawn round');
    } else if (stroke.name === 'paint') { const { painting } = desk; desk.endPainting(stroke.changed && painting ? `Paint ${painting.map}` : null); }
    else if (stroke.name === 'tie') useEditor.getState().endStep();
    else if (stroke.faces) {
      if (stroke.changed) desk.setPlot(stroke.faces, STROKE_NAMES[stroke.name]);
    }
  };
  private cancel = (): void => {
    const { stroke } = this;
    this.stroke = null;
    this.view.controls.enabled = true;
    this.combing.cancel();
    if (stroke?.name === 'paint') this.session.desk.endPainting(null);
    this.view.showPath([]);
  };
  private leave = (): void => { if (!this.stroke && !this.combing.busy) this.view.showBrush(null, 0, 0); };

  private hoverRing(): void { this.ring(this.active ? this.pick(this.hover.x, this.hover.y) : null); }
  private ring(place: { point: THREE.Vector3; normal: THREE.Vector3; depth?: number } | null): void {
    const { falloff } = this.settings, radius = this.active === 'comb' && place?.depth !== undefined ? this.combing.radiusAt(place.depth) : this.settings.radius;
    if (!place || !this.active) { this.view.showBrush(null, 0, 0); return; }
    this.view.showBrush({ point: place.point.toArray(), normal: place.normal.toArray() }, radius, this.active === 'comb' || this.active === 'paint' ? falloff : 0.0001);
  }

  /** R, S, F held: the pointer's way sideways changes radius, strength, falloff. */
  private key = (e: KeyboardEvent): void => {
    if (e.target instanceof HTMLElement && /INPUT|TEXTAREA|SELECT/.test(e.target.tagName)) return;
    if (e.type === 'keydown' && e.key === 'Escape' && (this.stroke || this.combing.busy)) { this.cancel(); return; }
    if (e.type === 'keydown' && e.key === 'Escape' && useEditor.getState().stage === 'comb' && !document.querySelector('[role=dialog],[role=listbox],[data-headlessui-state=open]') && this.session.combDesk.letGo()) return;
    const { stage, comb } = useEditor.getState(), which = ({ r: stage === 'comb' && comb.size === 'screen' ? 'radiusPx' : 'radiusMm', s: 'strength', f: 'falloff' } as const)[e.key.toLowerCase() as 'r' | 's' | 'f'];
    if (!which || e.ctrlKey || e.metaKey || e.altKey) return;
    if (e.type === 'keydown' && this.active) {
      if (this.held !== which) { this.held = which; this.adjusting = { key: which, x: this.hover.x, start: useEditor.getState().brush[which] }; }
    } else if (e.type === 'keyup') { this.held = null; this.adjusting = null; }
  };
  private adjust(x: number): boolean {
    const { adjusting } = this;
    if (!adjusting || this.stroke || this.combing.busy) return false;
    const { brush } = useEditor.getState(), way = x - adjusting.x;
    const { min, max } = BRUSH_RADIUS, grown = adjusting.start * Math.exp(way / 120), value = adjusting.key === 'radiusMm' ? Math.min(max, Math.max(min, grown)) : adjusting.key === 'radiusPx' ? Math.min(400, Math.max(2, grown)) : Math.min(1, Math.max(0.02, adjusting.start + way / 250));
    useEditor.setState({ brush: { ...brush, [adjusting.key]: Number(value.toPrecision(2)) } });
    this.hoverRing();
    return true;
  }
}
