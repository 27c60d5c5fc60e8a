/** Bramble's shape: a moor pony as a distance field, its colours, and where its hair grows. Millimetres, floor at y = 0, +Z ahead. */
import { clamp, mix, smoothStep } from '../../src/core/math/vec';
import { linear } from '../shape/glb';
import { capsule, chain, ellipsoid, flatCapsule, smoothMax, smoothMin, spline, type Field, type Point } from '../shape/field';

const { abs, max, min, hypot, sin, PI } = Math;
const ACROSS: Point = [1, 0, 0];

// trunk
const barrel = ellipsoid(0, 975, -40, 262, 285, 470, [2, 0, 0]), ribs = ellipsoid(0, 1010, 190, 232, 285, 330, [-4, 0, 0]), belly = ellipsoid(0, 905, -60, 238, 215, 400, [3, 0, 0]);
const croup = ellipsoid(0, 1085, -430, 232, 200, 260, [8, 0, 0]), withers = ellipsoid(0, 1196, 285, 56, 92, 190, [8, 0, 0]), loin = ellipsoid(0, 1140, -170, 190, 120, 260);
const hip = ellipsoid(112, 1030, -440, 118, 190, 200, [10, 0, 6]), buttock = ellipsoid(108, 950, -540, 92, 200, 112, [-8, 0, 0]), tuber = ellipsoid(150, 1150, -360, 46, 44, 62);
const chest = ellipsoid(0, 925, 470, 165, 185, 160), shoulder = ellipsoid(134, 990, 400, 86, 225, 126, [26, 0, 0]), blade = capsule([88, 1200, 345], [170, 960, 490], 30, 30), shoulderPoint = ellipsoid(116, 935, 500, 70, 85, 75), breast = ellipsoid(62, 900, 515, 75, 95, 70);
const flank = ellipsoid(278, 985, -262, 52, 115, 66, [14, 0, 0]), groove = capsule([128, 1310, 672], [128, 1060, 560], 18, 4), cleft = capsule([0, 1010, 690], [0, 850, 640], 22, 26), elbowHollow = ellipsoid(236, 830, 290, 44, 90, 56, [10, 0, 0]);
// neck
const neckLow = flatCapsule([0, 1075, 400], [0, 1290, 600], 225, 165, ACROSS, 0.62, 0.56), neckHigh = flatCapsule([0, 1290, 600], [0, 1450, 715], 165, 118, ACROSS, 0.56, 0.62);
const crest = chain(spline([[0, 1228, 250, 42], [0, 1378, 425, 52], [0, 1508, 565, 48], [0, 1562, 655, 40], [0, 1548, 712, 34]], 18)), throat = flatCapsule([0, 1330, 705], [0, 1180, 610], 70, 90, ACROSS, 0.62, 0.7);

