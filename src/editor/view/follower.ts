/** Takes the view along with a character that goes away from its place: over the ground only, so that it is seen to rise and fall. */
import type * as THREE from 'three';
import type { OrbitControls } from 'three/addons/controls/OrbitControls.js';
import type { Pose } from '../../core/mesh/character';
import type { Session } from '../state/session';

export class Follower {
  /** m: where the character stood (x, z) when the view was last where it belongs. */
  private readonly stood: Float64Array;
  /** While it moves the view, which is nobody's own choice of one. */
  moving = false;

  constructor(private readonly session: Session, private readonly camera: THREE.Camera, private readonly controls: OrbitControls) { this.stood = session.travel.place.slice(); }
  get place(): [number, number] { return [this.stood[0], this.stood[1]]; }
  /** The view is where it belongs while the character stands at a place, which is where it stands now if none is given. */
  stay(place: ArrayLike<number> = this.session.travel.place): void { this.stood.set(place); }
  /** m, x and z: how far the view would go along into another pose. */
  wayTo(pose: Pose): [number, number] {
    if (!this.session.followed) return [0, 0];
    const there = new Float64Array(2);
    this.session.travel.middleInto(pose, there);
    return [there[0] - this.stood[0], there[1] - this.stood[1]];
  }
  /** Moves the view by as much as the character has gone since. */
  go(): void {
    const { stood, session: { travel: { place } } } = this, x = place[0] - stood[0], z = place[1] - stood[1];
    if ((x === 0 && z === 0) || !this.session.followed) return;
    this.stay();
    for (const p of [this.camera.position, this.controls.target]) { p.x += x; p.z += z; }
    this.moving = true;
    this.controls.update();
    this.moving = false;
  }
}
