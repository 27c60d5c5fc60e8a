/**
 * What sheets are made of, in the units cloth is measured in, and what a strip of it comes to as a rod.
 *
 * Figures of this table are *from memory* of the literature of fabric testing (Kawabata, The Standardization and Analysis of Hand Evaluation, 1980;
 * Hu, Structure and Mechanics of Woven Fabrics, 2004); cloths of one name scatter by a factor of two or more. Bending there is in gf·cm²/cm
 * (1 = 98.1 µN·m), shear in gf/(cm·degree) (1 = 56.2 N/m), extension in % at 500 gf/cm (490 N/m).
 */
import { z } from 'zod';
import { numbers, parameter as p } from '../document/parameter';
import type { PhysicalRod } from './materials';

export interface Cloth { label: string; /** g/m². */ gsm: number; /** µN·m: bending stiffness of a strip as wide as 1 m, per m. */ bend: number; /** N/m, of shear. */ shear: number; /** N/m, of stretch. */ stretch: number }
export const CLOTHS = {
  silk: { label: 'Silk, light', gsm: 60, bend: 3, shear: 14, stretch: 12000 },
  shirting: { label: 'Cotton shirting', gsm: 115, bend: 6, shear: 40, stretch: 10000 },
  jersey: { label: 'Jersey', gsm: 180, bend: 3, shear: 30, stretch: 1200 },
  suiting: { label: 'Wool suiting', gsm: 210, bend: 10, shear: 34, stretch: 8000 },
  coating: { label: 'Wool coating', gsm: 480, bend: 35, shear: 50, stretch: 6000 },
  denim: { label: 'Denim', gsm: 420, bend: 60, shear: 110, stretch: 12000 },
  canvas: { label: 'Canvas, heavy', gsm: 500, bend: 200, shear: 170, stretch: 20000 },
  leather: { label: 'Leather, soft', gsm: 700, bend: 250, shear: 900, stretch: 9000 },
} as const satisfies Record<string, Cloth>;
export type ClothName = keyof typeof CLOTHS;
export const CLOTH_NAMES = Object.keys(CLOTHS) as [ClothName, ...ClothName[]];

export const SHEET_PARAMETERS = {
  gsm: p('Weight', 'g/m²', 5, 5000, 1, 210, 'What a square metre of the cloth weighs.'),
  bend: p('Bending', 'µN·m', 0.1, 20000, 0.1, 10, 'Bending stiffness, of a strip a metre wide, per metre of it. Beside it: the cantilever length, which is half as long as a strip that hangs over an edge by itself until its tip is 41.5° below.'),
  shear: p('Shear', 'N/m', 0, 20000, 1, 34, 'How strongly the cloth keeps its squares square.'),
  stretch: p('Stretch', 'N/m', 0, 200000, 10, 8000, 'How strongly lines beside each other keep their distance. Along the lines it does not stretch at all.'),
};
export type SheetParameter = keyof typeof SHEET_PARAMETERS;
/** A sheet: lines beside each other, each with the next. */
export const sheetSchema = numbers(SHEET_PARAMETERS).extend({ cloth: z.enum(CLOTH_NAMES), /** Whether the last line lies beside the first. */ around: z.boolean() });
export type Sheet = z.infer<typeof sheetSchema>;
export function newSheet(cloth: ClothName, around: boolean): Sheet { const { gsm, bend, shear, stretch } = CLOTHS[cloth]; return { cloth, gsm, bend, shear, stretch, around }; }

/** Poisson's ratio of thin plates, for the torsion of a strip: GJ = 2 D (1 − ν) w. **Source:** Timoshenko and Woinowsky-Krieger, Theory of Plates and Shells, from memory. */
const POISSON = 0.3;
/** kg/m³ of cloth with the air in it. Common practice, no source. */
const BULK = 450;
/** What a strip of a sheet `width` m wide comes to as a rod. */
export function stripRod({ gsm, bend }: Pick<Sheet, 'gsm' | 'bend'>, width: number): PhysicalRod {
  const D = 1e-6 * bend, thickness = gsm / 1000 / BULK, youngModulus = (12 * D * (1 - POISSON ** 2)) / thickness ** 3;
  return { diameter: thickness, density: BULK, youngModulus, shearModulus: youngModulus / (2 * (1 + POISSON)), lineDensity: (gsm / 1000) * width, bend: D * width, twist: 2 * D * (1 - POISSON) * width, width };
}
/** m: Peirce's bending length c = (B / (g σ))^(1/3). **Source:** Peirce 1930, The "handle" of cloth as a measurable quantity, J. Text. Inst. 21, T377; from memory. */
export const bendingLength = ({ gsm, bend }: Pick<Sheet, 'gsm' | 'bend'>, gravity = 9.81): number => Math.cbrt((1e-6 * bend) / (gravity * (gsm / 1000)));
