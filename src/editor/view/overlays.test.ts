import * as THREE from 'three';
import { describe, expect, it } from 'vitest';
import { Overlays } from './overlays';

describe('shares of a carrier’s movement', () => {
  const v = (x: number, y: number, z: number): THREE.Vector3 => new THREE.Vector3(x, y, z);
  // anywhere, turned anyhow in the level
  const about = v(3, 1.2, -7), ahead = v(0.6, 0, 0.8), side = v(0, 1, 0).cross(ahead), at = (along: number, across: number, up = 0): THREE.Vector3 => about.clone().addScaledVector(ahead, along).addScaledVector(side, across).add(v(0, up, 0)), from = { about, ahead, side };
  it('run evenly along the bar, whatever else a hand does, and no farther', () => {
    const none = 0.09, all = 0.29;
    for (const share of [0, 0.25, 0.5, 1]) expect(Overlays.carrierShare('travel', at(none + share * (all - none), 0.3, -0.2), from)).toBeCloseTo(share, 9);
    expect(Overlays.carrierShare('travel', at(-5, 0), from)).toBe(0);
    expect(Overlays.carrierShare('travel', at(9, 1), from)).toBe(1);
  });
  it('run evenly round half a ring, and stop at its ends', () => {
    for (const share of [0, 0.1, 0.5, 0.9, 1]) for (const far of [0.05, 0.12, 2]) expect(Overlays.carrierShare('turning', at(far * Math.cos(Math.PI * share), far * Math.sin(Math.PI * share), 0.4), from)).toBeCloseTo(share, 9);
    expect(Overlays.carrierShare('turning', at(0.1, -0.01), from)).toBe(0);
    expect(Overlays.carrierShare('turning', at(-0.1, -0.01), from)).toBe(1);
  });
});