// head: u runs along the face from the poll, v toward the forehead
const POLL = [0, 1500, 735], MUZZLE = [0, 1185, 1035], FACE = hypot(MUZZLE[1] - POLL[1], MUZZLE[2] - POLL[2]);
const along = [0, (MUZZLE[1] - POLL[1]) / FACE, (MUZZLE[2] - POLL[2]) / FACE], front = [0, along[2], -along[1]];
/** The head was modelled to a smaller scale than the body. */
const HEAD_SCALE = 1.17;
const onHead = (u: number, v: number, x = 0): [number, number, number] => [x, POLL[1] + along[1] * u + front[1] * v, POLL[2] + along[2] * u + front[2] * v];
const toHead = (x: number, y: number, z: number): [number, number, number] => [x / HEAD_SCALE, POLL[1] + (y - POLL[1]) / HEAD_SCALE, POLL[2] + (z - POLL[2]) / HEAD_SCALE];
export const fromHead = (p: Point): [number, number, number] => [p[0] * HEAD_SCALE, POLL[1] + (p[1] - POLL[1]) * HEAD_SCALE, POLL[2] + (p[2] - POLL[2]) * HEAD_SCALE];
/** Places of the head for the skeleton, world. */
export const headPlace = (u: number, v: number, x = 0): [number, number, number] => fromHead(onHead(u, v, x));
/** How far along the face and toward the forehead a world place lies. */
export function faceShare(x: number, y: number, z: number): { u: number; v: number } {
  const [, hy, hz] = toHead(x, y, z);
  return { u: (hy - POLL[1]) * along[1] + (hz - POLL[2]) * along[2], v: (hy - POLL[1]) * front[1] + (hz - POLL[2]) * front[2] };
}
const lump = (u: number, v: number, x: number, ru: number, rv: number, rx: number, tilt = 0): Field => { const c = onHead(u, v, x); return ellipsoid(c[0], c[1], c[2], rx, rv, ru, [(Math.atan2(along[1], along[2]) * -180) / PI + tilt, 0, 0]); };
const skull = lump(85, -2, 0, 125, 88, 84), forehead = lump(105, 40, 0, 110, 48, 72), jowl = lump(112, -64, 56, 96, 84, 32), cheek = lump(110, -40, 0, 120, 100, 68);
const middle = chain([[...onHead(150, 4), 74], [...onHead(270, 6), 54], [...onHead(345, 4), 52]], 8), bridge = chain([[...onHead(150, 50), 34], [...onHead(270, 36), 30], [...onHead(352, 24), 30]], 6);
const muzzle = lump(388, -2, 0, 58, 62, 56), upperLip = lump(418, 8, 0, 34, 40, 46), lowerLip = lump(392, -48, 0, 44, 24, 36), chin = lump(372, -56, 0, 30, 22, 28), jawbone = chain([[...onHead(170, -92, 34), 26], [...onHead(290, -58, 24), 24], [...onHead(370, -46, 14), 22]], 6);
const cheekbone = chain([[...onHead(92, 30, 84), 15], [...onHead(165, 8, 79), 12], [...onHead(255, -2, 50), 7]], 4);
const nostril = lump(410, 14, 45, 20, 11, 13, -35), nostrilRim = lump(406, 14, 40, 30, 20, 17, -35), mouth = flatCapsule(onHead(436, -24), onHead(362, -33), 5, 3.4, ACROSS, 16, 16);
export const EYE = { centre: onHead(112, 30, 75), radius: 26 };
const orbit = lump(108, 42, 74, 34, 22, 22, 8), brow = lump(110, 46, 76, 31, 12, 17, 6), eyeDistance: Field = (x, y, z) => hypot(x - EYE.centre[0], y - EYE.centre[1], z - EYE.centre[2]);
/** Negative between the lids. */
const lids: Field = (x, y, z) => {
  const dx = x - EYE.centre[0], dy = y - EYE.centre[1], dz = z - EYE.centre[2], u = dz * along[2] + dy * along[1], v = dz * front[2] + dy * front[1], s = u / 27;
  return max(v - (16 * (1 - s * s) - 1.5 * s), -(v + 12.5 * (1 - s * s) - 1.5 * s), -dx - 2) * 0.8;
};
const EAR_ROOT = onHead(-2, 42, 46), EAR_TIP = [68, EAR_ROOT[1] + 140, EAR_ROOT[2] + 22], EAR_LENGTH = 142, earAxis = (() => { const v = [0, 1, 2].map((c) => EAR_TIP[c] - EAR_ROOT[c]), l = hypot(...v); return v.map((a) => a / l); })();
export const EAR = { root: fromHead(EAR_ROOT), tip: fromHead(EAR_TIP) };
/** A hollow leaf, open to the front and outside. */
const ear: Field = (x, y, z) => {
  const px = x - EAR_ROOT[0], py = y - EAR_ROOT[1], pz = z - EAR_ROOT[2], h = clamp((px * earAxis[0] + py * earAxis[1] + pz * earAxis[2]) / EAR_LENGTH), r = 30 * sin(PI * mix(0.16, 1, h) ** 0.72) * 0.98 + 1.5;
  const ax = px - earAxis[0] * h * EAR_LENGTH, ay = py - earAxis[1] * h * EAR_LENGTH, az = pz - earAxis[2] * h * EAR_LENGTH, open = [0.35, 0.05, 0.93];
  const cup = hypot(ax - open[0] * r * 0.58, ay - open[1] * r * 0.58, az - open[2] * r * 0.58) - r * 0.74;
  return smoothMax(hypot(ax, ay, az) - r, -max(cup, (0.14 - h) * 120), 8) * 0.85;
};
export function earShare(x: number, y: number, z: number): { inside: boolean; along: number } {
  const [hx, hy, hz] = toHead(abs(x), y, z);
  return { inside: ear(hx, hy, hz) < 6, along: (hx - EAR_ROOT[0]) * earAxis[0] + (hy - EAR_ROOT[1]) * earAxis[1] + (hz - EAR_ROOT[2]) * earAxis[2] };
}

