/** Three ways to light the hair, to be turned about it. Directions toward the light; powers linear. */
import * as THREE from 'three';

export const RIGS = {
  bench: { label: 'Bench', help: 'A warm key from the front, a cool rim from behind: shape and gloss both read.', key: [-0.5, 0.62, 0.62], keyPower: [3.1, 2.95, 2.75], rim: [0.62, 0.5, -0.62], rimPower: [2.6, 2.75, 3], sky: [0.8, 0.84, 0.9], ground: [0.42, 0.39, 0.37] },
  window: { label: 'Window', help: 'Broad daylight from one side, little from the other: volume reads.', key: [-0.86, 0.42, 0.3], keyPower: [4.2, 4.3, 4.5], rim: [0.7, 0.2, 0.6], rimPower: [0.5, 0.47, 0.42], sky: [0.62, 0.68, 0.78], ground: [0.3, 0.28, 0.27] },
  evening: { label: 'Evening', help: 'A low sun behind the hair: what it lets through and every stray strand read.', key: [0.42, 0.24, -0.88], keyPower: [6.4, 4.5, 2.7], rim: [-0.6, 0.5, 0.62], rimPower: [0.9, 1.05, 1.3], sky: [0.5, 0.56, 0.7], ground: [0.34, 0.27, 0.22] },
} as const;
export type Rig = keyof typeof RIGS;

export interface Lights { key: THREE.Vector3; keyPower: THREE.Vector3; rim: THREE.Vector3; rimPower: THREE.Vector3; sky: THREE.Vector3; ground: THREE.Vector3 }
/** The lights of a rig turned about the upright by an angle. */
export function lightsOf(rig: Rig, turnDeg: number): Lights {
  const r = RIGS[rig], up = new THREE.Vector3(0, 1, 0), a = (turnDeg * Math.PI) / 180, v = (x: readonly number[]): THREE.Vector3 => new THREE.Vector3(x[0], x[1], x[2]);
  return { key: v(r.key).normalize().applyAxisAngle(up, a), keyPower: v(r.keyPower), rim: v(r.rim).normalize().applyAxisAngle(up, a), rimPower: v(r.rimPower), sky: v(r.sky), ground: v(r.ground) };
}
