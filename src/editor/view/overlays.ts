/** Lines over the picture that show what acts on the hair: colliders, ties, wind, contacts. World places, m. */
import * as THREE from 'three';
import { cagePoints } from '../../core/cage/cages';
import { moveInto, turnInto } from '../../core/math/mat4';
import { findNode, poseAtFrame } from '../../core/mesh/character';
import { MARK_NUMBERS } from '../../core/sway/run';
import { nodeMotionsInto, placeOfNode } from '../../core/sway/scene';
import { tiedPoints } from '../../core/sway/ties';
import { windOf } from '../../core/sway/wind';
import type { Session } from '../state/session';

/** Two ends of a pill with their radii, in the present pose: a xyz r, b xyz r. */
export type PosedPill = readonly [number, number, number, number, number, number, number, number];

const KINDS = ['collider', 'cage', 'chosen', 'floor', 'tie', 'torn', 'wind', 'carrier', 'contact', 'flow'] as const;
type Kind = (typeof KINDS)[number];
const LOOKS: Record<Kind, { color: number; opacity: number; through: boolean }> = {
  collider: { color: 0xa8e0f5, opacity: 0.5, through: true },
  cage: { color: 0xffc27a, opacity: 0.4, through: true },
  chosen: { color: 0xffc27a, opacity: 1, through: true },
  floor: { color: 0xa8e0f5, opacity: 0.35, through: false },
  tie: { color: 0x8ff0c0, opacity: 0.9, through: true },
  torn: { color: 0xff6a55, opacity: 0.9, through: true },
  wind: { color: 0xe8e4da, opacity: 0.75, through: false },
  carrier: { color: 0xc9b6ff, opacity: 0.85, through: true },
  contact: { color: 0xffe14d, opacity: 0.95, through: true },
  flow: { color: 0x9fe0ff, opacity: 1, through: false },
};
/** m a newton, by the square root: forces differ by orders. */
const FORCE_LENGTH = 0.12;
/** Steps in which a carrier's way is drawn, at most; m: half of its cross. */
const WAY_STEPS = 90, CROSS = 0.05;
/** m: how far above the middle of the hair the shares a carrier hands on are set, how long the bar for its travel is, and the radius of the half ring for its turning. */
const ABOVE = 0.18, BAR = 0.2, RING = 0.09;

export class Overlays {
  readonly group = new THREE.Group();
  private readonly lines: Record<Kind, THREE.LineSegments<THREE.BufferGeometry, THREE.LineBasicMaterial>>;
  private readonly motion = new Float64Array(7);

  constructor(private readonly session: Session) {
    this.lines = Object.fromEntries(KINDS.map((kind) => {
      const { color, opacity, through } = LOOKS[kind];
      const l = new THREE.LineSegments(new THREE.BufferGeometry(), new THREE.LineBasicMaterial({ color, transparent: true, opacity, depthTest: !through }));
      l.frustumCulled = false;
      l.renderOrder = through ? 2 : 1;
      this.group.add(l);
      return [kind, l];
    })) as Overlays['lines'];
  }
  dispose(): void { for (const l of Object.values(this.lines)) { l.geometry.dispose(); l.material.dispose(); } }

  /** What is to be shown, in the pose at the play head. */
  update(shown: { colliders: boolean; marks: boolean; sway: boolean; chosen: string | null; guides: ArrayLike<number> | null; frame: number; torn: readonly number[]; flow: boolean }): void {
    const { session } = this, out: Record<Kind, number[]> = { collider: [], cage: [], chosen: [], floor: [], tie: [], torn: [], wind: [], carrier: [], contact: [], flow: [] };
    if (shown.colliders || shown.chosen) {
      const set = session.colliders();
      for (const p of set.pills) {
        const chosen = p.key === shown.chosen;
        if (chosen || (shown.colliders && p.on)) pillLines(this.posedPill(p), out[chosen ? 'chosen' : 'collider']);
      }
      for (const f of set.floors) {
        const chosen = f.key === shown.chosen;
        if (chosen || (shown.colliders && f.on)) this.floorLines(f.node, f.place, out[chosen ? 'chosen' : 'floor']);
      }
    }
    if (shown.sway && shown.guides) this.tieLines(shown.guides, shown.torn, shown.chosen, out);
    if (shown.sway) { this.windLines(out.wind); this.cageLines(shown.chosen, out); this.carrierLines(out.carrier); this.carrierShareLines(out.carrier); }
    if (shown.marks) {
      const marks = session.runs.marks.get(shown.frame);
      for (let o = 0; marks && o < marks.length; o += MARK_NUMBERS) {
        const l = Math.min(0.08, FORCE_LENGTH * Math.sqrt(marks[o + 6]) + 0.002);
        out.contact.push(marks[o], marks[o + 1], marks[o + 2], marks[o] + l * marks[o + 3], marks[o + 1] + l * marks[o + 4], marks[o + 2] + l * marks[o + 5]);
      }
    }
    if (shown.flow) this.flowLines(out.flow);
    for (const kind of KINDS) {
      this.lines[kind].visible = out[kind].length > 0;
      if (out[kind].length > 0) setSegments(this.lines[kind].geometry, Float32Array.from(out[kind]));
    }
  }