// legs
const foreArm = ellipsoid(142, 712, 418, 46, 125, 50, [-6, 0, 6]), fore = chain([[130, 790, 386, 100], [126, 660, 388, 78], [122, 540, 396, 52], [121, 470, 400, 45]], 20), knee = ellipsoid(121, 430, 404, 45, 60, 47), foreCannon = chain([[121, 385, 397, 36], [120, 300, 392, 30], [120, 215, 392, 32]], 8), foreFetlock = ellipsoid(120, 180, 392, 38, 40, 40), forePastern = chain([[120, 175, 395, 33], [120, 105, 430, 36]], 4), foreErgot = ellipsoid(120, 168, 366, 22, 26, 20);
const gaskin = chain([[140, 890, -380, 140], [135, 750, -425, 100], [127, 605, -525, 58]], 26), stifle = ellipsoid(148, 800, -300, 70, 95, 80), hock = chain([[125, 560, -560, 36], [124, 515, -548, 45], [124, 470, -540, 41]], 12), hockPoint = capsule([125, 600, -590], [125, 545, -592], 22, 27), tendon = capsule([128, 720, -520], [125, 590, -592], 24, 18), hindCannon = chain([[124, 450, -536, 38], [123, 320, -526, 32], [122, 220, -520, 34]], 8), hindFetlock = ellipsoid(122, 182, -518, 40, 42, 42), hindPastern = chain([[122, 176, -515, 34], [122, 106, -478, 37]], 4), hindErgot = ellipsoid(122, 170, -546, 23, 26, 20);
const hoof = (cx: number, cz: number): Field => (x, y, z) => {
  const t = clamp(1 - y / 95), zc = cz + 22 * t, d = (hypot(x - cx, (z - zc) * 0.94) - 47 - 21 * t) * 0.92;
  return smoothMax(smoothMax(d, y - 92 + 0.28 * (z - zc), 6), -y + 0.5, 3);
};
const foreHoof = hoof(120, 430), hindHoof = hoof(122, -478), foreFeather = ellipsoid(120, 150, 372, 44, 60, 34, [14, 0, 0]), hindFeather = ellipsoid(122, 152, -545, 46, 60, 34, [14, 0, 0]);
const dock = chain(spline([[0, 1165, -620, 58], [0, 1125, -698, 46], [0, 1045, -738, 36], [0, 950, -748, 28], [0, 870, -742, 18]], 14));

const blend = (first: number, ...rest: [number, number][]): number => rest.reduce((d, [e, k]) => smoothMin(d, e, k), first);

/** Trunk and neck, without head and legs: what the girth lies on. */
export const trunk: Field = (x, y, z) => {
  x = abs(x);
  let d = blend(barrel(x, y, z), [ribs(x, y, z), 120], [belly(x, y, z), 90], [croup(x, y, z), 130], [loin(x, y, z), 90], [withers(x, y, z), 90], [hip(x, y, z), 60], [buttock(x, y, z), 70], [chest(x, y, z), 90], [shoulder(x, y, z), 52], [blade(x, y, z), 80], [shoulderPoint(x, y, z), 56], [breast(x, y, z), 50]);
  const neck = blend(neckLow(x, y, z), [neckHigh(x, y, z), 40], [crest(x, y, z), 48], [throat(x, y, z), 40]);
  d = smoothMin(d, neck, 85);
  for (const [hollow, k] of [[flank, 84], [groove, 44], [cleft, 34], [elbowHollow, 72]] as const) d = smoothMax(d, -hollow(x, y, z), k);
  return smoothMin(d, tuber(x, y, z), 40);
};
/** The trunk with its thighs, which a blanket hangs over. */
export const seat: Field = (x, y, z) => smoothMin(trunk(x, y, z), smoothMin(gaskin(abs(x), y, z), stifle(abs(x), y, z), 50), 64);
function headAt(wx: number, wy: number, wz: number): number {
  const [x, y, z] = toHead(wx, wy, wz);
  let h = blend(skull(x, y, z), [forehead(x, y, z), 30], [cheek(x, y, z), 30], [jowl(x, y, z), 17], [middle(x, y, z), 40], [bridge(x, y, z), 26], [muzzle(x, y, z), 34], [upperLip(x, y, z), 22], [lowerLip(x, y, z), 16], [chin(x, y, z), 14], [jawbone(x, y, z), 26], [cheekbone(x, y, z), 15], [nostrilRim(x, y, z), 18]);
  h = smoothMax(smoothMax(h, -nostril(x, y, z), 7), -mouth(x, y, z), 4);
  const e = eyeDistance(x, y, z);
  if (e < 110) {
    h = smoothMin(smoothMax(h, -orbit(x, y, z), 14), smoothMin(brow(x, y, z), e - 29.5, 8), 10);
    h = min(smoothMax(h, -max(lids(x, y, z), e - 36), 3), e - 22.5);
  }
  return smoothMin(h, ear(x, y, z), 22) * HEAD_SCALE;
}
export const body: Field = (x, y, z) => {
  x = abs(x);
  let d = trunk(x, y, z);
  if (z > 520 && y > 1050) d = smoothMin(d, headAt(x, y, z), 30);
  if (y < 1180) {
    const f = blend(fore(x, y, z), [knee(x, y, z), 30], [foreArm(x, y, z), 40], [foreCannon(x, y, z), 26], [foreFetlock(x, y, z), 18], [foreErgot(x, y, z), 16], [forePastern(x, y, z), 14], [foreFeather(x, y, z), 18], [foreHoof(x, y, z), 7]);
    const g = blend(gaskin(x, y, z), [stifle(x, y, z), 50], [hock(x, y, z), 30], [tendon(x, y, z), 26], [hockPoint(x, y, z), 20], [hindCannon(x, y, z), 24], [hindFetlock(x, y, z), 18], [hindErgot(x, y, z), 16], [hindPastern(x, y, z), 14], [hindFeather(x, y, z), 18], [hindHoof(x, y, z), 7]);
    d = smoothMin(smoothMin(d, f, 70), g, 64);
  }
  return smoothMin(d, dock(x, y, z), 44);
};

