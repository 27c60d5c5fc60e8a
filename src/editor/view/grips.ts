/** Grips on the chosen collider (or fan): drag an end, a radius, a floor's height. */
import * as THREE from 'three';
import { CAGE_PARAMETERS, cageAxes, halfSizes } from '../../core/cage/cages';
import { SWAY_PARAMETERS } from '../../core/document/schema';
import { moveInto } from '../../core/math/mat4';
import { findNode } from '../../core/mesh/character';
import { changeCage } from '../state/cage-edits';
import { changeOwn, changePill, rounded } from '../state/collider-edits';
import type { Session } from '../state/session';
import { useEditor } from '../state/store';
import { Overlays, pillGrips, toRest } from './overlays';
import type { Viewport } from './viewport';

/** A grip is caught so near, in pixels. */
const NEAR = 11;
interface Grip { name: string; place: THREE.Vector3; drag: (to: THREE.Vector3) => void; help: string; /** Taken hold of, with Ctrl or without. */ press?: (also: boolean) => void }

export class Grips {
  private held: { grip: Grip; depth: number } | null = null;

  constructor(private readonly canvas: HTMLCanvasElement, private readonly view: Viewport, private readonly session: Session, private readonly overlays: Overlays) {
    canvas.addEventListener('pointerdown', this.down, { capture: true });
    canvas.addEventListener('pointermove', this.move, { capture: true });
    canvas.addEventListener('pointerup', this.up, { capture: true });
    canvas.addEventListener('pointercancel', this.up, { capture: true });
  }
  dispose(): void {
    this.canvas.removeEventListener('pointerdown', this.down, { capture: true });
    this.canvas.removeEventListener('pointermove', this.move, { capture: true });
    this.canvas.removeEventListener('pointerup', this.up, { capture: true });
    this.canvas.removeEventListener('pointercancel', this.up, { capture: true });
  }

  /** All grips of what is chosen. */
  grips(): Grip[] {
    const { stage, selected } = useEditor.getState(), { session } = this;
    if (stage === 'comb') return this.cageGrips();
    if (stage === 'plant') return this.drawnGrips();
    if (stage !== 'sway') return [];
    const out: Grip[] = [], { sway } = session.document;
    if (selected?.kind === 'collider') {
      const set = session.colliders(), pill = set.pills.find((p) => p.key === selected.key), floor = set.floors.find((f) => f.key === selected.key);
      if (pill) {
        const posed = this.overlays.posedPill(pill), motion = Float64Array.from(this.overlays.motionOf(pill.node)), change = (what: object, name: string): void => {
          if (pill.fitted) changePill(pill.key, `Shape of ${pill.label}`, what, `pill.${pill.key}.${name}`);
          else changeOwn(pill.key, `Shape of ${pill.label}`, (c) => { Object.assign(c, what); }, `own.${pill.key}.${name}`);
        };
        for (const { name, place } of pillGrips(posed, this.view.right, pill.kind === 'ball')) {
          const centre = new THREE.Vector3(...(name === 'a' || name === 'radiusA' ? [posed[0], posed[1], posed[2]] : [posed[4], posed[5], posed[6]]) as [number, number, number]);
          out.push({ name, place, help: name === 'a' || name === 'b' ? 'Drag to move this end.' : 'Drag to change the radius.', drag: (to) => {
            if (name === 'radiusA' || name === 'radiusB') change({ [name]: rounded(Math.max(0.001, to.distanceTo(centre))), ...(pill.kind === 'ball' ? { radiusB: rounded(Math.max(0.001, to.distanceTo(centre))) } : {}) }, name);
            else { const rest = toRest(to, motion).map(rounded); change({ [name]: rest, ...(pill.kind === 'ball' ? { b: rest } : {}) }, name); }
          } });
        }
      }
      if (floor) {
        const motion = Float64Array.from(this.overlays.motionOf(floor.node)), place = new THREE.Vector3(...floor.place).applyQuaternion(new THREE.Quaternion(motion[0], motion[1], motion[2], motion[3])).add(new THREE.Vector3(motion[4], motion[5], motion[6]));
        out.push({ name: 'height', place, help: 'Drag up or down to set the height.', drag: (to) => changeOwn(floor.key, `Height of ${floor.label}`, (c) => { c.a = [c.a[0], rounded(toRest(to, motion)[1]), c.a[2]]; c.b = [...c.a]; }, `own.${floor.key}.height`) });
      }
    }
    if (selected?.kind === 'cage') out.push(...this.swayCageGrips(selected.key));
    if (sway.windSpeed > 0 && sway.windKind === 'fan') out.push({ name: 'fan', place: new THREE.Vector3(sway.windX, sway.windY, sway.windZ), help: 'Drag to move the fan.', drag: (to) => useEditor.getState().edit('Move the fan', (d) => { Object.assign(d.sway, { windX: rounded(to.x), windY: rounded(to.y), windZ: rounded(to.z) }); }, 'fan') });
    const wind = this.overlays.windGrip();
    if (wind) out.push({ name: 'wind', place: wind.tip, help: 'Drag to turn the wind.', drag: (to) => {
      const d = to.clone().sub(wind.about).multiplyScalar(wind.ahead ? 1 : -1);
      if (d.lengthSq() < 1e-8) return;
      d.normalize();
      useEditor.getState().edit('Turn the wind', (x) => { Object.assign(x.sway, { windTurn: Math.round((Math.atan2(d.x, d.z) * 180) / Math.PI), windRise: Math.round((Math.asin(Math.min(1, Math.max(-1, d.y))) * 180) / Math.PI) }); }, 'wind');
    } });
    const carried = this.overlays.carrierGrips();
    if (carried) for (const what of ['travel', 'turning'] as const) {
      const key = what === 'travel' ? 'carryTravel' : 'carryTurning', { label } = SWAY_PARAMETERS[key];
      out.push({ name: what, place: carried[what], help: `Drag to set how much of the carrier’s ${what} the hair feels.`, drag: (to) => useEditor.getState().edit(`${label} of the carrier`, (d) => { d.sway[key] = Overlays.carrierShare(what, to, carried); }, key) });
    }
    return out;
  }

