/** Chains being drawn through meshes: the meshes in the colours of what moves them, the lines and their joints; clicks and strokes on them. */
import { interpolateCividis } from 'd3-scale-chromatic';
import * as THREE from 'three';
import { STILL } from '../../core/drawn/drawn';
import { halfWay } from '../../core/drawn/half-way';
import { vertexNormals } from '../../core/mesh/surface';
import type { Session } from '../state/session';
import { useEditor } from '../state/store';
import { setSegments } from './overlays';
import type { Viewport } from './viewport';

/** Apart in lightness as well as in hue, one after the other; linear RGB. */
const COLOURS: readonly THREE.Color[] = ['#d98a4e', '#3f8fa8', '#e3c567', '#7d5ba6', '#8fbf7f', '#b0413e', '#9fd0e8', '#5c6f3a'].map((c) => new THREE.Color(c));
const STANDS = new THREE.Color('#8a857c');
export const colourOfLine = (k: number): string => `#${COLOURS[k % COLOURS.length].getHexString()}`;
/** A difference of so much has the brightest colour. */
const BRIGHTEST = 0.5;

export class DrawnView {
  readonly group = new THREE.Group();
  private readonly mesh = new THREE.Mesh(new THREE.BufferGeometry(), new THREE.MeshLambertMaterial({ vertexColors: true, side: THREE.DoubleSide, polygonOffset: true, polygonOffsetFactor: 1, polygonOffsetUnits: 1 }));
  private readonly lines: THREE.LineSegments<THREE.BufferGeometry, THREE.LineBasicMaterial>;
  private readonly joints: THREE.Points<THREE.BufferGeometry, THREE.PointsMaterial>;
  private shape: unknown = null;
  constructor(private readonly session: Session) {
    this.lines = new THREE.LineSegments(new THREE.BufferGeometry(), new THREE.LineBasicMaterial({ vertexColors: true, depthTest: false, transparent: true }));
    this.joints = new THREE.Points(new THREE.BufferGeometry(), new THREE.PointsMaterial({ color: 0xffffff, size: 6, sizeAttenuation: false, depthTest: false, transparent: true }));
    for (const o of [this.mesh, this.lines, this.joints]) { o.frustumCulled = false; this.group.add(o); }
    this.lines.renderOrder = 2;
    this.joints.renderOrder = 3;
  }
  dispose(): void { for (const o of [this.mesh, this.lines, this.joints]) { o.geometry.dispose(); o.material.dispose(); } }

  /** Draws what the drawing is now; the names of meshes it stands in for. */
  update(): readonly string[] {
    const { drawn: desk } = this.session;
    this.group.visible = desk.shown;
    if (!desk.shown) return [];
    const { positions, triangles } = desk.mesh(), bent = desk.bent(useEditor.getState().draw.bend), P = bent ?? positions, g = this.mesh.geometry;
    if (this.shape !== positions) {
      this.shape = positions;
      g.dispose();
      g.setIndex(new THREE.BufferAttribute(triangles, 1));
      for (const name of ['position', 'normal', 'color']) g.setAttribute(name, new THREE.BufferAttribute(new Float32Array(positions.length), 3));
    }
    (g.getAttribute('position').array as Float32Array).set(P);
    (g.getAttribute('normal').array as Float32Array).set(vertexNormals(P, triangles));
    this.colour(g.getAttribute('color').array as Float32Array);
    for (const name of ['position', 'normal', 'color']) g.getAttribute(name).needsUpdate = true;
    this.drawLines(bent !== null);
    return desk.drawn!.meshes;
  }

  private colour(out: Float32Array): void {
    const { drawn: desk } = this.session, { draw } = useEditor.getState(), count = out.length / 3, { now } = desk.influences(), difference = draw.shown === 'difference' ? desk.difference() : null, c = new THREE.Color();
    if (draw.shown === 'difference' && difference) { for (let v = 0; v < count; v++) { c.set(interpolateCividis(Math.min(1, difference.values[v] / BRIGHTEST))); c.toArray(out, 3 * v); } return; }
    const painting = desk.paintingNow, row = painting ? (painting.who === STILL ? 0 : 1 + desk.drawn!.lines.findIndex((l) => l.id === painting.who)) : -1;
    for (let v = 0; v < count; v++) {
      c.setRGB(0, 0, 0);
      if (!now) c.copy(STANDS);
      else for (let r = 0; r < now.shares.length / count; r++) { const s = now.shares[r * count + v], colour = r === 0 ? STANDS : COLOURS[(r - 1) % COLOURS.length]; c.r += s * colour.r; c.g += s * colour.g; c.b += s * colour.b; }
      if (painting) c.lerp(row === 0 ? STANDS : COLOURS[(row - 1) % COLOURS.length], 0.9 * painting.values[v]);
      c.toArray(out, 3 * v);
    }
  }