const BAY = linear('#573623'), DARK = linear('#241a16'), MEALY = linear('#8f6d50'), HORN = linear('#4a4038');
const toward = (a: number[], b: number[], t: number): number[] => a.map((v, i) => mix(v, b[i], t));

/** Bay with dark points and a mealy muzzle. `normalY`: how far the skin faces up; `openness` 0 … 1. */
export function coatColour(wx: number, y: number, z: number, normalY: number, openness: number): number[] {
  const x = abs(wx), [hx, hy, hz] = toHead(x, y, z), { u } = faceShare(x, y, z);
  let c = toward(BAY, DARK, 0.92 * (1 - smoothStep(330, 540, y)));
  c = toward(c, MEALY, 0.55 * (1 - smoothStep(-0.9, -0.15, normalY)) * smoothStep(560, 760, y));
  if (z > 560 && y > 1000) {
    c = toward(c, MEALY, smoothStep(330, 375, u) * (1 - 0.75 * smoothStep(400, 425, u)));
    c = toward(c, DARK, 0.6 * smoothStep(412, 440, u));
    const e = eyeDistance(hx, hy, hz);
    c = e < 30.2 ? toward(c, DARK, 0.8) : toward(c, MEALY, 0.22 * (1 - smoothStep(30, 46, e)));
    c = c.map((v) => v * (1 - 0.75 * (1 - smoothStep(-2, 5, nostril(hx, hy, hz)))) * (1 - 0.6 * (1 - smoothStep(-1, 2.5, mouth(hx, hy, hz)))));
    if (ear(hx, hy, hz) < 3) c = toward(c, DARK, 0.6 * smoothStep(EAR_ROOT[1] + 80, EAR_ROOT[1] + 125, hy));
  }
  if (y < 96 && min(foreHoof(x, y, z), hindHoof(x, y, z)) < 4) c = HORN;
  return c.map((v) => clamp(v * (0.42 + 0.58 * openness)));
}

/** 0 … 1: where the file says that hair may grow: mane, forelock, tail and feathers. */
export function hairShare(wx: number, y: number, z: number, normal: ArrayLike<number>): number {
  const x = abs(wx), { u } = faceShare(x, y, z);
  let k = 0;
  if (normal[1] > 0.05 && z > 270 && z < 742 && y > 1270) k = 1 - smoothStep(13, 24, x);
  if (z >= 700 && y > 1480 && normal[1] + normal[2] > 0) k = max(k, (1 - smoothStep(16, 30, x)) * (1 - smoothStep(20, 48, u)));
  if (z < -640) k = max(k, (1 - smoothStep(3, 10, dock(x, y, z))) * (1 - smoothStep(-690, -655, z)) * (1 - smoothStep(1110, 1150, y)));
  for (const [feather, behind] of [[foreFeather, 388], [hindFeather, -528]] as const) if (y < 230 && z < behind) k = max(k, 0.8 * (1 - smoothStep(2, 9, feather(x, y, z))));
  return k;
}
