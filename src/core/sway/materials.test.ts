import { describe, expect, it } from 'vitest';
import { MATERIALS, physicalRod, roundRod, type MaterialName } from './materials';

const plain = { material: 'scalp hair' as MaterialName, thickness: 1, weight: 1, stiffness: 1, twistStiffness: 1, lock: 1 };

describe('materials', () => {
  it('each has figures of its kind and says where they are from', () => {
    for (const m of Object.values(MATERIALS)) {
      expect(m.source.length).toBeGreaterThan(20);
      expect(m.density).toBeGreaterThan(800);
      expect(m.density).toBeLessThan(1500);
      // of what keeps its shape in two directions: E/3 ≤ G ≤ E/2 for most, fibres may be softer in twist
      expect(m.shearModulus / m.youngModulus).toBeGreaterThan(0.15);
      expect(m.shearModulus / m.youngModulus).toBeLessThan(0.5);
    }
  });
  it('wet hair is heavier and softer than dry hair', () => {
    const dry = physicalRod(plain), wet = physicalRod({ ...plain, material: 'scalp hair, wet' });
    expect(wet.lineDensity / dry.lineDensity).toBeGreaterThan(1.2);
    expect(wet.youngModulus / dry.youngModulus).toBeLessThan(0.5);
  });
  it('a round rod has A = πd²/4, I = πd⁴/64, J = 2I', () => {
    // Source: area and moments of a circle
    const r = roundRod(2, 3, 5, 7);
    expect(r.lineDensity).toBeCloseTo(3 * Math.PI, 12);
    expect(r.bend).toBeCloseTo((5 * Math.PI) / 4, 12);
    expect(r.twist).toBeCloseTo((7 * Math.PI) / 2, 12);
  });
  it('sliders multiply; a lock scales mass and stiffness alike and its width by the root', () => {
    const one = physicalRod(plain), many = physicalRod({ ...plain, lock: 9 });
    for (const key of ['lineDensity', 'bend', 'twist'] as const) expect(many[key] / one[key]).toBeCloseTo(9, 12);
    expect(many.width / one.width).toBeCloseTo(3, 12);
    expect(physicalRod({ ...plain, thickness: 2 }).bend / one.bend).toBeCloseTo(16, 10);
    expect(physicalRod({ ...plain, stiffness: 3, twistStiffness: 2 }).twist / one.twist).toBeCloseTo(6, 12);
    expect(physicalRod({ ...plain, weight: 1.5 }).density).toBeCloseTo(1.5 * 1320, 9);
  });
});