  /** Rigid motion of a node since the rest pose. */
  motionOf(node: number): Float64Array {
    nodeMotionsInto(this.motion, [node], this.session.restPose, this.session.pose);
    return this.motion;
  }
  posedPill(p: { node: number; a: ArrayLike<number>; b: ArrayLike<number>; radiusA: number; radiusB: number }): PosedPill {
    const m = this.motionOf(p.node), v = new Float64Array(6);
    moveInto(v, 0, p.a, 0, m);
    moveInto(v, 3, p.b, 0, m);
    return [v[0], v[1], v[2], p.radiusA, v[3], v[4], v[5], p.radiusB];
  }

  /** Cages as their joints have them: the box of each, and its inner lines where it is chosen. */
  private cageLines(chosen: string | null, out: Record<Kind, number[]>): void {
    for (const cage of this.session.document.sway.cages ?? []) {
      const mine = cage.id === chosen, n = cage.points, P = cagePoints(cage), motion = this.motionOf(findNode(this.session.character, cage.joint)), list = out[mine ? 'chosen' : 'cage'];
      if (!cage.on && !mine) continue;
      for (let p = 0; p < P.length; p += 3) moveInto(P, p, P.slice(p, p + 3), 0, motion);
      const outer = (k: number): boolean => k === 0 || k === n - 1;
      for (let h = 0; h < n ** 3; h++) {
        const at = [h % n, Math.floor(h / n) % n, Math.floor(h / (n * n))];
        for (let a = 0; a < 3; a++) {
          const q = h + n ** a, [b, c] = [at[(a + 1) % 3], at[(a + 2) % 3]];
          if (at[a] === n - 1 || !(mine ? outer(b) || outer(c) : outer(b) && outer(c))) continue;
          list.push(P[3 * h], P[3 * h + 1], P[3 * h + 2], P[3 * q], P[3 * q + 1], P[3 * q + 2]);
        }
      }
    }
  }
  private carrierWay: { key: string; places: Float64Array } | null = null;
  /** What carries the hair: a small cross of its axes where it is, and the way it goes in the shot. */
  private carrierLines(out: number[]): void {
    const { session } = this, { sway, shot } = session.document, node = sway.carrier ? findNode(session.character, sway.carrier) : -1;
    if (node < 0) return;
    const key = JSON.stringify([session.character.nodes.length, sway.carrier, shot]);
    if (this.carrierWay?.key !== key) {
      const steps = Math.max(1, Math.min(WAY_STEPS, shot.end - shot.start)), places = new Float64Array(3 * (steps + 1));
      for (let k = 0; k <= steps; k++) places.set(placeOfNode(poseAtFrame(session.character, session.clip, shot, shot.start + ((shot.end - shot.start) * k) / steps), node), 3 * k);
      this.carrierWay = { key, places };
    }
    const { places } = this.carrierWay, p = placeOfNode(session.pose, node), turn = this.motionOf(node), axis = new Float64Array(3);
    for (let o = 3; o < places.length; o += 3) for (let c = -3; c < 3; c++) out.push(places[o + c]);
    for (let a = 0; a < 3; a++) {
      turnInto(axis, 0, [a === 0 ? 1 : 0, a === 1 ? 1 : 0, a === 2 ? 1 : 0], 0, turn);
      out.push(p[0] - CROSS * axis[0], p[1] - CROSS * axis[1], p[2] - CROSS * axis[2], p[0] + CROSS * axis[0], p[1] + CROSS * axis[1], p[2] + CROSS * axis[2]);
    }
  }
  /**
   * Where the shares of a carrier's movement that the hair feels can be taken hold of, above the hair: along a bar for its travel, and round half a
   * ring for its turning. `ahead`: the way it goes in the shot, level; `side`: across that.
   */
  carrierGrips(): { about: THREE.Vector3; ahead: THREE.Vector3; side: THREE.Vector3; travel: THREE.Vector3; turning: THREE.Vector3 } | null {
    const { session } = this, { sway } = session.document;
    if (sway.carrier === '' || findNode(session.character, sway.carrier) < 0) return null;
    const places = this.carrierWay?.places, far = places ? places.length - 3 : 0, ahead = new THREE.Vector3(places ? places[far] - places[0] : 0, 0, places ? places[far + 2] - places[2] : 0);
    if (ahead.lengthSq() < 1e-6) ahead.set(1, 0, 0); else ahead.normalize();
    const about = new THREE.Vector3(...session.middleOfHair()), side = new THREE.Vector3(0, 1, 0).cross(ahead), turn = Math.PI * sway.carryTurning;
    about.y += ABOVE;
    return { about, ahead, side, travel: about.clone().addScaledVector(ahead, RING + BAR * sway.carryTravel), turning: about.clone().addScaledVector(ahead, RING * Math.cos(turn)).addScaledVector(side, RING * Math.sin(turn)) };
  }
  /** The share that a place on the bar, or round the ring, stands for. */
  static carrierShare(of: 'travel' | 'turning', to: THREE.Vector3, { about, ahead, side }: { about: THREE.Vector3; ahead: THREE.Vector3; side: THREE.Vector3 }): number {
    const d = to.clone().sub(about), x = d.dot(ahead), y = d.dot(side), share = of === 'travel' ? (x - RING) / BAR : y >= 0 ? Math.atan2(y, x) / Math.PI : x >= 0 ? 0 : 1;
    return Math.round(100 * Math.min(1, Math.max(0, share))) / 100;
  }
  private carrierShareLines(out: number[]): void {
    const grips = this.carrierGrips();
    if (!grips) return;
    const { about, ahead, side, travel, turning } = grips, push = (a: THREE.Vector3, b: THREE.Vector3): void => { out.push(a.x, a.y, a.z, b.x, b.y, b.z); }, on = (r: number, turn: number): THREE.Vector3 => about.clone().addScaledVector(ahead, r * Math.cos(turn)).addScaledVector(side, r * Math.sin(turn));
    push(on(RING, 0), on(RING + BAR, 0));
    // notches at none, half and all
    for (const share of [0, 0.5, 1]) {
      const at = on(RING + BAR * share, 0);
      push(at.clone().addScaledVector(side, -0.012), at.clone().addScaledVector(side, 0.012));
      push(on(RING - 0.012, Math.PI * share), on(RING + 0.012, Math.PI * share));
    }
    for (let k = 0; k < 24; k++) push(on(RING, (k / 24) * Math.PI), on(RING, ((k + 1) / 24) * Math.PI));
    push(about, turning);
    push(travel.clone().add(new THREE.Vector3(0, -0.015, 0)), travel.clone().add(new THREE.Vector3(0, 0.015, 0)));
  }
  private floorLines(node: number, place: ArrayLike<number>, out: number[]): void {
    const m = this.motionOf(node), p = new Float64Array(3), q = new Float64Array(3), reach = 1.2, lines = 12;
    for (let k = -lines; k <= lines; k++) for (const along of [0, 2]) {
      const from = [place[0], place[1], place[2]], to = [place[0], place[1], place[2]], across = 2 - along;
      from[across] += (k / lines) * reach; to[across] += (k / lines) * reach;
      from[along] -= reach; to[along] += reach;
      moveInto(p, 0, from, 0, m);
      moveInto(q, 0, to, 0, m);
      out.push(...p, ...q);
    }
  }

