/**
 * What strands are made of: starting points in SI units. An artist's sliders multiply these.
 *
 * Figures without a source beside them are *from memory* of the literature named; they scatter from head to head, fleece to
 * fleece and with the moisture of the air by a third or more.
 */
export interface Material {
  label: string;
  /** m: diameter of one strand. */
  diameter: number;
  /** kg/m³. */
  density: number;
  /** Pa: Young's and shear modulus. */
  youngModulus: number;
  shearModulus: number;
  source: string;
}

const ROBBINS = 'Robbins, Chemical and Physical Behavior of Human Hair: modulus 3–5 GPa dry, about 0.4 of it wet; density 1.32; torsion modulus 0.8–1.5 GPa dry. From memory.';
const WOOL = 'Morton and Hearle, Physical Properties of Textile Fibres: wool 1310 kg/m³, modulus 2–4 GPa dry, about half of it wet. From memory.';
const HORSE = 'Horsehair as keratin fibre: modulus 3–6 GPa; mane about 0.1 mm, tail 0.15–0.25 mm thick. From memory.';

export const MATERIALS = {
  'scalp hair, fine': { label: 'Scalp hair, fine', diameter: 55e-6, density: 1320, youngModulus: 4e9, shearModulus: 1.3e9, source: ROBBINS },
  'scalp hair': { label: 'Scalp hair, medium', diameter: 75e-6, density: 1320, youngModulus: 4e9, shearModulus: 1.3e9, source: ROBBINS },
  'scalp hair, coarse': { label: 'Scalp hair, coarse', diameter: 100e-6, density: 1320, youngModulus: 4e9, shearModulus: 1.3e9, source: ROBBINS },
  'scalp hair, wet': { label: 'Scalp hair, wet', diameter: 86e-6, density: 1320, youngModulus: 1.6e9, shearModulus: 0.4e9, source: `${ROBBINS} Wet hair takes up about 30 % of its mass and swells by about 15 % across.` },
  'brows and lashes': { label: 'Brows and lashes', diameter: 80e-6, density: 1320, youngModulus: 4e9, shearModulus: 1.3e9, source: `As scalp hair. ${ROBBINS}` },
  'wool, fine': { label: 'Wool, fine', diameter: 20e-6, density: 1310, youngModulus: 3e9, shearModulus: 1.2e9, source: WOOL },
  'wool, coarse': { label: 'Wool, coarse', diameter: 38e-6, density: 1310, youngModulus: 3e9, shearModulus: 1.2e9, source: WOOL },
  'wool, wet': { label: 'Wool, wet', diameter: 42e-6, density: 1280, youngModulus: 1.6e9, shearModulus: 0.3e9, source: `${WOOL} Coarse wool, swollen.` },
  'horse mane': { label: 'Horse mane', diameter: 110e-6, density: 1320, youngModulus: 4e9, shearModulus: 1.3e9, source: HORSE },
  'horse tail': { label: 'Horse tail', diameter: 180e-6, density: 1320, youngModulus: 4.5e9, shearModulus: 1.4e9, source: HORSE },
  'horse tail, wet': { label: 'Horse tail, wet', diameter: 200e-6, density: 1320, youngModulus: 1.8e9, shearModulus: 0.4e9, source: `${HORSE} Wetted as scalp hair is.` },
  'elastic cord': { label: 'Elastic cord', diameter: 2e-3, density: 950, youngModulus: 2e6, shearModulus: 0.67e6, source: 'Natural rubber: 0.93–0.95 g/cm³, 1–5 MPa at small strain, volume kept (G = E/3). Handbook values, from memory.' },
  rope: { label: 'Rope, laid hemp', diameter: 8e-3, density: 900, youngModulus: 6e6, shearModulus: 2e6, source: 'Fibres of a rope slide past each other: it bends as if it were thousands of times softer than solid hemp. Common practice, no source.' },
} as const satisfies Record<string, Material>;

export type MaterialName = keyof typeof MATERIALS;
export const MATERIAL_NAMES = Object.keys(MATERIALS) as [MaterialName, ...MaterialName[]];

export interface MaterialSliders {
  material: MaterialName;
  /** Multipliers of diameter, density, of both moduli, and of the shear modulus alone. */
  thickness: number;
  weight: number;
  stiffness: number;
  twistStiffness: number;
  /** Strands that one guide stands for. */
  lock: number;
}

/** What the material and its multipliers come to. */
export interface PhysicalRod {
  diameter: number;
  density: number;
  youngModulus: number;
  shearModulus: number;
  /** kg/m, N·m², N·m²: of the whole lock. */
  lineDensity: number;
  bend: number;
  twist: number;
  /** m: what the air meets. */
  width: number;
}

/**
 * A round strand of diameter d has A = πd²/4, I = πd⁴/64, J = 2I (area and moments of a circle). A lock of N strands that
 * slide past each other weighs, bends and twists N times as much; the air meets it as one round bundle, √N times as wide.
 */
export function physicalRod(sliders: MaterialSliders): PhysicalRod {
  const base = MATERIALS[sliders.material], n = sliders.lock;
  const diameter = base.diameter * sliders.thickness, density = base.density * sliders.weight;
  const youngModulus = base.youngModulus * sliders.stiffness, shearModulus = base.shearModulus * sliders.stiffness * sliders.twistStiffness;
  return { diameter, density, youngModulus, shearModulus, ...roundRod(diameter, density, youngModulus, shearModulus, n) };
}

export function roundRod(diameter: number, density: number, youngModulus: number, shearModulus: number, n = 1): Pick<PhysicalRod, 'lineDensity' | 'bend' | 'twist' | 'width'> {
  const area = (Math.PI * diameter ** 2) / 4, moment = (Math.PI * diameter ** 4) / 64;
  return { lineDensity: n * density * area, bend: n * youngModulus * moment, twist: n * shearModulus * 2 * moment, width: diameter * Math.sqrt(n) };
}
