/** Documents of earlier formats, brought up to the present one; nothing they say is lost. */
import { MATERIALS } from '../sway/materials';
import { BAKE_PARAMETERS, defaultsOf, defaultSway, documentSchema, nameOfShot, newDocument, usualTreatments, type GroomDocument } from './schema';

/** Reads a document of any format this program has written. Throws Zod's error where it is none. */
export function readDocument(value: unknown): GroomDocument {
  let document = value;
  const format = (): unknown => (document as { format?: unknown } | null)?.format;
  if (format() === 1) document = fromFormat1(document as Format1);
  if (format() === 2) document = fromFormat2(document as Format2);
  if (format() === 3) document = fromFormat3(document as Format3);
  if (format() === 4) document = fromFormat4(document as Format4);
  // format 5 had no layers of style
  if (format() === 5) document = { ...(document as object), format: 6 };
  if (format() === 6) document = fromFormat6(document as Format6);
  if (format() === 7) document = fromFormat7(document as Format7);
  if (format() === 8) document = fromFormat8(document as Format8);
  // format 9 knew hair only
  if (format() === 9) document = { ...(document as object), format: 10, chains: [] };
  // format 10 drew no chains
  if (format() === 10) document = { ...(document as object), format: 11, drawn: null };
  return documentSchema.parse(document);
}

interface Format8 { bake: object }

/** Format 8 knew of a bake only how long it runs up. */
const fromFormat8 = (old: Format8): unknown => ({ ...old, format: 9, bake: { ...defaultsOf(BAKE_PARAMETERS), ...old.bake } });

interface Format7 { otherShots: object[]; sway: { profiles: object; maps: object } }

/** Format 7 had one set of settings for all shots and all regions, alike for all guides; the gap was the same all along. */
function fromFormat7(old: Format7): unknown {
  const { spread, on, second, profiles, maps } = defaultSway();
  return { ...old, format: 8, setAside: {}, otherShots: old.otherShots.map((o) => ({ ...o, own: {} })), sway: { spread, on, second, ...old.sway, profiles: { ...profiles, ...old.sway.profiles }, maps: { ...maps, ...old.sway.maps } } };
}

interface Format6 { plot: { maps: object }; fill: Record<string, number> }

/** Format 6 had two maps of a plot, and four fixed treatments. */
function fromFormat6(old: Format6): unknown {
  const { clump, lock, frizzMm, lengthSpread, ...same } = old.fill, fresh = newDocument('', { clip: '', start: 0, end: 1, fps: 24, cyclic: false });
  return { ...old, format: 7, cards: fresh.cards, planted: fresh.planted, plot: { ...old.plot, maps: { ...fresh.plot.maps, ...old.plot.maps } }, fill: { ...fresh.fill, turnCm: 0, ...same, treatments: usualTreatments({ clump, lock, frizzMm, shorter: lengthSpread }) } };
}

interface Format4 { shot: { clip: string }; plot: object }

/** Format 4 had one shot, without a name, and no flow. */
const fromFormat4 = (old: Format4): unknown => ({ ...old, format: 5, shotName: nameOfShot(old.shot), otherShots: [], plot: { ...old.plot, flow: null } });

interface Format3 { sway: Record<string, unknown> & { roles: object }; plot: object; plant: object; fill: object }

/** Format 3 knew three roles of meshes, and plots without painted density and length, and one gloss. */
function fromFormat3(old: Format3): unknown {
  const fresh = newDocument('', { clip: '', start: 0, end: 1, fps: 24, cyclic: false });
  return { ...old, format: 4, plot: { ...old.plot, maps: { density: null, length: null } }, plant: { ...fresh.plant, ...old.plant }, fill: { gloss: 1, ...old.fill }, sway: { ...old.sway, meshRoles: {}, roles: { ...fresh.sway.roles, ...old.sway.roles } } };
}

interface Format2 { sway: Record<string, unknown> & { profiles: object; skinPills: boolean; garments: 'shells' | 'pills' | 'off' } }

/** Format 2 had pills for the skin, one way for all garments, and no ties, loft, gusts, give or carrier. */
function fromFormat2(old: Format2): unknown {
  const { skinPills, garments, ...same } = old.sway, fresh = defaultSway();
  return {
    ...old, format: 3,
    sway: { ...fresh, gust: 0, shelter: 0, ...same, profiles: { ...fresh.profiles, ...same.profiles }, roles: { body: skinPills ? 'pills' : 'off', garment: garments === 'shells' ? 'shell' : garments, accessory: 'off' } },
  };
}

interface Format1 { sway: Record<string, number | boolean> }

/** Format 1 had one material, hold in three numbers, and a fixed number of substeps; the air did not count. */
function fromFormat1(old: Format1): unknown {
  const { diameterUm, holdRoot, holdTip, holdReach, garmentPills, skinPills, ...same } = old.sway as Record<string, number> & Format1['sway'];
  const fresh = defaultSway(), hold = Math.max(holdRoot, holdTip), share = (h: number): number => (hold > 0 ? h / hold : 0);
  const knots: [number, number][] = [[0, share(holdRoot)], [holdReach, share(holdTip)]];
  if (holdReach < 1) knots.push([1, share(holdTip)]);
  return {
    ...old, format: 2,
    sway: {
      ...fresh, ...same, thickness: Math.round((diameterUm * 1e-6) / MATERIALS['scalp hair'].diameter * 1e4) / 1e4, hold,
      profiles: { ...fresh.profiles, hold: knots }, lock: 1, airDrag: 0, bendDamping: 0, chooseSubsteps: false, skinPills, garments: garmentPills ? 'pills' : 'off',
    },
  };
}