  private tieLines(P: ArrayLike<number>, torn: readonly number[], chosen: string | null, out: Record<Kind, number[]>): void {
    const { session } = this, { guides } = session;
    if (!guides) return;
    session.document.sway.ties.forEach((tie, t) => {
      if (!tie.on && tie.id !== chosen) return;
      const points = tiedPoints(tie, guides.planting.faces.length, guides.pointCount), list = out[torn.includes(t) ? 'torn' : tie.id === chosen ? 'chosen' : 'tie'];
      if (points.length === 0) return;
      const c = [0, 1, 2].map((k) => points.reduce((m, p) => m + P[3 * p + k] / points.length, 0));
      // the points themselves as small crosses, and a spoke from each to the middle of a ring
      const step = Math.max(1, Math.floor(points.length / 400));
      for (let i = 0; i < points.length; i += step) {
        const o = 3 * points[i], s = 0.0015;
        list.push(P[o] - s, P[o + 1], P[o + 2], P[o] + s, P[o + 1], P[o + 2], P[o], P[o + 1] - s, P[o + 2], P[o], P[o + 1] + s, P[o + 2]);
        if (tie.kind === 'ring') list.push(P[o], P[o + 1], P[o + 2], c[0], c[1], c[2]);
      }
      if (tie.kind === 'joint') {
        const node = findNode(session.character, tie.node);
        if (node >= 0) list.push(c[0], c[1], c[2], session.pose[16 * node + 12], session.pose[16 * node + 13], session.pose[16 * node + 14]);
      }
    });
  }

