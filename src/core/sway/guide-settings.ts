/**
 * Settings of single guides: between the two sets by the region map, and differing at random. Everything else that depends
 * on a place is a map or a profile.
 */
import { SECOND_SET, type SwaySettings } from '../document/schema';
import { hashUnit } from '../math/random';
import { physicalRod, type PhysicalRod } from './materials';
import type { Factors } from './by-formula';
import type { SheetGrid } from './sheet';

export type OfGuide = Pick<SwaySettings, (typeof SECOND_SET)[number]>;
/** Multipliers between which there is no zero are blended by ratio. */
const BY_RATIO: readonly string[] = ['stiffness', 'weight', 'lock'];

/** The settings that a value of the region map stands for: 1 the first set, 0 the second. */
export function settingsBetween(settings: SwaySettings, region: number): OfGuide {
  const { second } = settings, out = {} as OfGuide, t = Math.max(0, Math.min(1, region));
  for (const key of SECOND_SET) {
    const a = second?.[key] ?? settings[key], b = settings[key];
    out[key] = BY_RATIO.includes(key) ? a * Math.pow(b / a, t) : (1 - t) * a + t * b;
  }
  return out;
}

/** How a guide differs: factors of stiffness, damping and hold. The same guide always differs alike. */
export function differing(spread: number, guide: number): { stiffness: number; damping: number; hold: number } {
  const by = (salt: number): number => 2 * hashUnit((guide * 3 + salt) >>> 0) - 1;
  return { stiffness: Math.exp(2 * spread * by(0)), damping: Math.exp(1.5 * spread * by(1)), hold: 1 + 0.6 * spread * by(2) };
}

export class GuideSettings {
  private readonly alike: { of: OfGuide; rod: PhysicalRod; hold: number } | null;
  /** `regions`: value of the region map at each guide; `first`: number of the first of them in the whole groom; `factors`: what formulas multiply settings by, guide by guide. */
  constructor(private readonly settings: SwaySettings, private readonly regions: ArrayLike<number>, private readonly first: number, private readonly grid: SheetGrid | null = null, private readonly factors: Factors | null = null) {
    this.alike = settings.second === null && settings.spread === 0 && !grid && !factors ? this.make(1, null) : null;
  }
  private make(region: number, guide: number | null): { of: OfGuide; rod: PhysicalRod; hold: number } {
    const of = settingsBetween(this.settings, region);
    for (const key of SECOND_SET) { const f = guide === null ? undefined : this.factors?.[key]; if (f) of[key] *= f[guide! - this.first]; }
    const d = guide === null || this.grid ? { stiffness: 1, damping: 1, hold: 1 } : differing(this.settings.spread, guide);
    of.stiffness *= d.stiffness;
    of.damping *= d.damping;
    of.bendDamping *= d.damping;
    return { of, rod: this.rodOf(of, guide), hold: Math.max(0, Math.min(1, of.hold * d.hold)) };
  }
  private rodOf(of: OfGuide, guide: number | null): PhysicalRod {
    const { grid, settings } = this;
    if (!grid) return physicalRod({ ...settings, ...of });
    // cloth is told in its own units: what differs from guide to guide is a share of them
    const rod = grid.rod(guide ?? 0), stiff = of.stiffness / settings.stiffness, heavy = of.weight / settings.weight;
    return { ...rod, bend: stiff * rod.bend, twist: stiff * rod.twist, lineDensity: heavy * rod.lineDensity };
  }
  /** Settings of guide `g` of this share, what its rod comes to, and its hold. */
  at(g: number): { of: OfGuide; rod: PhysicalRod; hold: number } { return this.alike ?? this.make(this.regions[g], this.first + g); }
}