  /** Its middle, and the middle of three of its sides. */
  private swayCageGrips(id: string): Grip[] {
    const cage = this.session.document.sway.cages?.find((c) => c.id === id);
    if (!cage) return [];
    const motion = Float64Array.from(this.overlays.motionOf(findNode(this.session.character, cage.joint))), axes = cageAxes(cage), half = halfSizes(cage), at = new Float64Array(3), world = (p: number[]): THREE.Vector3 => { moveInto(at, 0, p, 0, motion); return new THREE.Vector3().fromArray(at); }, middle = [cage.x, cage.y, cage.z], mm = (v: number): number => Math.round(1000 * v) / 1000;
    const SIZES = ['wide', 'high', 'deep'] as const;
    return [
      { name: 'middle', place: world(middle), help: 'Drag to move the cage.', drag: (to) => { const [x, y, z] = toRest(to, motion).map(mm); changeCage(id, `Move ${cage.name}`, { x, y, z }, 'place'); } },
      ...SIZES.map((size, a): Grip => ({ name: size, place: world(middle.map((v, c) => v + half[a] * axes[a][c])), help: 'Drag to make the cage larger or smaller.', drag: (to) => {
        const p = toRest(to, motion), far = p.reduce((s, v, c) => s + (v - middle[c]) * axes[a][c], 0);
        changeCage(id, `Size of ${cage.name}`, { [size]: Math.min(CAGE_PARAMETERS[size].max, Math.max(CAGE_PARAMETERS[size].min, Math.round(2000 * Math.abs(far)) / 10)) }, size);
      } })),
    ];
  }

  private drawnGrips(): Grip[] {
    const { drawn: desk } = this.session, { draw } = useEditor.getState();
    if (!desk.shown || draw.tool?.name !== 'line' || draw.bend !== 0) return [];
    return desk.drawn!.lines.flatMap((line) => Array.from({ length: line.places.length / 3 }, (_, at): Grip => ({ name: `${line.name} ${at}`, place: new THREE.Vector3().fromArray(line.places, 3 * at), help: 'Drag to move this place of the chain; Delete takes it away.', press: () => useEditor.setState({ draw: { ...useEditor.getState().draw, place: { line: line.id, at } } }), drag: (to) => desk.moveTo(line, at, to.toArray()) })));
  }

  private cageGrips(): Grip[] {
    const { cage: desk } = this.session.combDesk, { cage } = desk;
    if (!cage || useEditor.getState().comb.tool !== 'cage') return [];
    return Array.from({ length: cage.n ** 3 }, (_, h) => {
      const place = new THREE.Vector3().fromArray(cage.handles, 3 * h);
      return { name: `handle ${h}`, place, help: 'Drag to move the handles that are chosen.', press: (also) => desk.pick(h, also), drag: (to) => desk.move(cage, { move: to.clone().sub(place).toArray() }) };
    });
  }

  private at(e: PointerEvent): [number, number] { const box = this.canvas.getBoundingClientRect(); return [e.clientX - box.left, e.clientY - box.top]; }
  private nearest(x: number, y: number): Grip | null {
    let best: Grip | null = null, least = NEAR;
    for (const g of this.grips()) { const [px, py] = this.view.project(g.place), d = Math.hypot(px - x, py - y); if (d < least) { least = d; best = g; } }
    return best;
  }
  private down = (e: PointerEvent): void => {
    if (e.button !== 0 || e.shiftKey) return;
    const [x, y] = this.at(e), grip = this.nearest(x, y);
    if (!grip) return;
    e.stopImmediatePropagation();
    e.preventDefault();
    this.view.controls.enabled = false;
    this.canvas.setPointerCapture(e.pointerId);
    grip.press?.(e.ctrlKey || e.metaKey);
    this.held = { grip, depth: grip.place.clone().sub(this.view.camera.position).dot(this.view.forward) };
  };
  private move = (e: PointerEvent): void => {
    const [x, y] = this.at(e);
    if (!this.held) { this.canvas.style.cursor = this.nearest(x, y) ? 'grab' : ''; return; }
    e.stopImmediatePropagation();
    const { origin, direction } = this.view.ray(x, y);
    this.held.grip.drag(origin.clone().addScaledVector(direction, this.held.depth / direction.dot(this.view.forward)));
    this.view.touch();
  };
  private up = (e: PointerEvent): void => {
    if (!this.held) return;
    e.stopImmediatePropagation();
    this.held = null;
    this.view.controls.enabled = true;
    if (this.canvas.hasPointerCapture(e.pointerId)) this.canvas.releasePointerCapture(e.pointerId);
    useEditor.getState().endStep();
  };
}