  /** Short arrows a little off the skin. */
  private flowLines(out: number[]): void {
    const lines = this.session.desk.flowLines(), a = new THREE.Vector3(), b = new THREE.Vector3(), side = new THREE.Vector3(), up = new THREE.Vector3(), surface = this.session.surfaceNow();
    for (let o = 0; o < lines.length; o += 6) {
      a.fromArray(lines, o); b.fromArray(lines, o + 3);
      const hit = surface.nearest(lines.subarray(o, o + 3));
      if (!hit) continue;
      up.set(...hit.normal);
      const lift = 0.12 * a.distanceTo(b);
      a.addScaledVector(up, lift); b.addScaledVector(up, lift);
      side.copy(b).sub(a).cross(up).multiplyScalar(0.28);
      const back = a.clone().lerp(b, 0.62);
      out.push(a.x, a.y, a.z, b.x, b.y, b.z, b.x, b.y, b.z, back.x + side.x, back.y + side.y, back.z + side.z, b.x, b.y, b.z, back.x - side.x, back.y - side.y, back.z - side.z);
    }
  }

  /** Where the wind can be taken hold of, to turn it: its tip, and what it turns about; `ahead`: whether the tip lies where it blows to. */
  windGrip(): { tip: THREE.Vector3; about: THREE.Vector3; ahead: boolean } | null {
    const { sway } = this.session.document, mean = windOf(sway), speed = Math.hypot(...mean);
    if (!(speed > 0)) return null;
    const d = new THREE.Vector3(...mean).divideScalar(speed);
    if (sway.windKind === 'fan') { const at = new THREE.Vector3(sway.windX, sway.windY, sway.windZ); return { tip: at.clone().addScaledVector(d, 0.35 * sway.windReach), about: at, ahead: true }; }
    const about = new THREE.Vector3(...this.session.middleOfHair());
    return { tip: about.clone().addScaledVector(d, -(0.34 - Math.min(0.3, 0.05 + 0.02 * speed))), about, ahead: false };
  }
  private windLines(out: number[]): void {
    const { sway } = this.session.document, mean = windOf(sway), speed = Math.hypot(...mean);
    if (speed === 0) return;
    const d = new THREE.Vector3(...mean).divideScalar(speed), u = new THREE.Vector3(Math.abs(d.y) < 0.9 ? 0 : 1, Math.abs(d.y) < 0.9 ? 1 : 0, 0).cross(d).normalize(), w = d.clone().cross(u);
    const push = (a: THREE.Vector3, b: THREE.Vector3): void => { out.push(a.x, a.y, a.z, b.x, b.y, b.z); };
    const arrow = (at: THREE.Vector3, l: number): void => {
      const tip = at.clone().addScaledVector(d, l);
      push(at, tip);
      for (const s of [u, w]) for (const k of [-1, 1]) push(tip, tip.clone().addScaledVector(d, -0.22 * l).addScaledVector(s, 0.1 * k * l));
    };
    if (sway.windKind === 'fan') {
      const at = new THREE.Vector3(sway.windX, sway.windY, sway.windZ), reach = sway.windReach, mouth = 0.1 * reach;
      const ring = (ahead: number): void => { const r = mouth + 0.5 * ahead; for (let k = 0; k < 24; k++) { const p = (q: number): THREE.Vector3 => at.clone().addScaledVector(d, ahead).addScaledVector(u, r * Math.cos((q / 24) * 2 * Math.PI)).addScaledVector(w, r * Math.sin((q / 24) * 2 * Math.PI)); push(p(k), p(k + 1)); } };
      ring(0);
      ring(0.5 * reach);
      ring(0.85 * reach);
      arrow(at, 0.35 * reach);
      return;
    }
    // beside the hair, up the wind
    const c = this.session.middleOfHair(), at = new THREE.Vector3(...c).addScaledVector(d, -0.34), l = Math.min(0.3, 0.05 + 0.02 * speed);
    for (let i = -1; i <= 1; i++) arrow(at.clone().addScaledVector(u, 0.09 * i), l);
  }
}