  private drawLines(bent: boolean): void {
    const { drawn: desk } = this.session, segments: number[] = [], colours: number[] = [], joints: number[] = [];
    if (!bent) desk.drawn!.lines.forEach((line, k) => {
      const c = COLOURS[k % COLOURS.length], open = useEditor.getState().draw.tool, chosen = open?.name === 'line' && open.line === line.id, places = line.places.length >= 6 ? desk.places[desk.drawn!.lines.filter((l, i) => i < k && l.places.length >= 6).length] : line.places;
      for (let i = 0; i + 3 < places.length; i += 3) { segments.push(...places.slice(i, i + 6)); for (let q = 0; q < 2; q++) colours.push(...(chosen ? [1, 1, 1] : c.toArray().map((x) => Math.min(1, 1.6 * x)))); }
      joints.push(...places);
    });
    setSegments(this.lines.geometry, Float32Array.from(segments));
    this.lines.geometry.setAttribute('color', new THREE.BufferAttribute(Float32Array.from(colours), 3));
    setSegments(this.joints.geometry, Float32Array.from(joints));
    this.lines.visible = segments.length > 0;
    this.joints.visible = joints.length > 0;
  }
}

/** Clicks that draw lines, strokes that paint what they move. */
export class DrawnTool {
  private stroke = false;
  private pressed: { x: number; y: number } | null = null;
  private readonly listeners = [['pointerdown', (e: PointerEvent) => this.down(e)], ['pointermove', (e: PointerEvent) => this.move(e)], ['pointerup', (e: PointerEvent) => this.up(e)], ['pointercancel', (e: PointerEvent) => this.up(e)], ['pointerleave', () => { if (this.session.drawn.shown) this.view.showBrush(null, 0, 0); }]] as const;
  constructor(private readonly canvas: HTMLCanvasElement, private readonly view: Viewport, private readonly session: Session) {
    for (const [name, on] of this.listeners) canvas.addEventListener(name, on as (e: PointerEvent) => void, { capture: true });
    window.addEventListener('keydown', this.key);
  }
  dispose(): void {
    for (const [name, on] of this.listeners) this.canvas.removeEventListener(name, on as (e: PointerEvent) => void, { capture: true });
    window.removeEventListener('keydown', this.key);
  }
  private at(e: PointerEvent): [number, number] { const box = this.canvas.getBoundingClientRect(); return [e.clientX - box.left, e.clientY - box.top]; }
  private get tool(): 'line' | 'share' | null { const { draw } = useEditor.getState(); return this.session.drawn.shown ? (draw.tool?.name ?? null) : null; }

  /** Where the pointer meets the meshes; half way through to where it leaves them again, where asked for. */
  pick(x: number, y: number, through: boolean): { point: [number, number, number]; normal: [number, number, number] } | null {
    const { origin, direction } = this.view.ray(x, y), { surface } = this.session.drawn.mesh(), from = origin.toArray(), d = direction.toArray();
    return through ? halfWay(surface, from, d) : surface.raycast(from, d);
  }
  private down(e: PointerEvent): void {
    const { tool } = this;
    if (!tool || e.button !== 0 || e.shiftKey) return;
    const [x, y] = this.at(e), { draw, brush } = useEditor.getState(), hit = this.pick(x, y, draw.tool?.name === 'line' && draw.tool.through);
    if (!hit) return; // off the meshes the drag looks around
    if (tool === 'line') { this.pressed = { x, y }; return; }
    e.stopImmediatePropagation();
    e.preventDefault();
    this.view.controls.enabled = false;
    this.canvas.setPointerCapture(e.pointerId);
    this.stroke = true;
    this.session.drawn.dab(hit.point, brush.radiusMm / 1000, brush.strength, brush.falloff);
  }
  private move(e: PointerEvent): void {
    if (!this.tool) return;
    const [x, y] = this.at(e), { brush } = useEditor.getState();
    if (this.tool === 'line') return;
    const hit = this.pick(x, y, false);
    this.view.showBrush(hit, brush.radiusMm / 1000, brush.falloff);
    if (!this.stroke) return;
    e.stopImmediatePropagation();
    if (hit) this.session.drawn.dab(hit.point, brush.radiusMm / 1000, 0.5 * brush.strength, brush.falloff);
  }
  private up(e: PointerEvent): void {
    const { pressed } = this;
    this.pressed = null;
    if (this.stroke) {
      this.stroke = false;
      this.view.controls.enabled = true;
      if (this.canvas.hasPointerCapture(e.pointerId)) this.canvas.releasePointerCapture(e.pointerId);
      this.session.drawn.endStroke();
      return;
    }
    if (!pressed || this.tool !== 'line') return;
    const [x, y] = this.at(e), { draw } = useEditor.getState();
    // a drag has turned the view
    if (Math.hypot(x - pressed.x, y - pressed.y) > 4) return;
    const hit = this.pick(x, y, draw.tool?.name === 'line' && draw.tool.through);
    if (hit) this.session.drawn.click(hit.point);
  }
  private readonly key = (e: KeyboardEvent): void => {
    if (!this.tool || (e.target instanceof HTMLElement && /INPUT|TEXTAREA|SELECT/.test(e.target.tagName))) return;
    if (e.key === 'Enter' && this.tool === 'line') { this.session.drawn.end(); e.preventDefault(); }
    if (e.key === 'Escape') useEditor.setState({ draw: { ...useEditor.getState().draw, tool: null, place: null } });
    if ((e.key === 'Delete' || e.key === 'Backspace') && useEditor.getState().draw.place) { this.session.drawn.takePlace(); e.preventDefault(); }
  };
}