/** Places of the grips of a pill: ends, and a place on the rim of each, to the right as the camera sees it. */
export function pillGrips(p: PosedPill, right: THREE.Vector3, ball: boolean): { name: 'a' | 'b' | 'radiusA' | 'radiusB'; place: THREE.Vector3 }[] {
  const a = new THREE.Vector3(p[0], p[1], p[2]), b = new THREE.Vector3(p[4], p[5], p[6]);
  const grips: ReturnType<typeof pillGrips> = [{ name: 'a', place: a }, { name: 'radiusA', place: a.clone().addScaledVector(right, p[3]) }];
  if (!ball) grips.push({ name: 'b', place: b }, { name: 'radiusB', place: b.clone().addScaledVector(right, p[7]) });
  return grips;
}

/** World place back to the rest pose of the node whose motion is given. */
export function toRest(place: THREE.Vector3, motion: Float64Array): [number, number, number] {
  const out = new Float64Array(3);
  turnInto(out, 0, [place.x - motion[4], place.y - motion[5], place.z - motion[6]], 0, [-motion[0], -motion[1], -motion[2], motion[3]]);
  return [out[0], out[1], out[2]];
}

export function setSegments(geometry: THREE.BufferGeometry, points: Float32Array): void {
  const known = geometry.getAttribute('position') as THREE.BufferAttribute | undefined;
  if (known && known.array.length === points.length) { known.array.set(points); known.needsUpdate = true; }
  else { geometry.dispose(); geometry.setAttribute('position', new THREE.BufferAttribute(points, 3)); }
}

function pillLines(p: PosedPill, out: number[]): void {
  const a = new THREE.Vector3(p[0], p[1], p[2]), b = new THREE.Vector3(p[4], p[5], p[6]), ra = p[3], rb = p[7], axis = b.clone().sub(a);
  const t = axis.lengthSq() > 1e-12 ? axis.normalize() : new THREE.Vector3(0, 1, 0), u = new THREE.Vector3(Math.abs(t.x) < 0.9 ? 1 : 0, Math.abs(t.x) < 0.9 ? 0 : 1, 0).cross(t).normalize(), w = t.clone().cross(u);
  const dir = (i: number): THREE.Vector3 => { const q = (i / 24) * 2 * Math.PI; return u.clone().multiplyScalar(Math.cos(q)).addScaledVector(w, Math.sin(q)); };
  const push = (m: THREE.Vector3, n: THREE.Vector3): void => { out.push(m.x, m.y, m.z, n.x, n.y, n.z); };
  for (let i = 0; i < 24; i++) {
    push(a.clone().addScaledVector(dir(i), ra), a.clone().addScaledVector(dir(i + 1), ra));
    push(b.clone().addScaledVector(dir(i), rb), b.clone().addScaledVector(dir(i + 1), rb));
  }
  for (let i = 0; i < 24; i += 6) {
    push(a.clone().addScaledVector(dir(i), ra), b.clone().addScaledVector(dir(i), rb));
    for (const [c, r, s] of [[a, ra, -1], [b, rb, 1]] as const) for (let j = 0; j < 6; j++) {
      const arc = (m: number): THREE.Vector3 => { const q = ((m / 6) * Math.PI) / 2; return c.clone().addScaledVector(dir(i), r * Math.cos(q)).addScaledVector(t, s * r * Math.sin(q)); };
      push(arc(j), arc(j + 1));
    }
  }
}
