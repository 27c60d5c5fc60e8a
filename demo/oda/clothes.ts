/** Oda's oilskin coat, collar, scarf, belt, trousers, boots and hands. Frame: millimetres from the floor, her axis at x = 0. */
import { mix, smoothStep } from '../../src/core/math/vec';
import { loft, thicken } from '../shape/cloth';
import { evenLines, extract, type Mesh } from '../shape/extract';
import { capsule, chain, curve, ellipsoid, flatCapsule, smoothMax, smoothMin, type Field } from '../shape/field';

const { abs, min, max, hypot, sin, cos, PI, sqrt, atan2, exp, pow, sign } = Math;

export const SHOULDER = [150, 1350, -46], ELBOW = [262, 1136, -58], WRIST = [338, 918, -28];

// half width, half depth and centre of the torso's section by height
const halfWidth = curve([[400, 252], [560, 238], [700, 222], [920, 188], [1000, 163], [1090, 140], [1200, 162], [1300, 174], [1400, 168], [1480, 150]]);
const halfDepth = curve([[400, 205], [560, 190], [700, 170], [920, 134], [1000, 118], [1090, 104], [1200, 114], [1300, 113], [1400, 92], [1480, 70]]);
const centreZ = curve([[400, -34], [700, -32], [920, -36], [1090, -30], [1200, -28], [1300, -32], [1400, -42], [1480, -48]]);

const torso: Field = (x, y, z) => {
  const a0 = halfWidth(y), b0 = halfDepth(y), dz = z - centreZ(y);
  const angle = atan2(x / a0, dz / b0), folds = smoothStep(1060, 430, y);
  const f = 1 + folds * (0.062 * cos(9 * angle + 0.6 + 0.5 * sin(2 * angle)) + 0.04 * cos(5 * angle - 0.9) + 0.015 * cos(15 * angle)) * (1.025 - 0.225 * cos(angle));
  const a = a0 * f, b = b0 * f, u = abs(x) / a, w = abs(dz) / b, n = 2.25;
  const k0 = pow(pow(u, n) + pow(w, n), 1 / n) || 1e-6;
  const k1 = hypot(pow(u / k0, n - 1) / a, pow(w / k0, n - 1) / b) || 1e-6;
  return ((k0 - 1) / k1) * 0.92;
};
/** The torso cut off by the slope of the shoulders. */
const shoulderedTorso: Field = (x, y, z) => smoothMax(torso(x, y, z), 0.955 * (y - 1450) + 0.3 * sqrt(x * x + 400) + 0.06 * abs(z + 45), 42);
const sleeve = chain([[...SHOULDER, 54], [208, 1250, -52, 52], [...ELBOW, 47], [...WRIST, 45]], 0), shoulderPad = ellipsoid(120, 1374, -46, 70, 34, 56);
const wrinkle = (x: number, y: number, z: number): number => 1.6 * sin((y - 1136) * 0.11 + x * 0.03 + z * 0.05) * exp(-(((y - 1136) / 70) ** 2));

const coatField: Field = (x, y, z) => {
  const side = abs(x);
  const arm = smoothMin(sleeve(side, y, z), shoulderPad(side, y, z), 30) - wrinkle(side, y, z);
  const d = smoothMin(shoulderedTorso(x, y, z), arm, 34);
  return d - 1.8 * sin(0.09 * y + 0.05 * side + 0.03 * z) * exp(-(((y - 1120) / 55) ** 2)) * exp(-(((side - 110) / 60) ** 2));
};

const forearm = (() => {
  const v = [0, 1, 2].map((i) => WRIST[i] - ELBOW[i]);
  const l = hypot(v[0], v[1], v[2]);
  return v.map((q) => q / l);
})();
/** Hem, cuffs, neck hole and front vent. */
const coatKept: Field = (x, y, z) => {
  const side = abs(x);
  let g = y - (432 + 6 * sin(3 * atan2(x, z)));
  if (side > 205 && y < 1120 && sleeve(side, y, z) < torso(x, y, z))
    g = 4 - ((side - WRIST[0]) * forearm[0] + (y - WRIST[1]) * forearm[1] + (z - WRIST[2]) * forearm[2]);
  if (y > 1370) g = min(g, (hypot(x / 78, (z + 46) / 74) - 1) * 75);
  if (y < 1010 && z > 0) g = min(g, abs(x - 8) - (4 + 34 * smoothStep(1010, 430, y)) * smoothStep(1010, 940, y));
  return g;
};

/** Walks from outside on to a field along +z → −z at (x, y). */
function frontOf(f: Field, x: number, y: number, from = 300, until = -200): number {
  let z = from;
  for (let i = 0; i < 200; i++) {
    const d = f(x, y, z);
    if (d < 0.05 || z < until) break;
    z -= d * 0.8;
  }
  return z;
}

export async function coatMesh(step: number): Promise<{ mesh: Mesh; outerCount: number; field: Field }> {
  const sheet = await extract(coatField, evenLines(-410, 410, step), evenLines(395, 1470, step), evenLines(-270, 240, step), 7700, 1.5, { eps: 1.5, keep: coatKept, normalWeight: 1, lip: 1.8 });
  return { mesh: thicken(sheet, 5.5), outerCount: sheet.positions.length / 3, field: coatField };
}

/** The flap over the coat's fastening. */
export function placketMesh(): Mesh {
  const section = [[-52, -3], [-52, 3.5], [-50, 6.2], [-30, 6.5], [0, 6], [26, 5], [46, 2], [50, -3], [0, -3]];
  const rings: number[][][] = [];
  for (let i = 0; i <= 60; i++) {
    const y = mix(1398, 446, i / 60), shift = -6 - 22 * smoothStep(1010, 430, y);
    const width = y < 1010 ? mix(1, 0.62, smoothStep(1010, 800, y)) : mix(1, 0.5, smoothStep(1325, 1400, y));
    rings.push(section.map(([px, h]) => {
      const x = px * width + shift;
      return [x, y, frontOf(shoulderedTorso, x, y) + h];
    }).reverse());
  }
  return loft(rings);
}

export function buttonMesh(row: number, x: number): Mesh {
  const y = 1330 - row * 72, cx = x - 4, z = frontOf(shoulderedTorso, cx, y) + 6.5;
  const tilt = -(frontOf(shoulderedTorso, cx + 6, y) - frontOf(shoulderedTorso, cx - 6, y)) / 12;
  const profile = [[0.1, 4.2], [5, 3.6], [8.5, 4.4], [10, 3.2], [10, -1], [0.1, -1]];
  const rings = profile.map(([r, h]) => Array.from({ length: 18 }, (_, k) => {
    const a = (k / 18) * 2 * PI;
    return [cx + r * cos(a) + tilt * h, y + r * sin(a), z + h - tilt * r * cos(a)];
  }));
  return loft(rings.reverse(), { capEnds: false });
}

export function beltMesh(): Mesh {
  const rings: number[][][] = [];
  for (let i = 0; i < 84; i++) {
    const angle = (i / 84) * 2 * PI;
    rings.push([[-21, -3], [-22, 5], [-18, 8.2], [0, 8.8], [18, 8.2], [22, 5], [21, -3]].map(([dy, out]) => {
      const y = 1086 + dy - 4 * cos(angle);
      let r = 330;
      for (let k = 0; k < 160; k++) {
        const d = shoulderedTorso(r * sin(angle), y, -30 + r * cos(angle));
        if (d < 0.05) break;
        r -= d * 0.8;
      }
      return [(r + out) * sin(angle), y, -30 + (r + out) * cos(angle)];
    }));
  }
  return loft(rings, { cyclic: true });
}

export function buckleMesh(): Mesh {
  const z = frontOf(shoulderedTorso, 0, 1082) + 9;
  const round = (v: number): number => sign(v) * pow(abs(v), 0.45);
  return loft(Array.from({ length: 32 }, (_, i) => {
    const a = (i / 32) * 2 * PI, cx = 20 * round(cos(a)) - 8, cy = 27 * round(sin(a)) + 1082;
    return Array.from({ length: 8 }, (_, k) => {
      const b = (k / 8) * 2 * PI;
      return [cx + 3.4 * cos(b) * cos(a), cy + 3.4 * cos(b) * sin(a), z + 3.4 * sin(b)];
    });
  }), { cyclic: true });
}

/** Stand-up collar: a closed section swept round the neck, open and flaring in front. */
export function collarMesh(): Mesh {
  const heights = [0, 0.15, 0.3, 0.45, 0.6, 0.75, 0.87, 0.95, 1], n = 52;
  const at = (u: number, v: number, out: number): number[] => {
    const gap = (mix(9, 25, v) * PI) / 180, angle = mix(gap, 2 * PI - gap, u), back = 0.5 - 0.5 * cos(angle);
    const height = mix(74, 92, back) * (0.92 + 0.05 * sin(2 * angle + 1));
    const r = mix(82, 95, pow(v, 1.2)) + 9 * pow(v, 5) + 2.2 * sin(5 * angle + 2 * v) * v + out;
    return [r * sin(angle), mix(1380, 1418, back) + height * v - 2.5 * pow(v, 5), -46 + (r - 0.03 * (r - out)) * cos(angle) + 10 * v * (1 - back)];
  };
  const rings: number[][][] = [];
  for (let i = 0; i <= n; i++) {
    const u = i / n;
    rings.push([...heights.map((v) => at(u, v, 3.2)), at(u, 1.03, 1.6), at(u, 1.035, -1.6), ...[...heights].reverse().map((v) => at(u, v, -3.2))].reverse());
  }
  return loft(rings);
}

export async function scarfMeshes(): Promise<{ wrap: Mesh; tails: Mesh[]; knot: Mesh }> {
  const rings: number[][][] = [];
  for (let i = 0; i <= 100; i++) {
    const u = i / 100, angle = mix(-0.35, 2 * PI * 1.35, u), back = 0.5 - 0.5 * cos(angle);
    const cy = mix(1412, 1446, back) + mix(-10, 16, u), radius = mix(72, 65, back) + 5 * u;
    const height = 28 + 4 * sin(angle * 2), thick = 13 + 2.5 * sin(angle * 3 + 1);
    rings.push(Array.from({ length: 20 }, (_, k) => {
      const a = (k / 20) * 2 * PI, y = height * sin(a);
      const r = thick * cos(a) * (1 + 0.16 * cos(6 * a + angle * 1.3) + 0.07 * cos(11 * a - angle * 2)) + (sin(a) > 0 ? -0.12 * y : 0.05 * y);
      return [(radius + r) * sin(angle), cy + y, -44 + (radius * 0.96 + r) * cos(angle)];
    }).reverse());
  }
  const tail = (x0: number, yEnd: number, tilt: number, off: number): Mesh => {
    const front = (x: number, y: number): number => frontOf(shoulderedTorso, x, y, 260, -100);
    const out: number[][][] = [];
    for (let i = 0; i <= 32; i++) {
      const u = i / 32, y = mix(1424, yEnd, u), x = x0 + tilt * u + 3 * sin(u * 7), w = mix(9, 42, smoothStep(0, 0.45, u));
      const zTop = max(front(x, min(y, 1385)) + off, 0) - max(y - 1385, 0) * 0.9, thick = mix(13, 5.5, smoothStep(0, 0.5, u));
      out.push(Array.from({ length: 20 }, (_, k) => {
        const a = (k / 20) * 2 * PI, px = w * sign(cos(a)) * pow(abs(cos(a)), 0.8);
        const fold = mix(6, 3.4, u) * cos((px / w) * 7.5 + u * 1.5);
        return [x + px, y + 2.2 * sin(px * 0.2) * u, (y < 1385 ? front(x + px, y) + off : zTop) + fold + thick * sin(a)];
      }).reverse());
    }
    return loft(out);
  };
  const knotCore = ellipsoid(6, 1416, 48, 33, 29, 30);
  const knotField: Field = (x, y, z) => knotCore(x, y, z) - 2.2 * sin(x * 0.33 + y * 0.12) - 1.2 * sin(y * 0.3 + z * 0.2);
  const knot = await extract(knotField, evenLines(-44, 58, 3), evenLines(1378, 1462, 3), evenLines(8, 86, 3), 1000, 0.9, { eps: 0.5 });
  return { wrap: loft(rings), tails: [tail(24, 1150, 10, 19), tail(-12, 1215, -16, 14)], knot };
}

const legs = chain([[88, 900, -34, 84], [84, 690, -24, 74], [82, 480, -18, 56], [82, 300, -32, 43]], 10);
export const trousersMesh = (step: number): Promise<Mesh> =>
  extract((x, y, z) => legs(abs(x), y, z) - 1.5 * sin(y * 0.06) * exp(-(((y - 480) / 60) ** 2)), evenLines(-200, 200, step), evenLines(290, 640, step), evenLines(-140, 100, step), 1500, 2,
    { eps: 1.5, keep: (_x, y) => min(y - 300, 620 - y) });

const bootShaft = chain([[82, 372, -30, 57], [82, 260, -38, 53], [82, 95, -48, 40]], 8), foot = flatCapsule([84, 44, -52], [90, 34, 112], 42, 35, [1, 0, 0], 0.92, 1.15);
const bootsField: Field = (xSigned, y, z) => {
  const x = abs(xSigned);
  let d = smoothMax(smoothMin(bootShaft(x, y, z), foot(x, y, z), 26), 1 - y, 6);
  d = min(d, smoothMax(foot(x, min(y, 44), z) - 5, abs(y - 9) - 9, 4)); // sole
  d = smoothMin(d, smoothMax(hypot(x - 82, z + 30) - 61, abs(y - 368) - 9, 6), 3); // turned-over top
  // creases over the instep
  d -= 1.6 * sin((y - 95) * 0.22 + z * 0.1) * exp(-(((y - 100) / 34) ** 2)) * smoothStep(-60, -10, z);
  return smoothMax(d, y - 378, 4);
};
export const bootsMesh = (step: number): Promise<Mesh> =>
  extract(bootsField, evenLines(-170, 170, step), evenLines(-6, 392, step), evenLines(-120, 170, step), 3800, 1.2, { eps: 0.8 });

const HAND = [341, 908, -27];
const inHand = (x: number, y: number, z: number): number[] => [HAND[0] + x, HAND[1] + y, HAND[2] + z];
const palm = ellipsoid(HAND[0] + 14, HAND[1] - 52, HAND[2] + 6, 14, 48, 37, [0, 0, 8]), wrist = capsule(inHand(-16, 50, -6), inHand(8, -20, 2), 27, 24);
// per finger: place across the palm, length, radius; the knuckle is a little thicker than the bones beside it
const fingers = [[30, 72, 8.4], [10.5, 80, 8.6], [-9, 75, 8.3], [-27, 58, 7.4]].map(([z, l, r], i) => chain([
  [...inHand(20, -86, z * 0.92), r + 0.8], [...inHand(25 - i, -86 - l * 0.28, z + 2), r - 0.4], [...inHand(26 - i, -86 - l * 0.5, z + 4), r + 0.3],
  [...inHand(18 - i * 2, -86 - l * 0.82, z + 6), r - 0.7], [...inHand(8 - i * 2, -86 - l * 1.02, z + 6), r - 1.6]], 0));
const thumb = chain([[...inHand(8, -26, 26), 14], [...inHand(2, -56, 50), 11], [...inHand(-6, -84, 57), 9.3], [...inHand(-11, -102, 57), 7.4]], 0);
export const handField: Field = (xSigned, y, z) => {
  const x = abs(xSigned);
  let d = smoothMin(palm(x, y, z), wrist(x, y, z), 24), f = 1e9;
  for (const finger of fingers) f = smoothMin(f, finger(x, y, z), 3);
  d = smoothMin(d, f, 11);
  return smoothMin(d, thumb(x, y, z), 13);
};
export const handsMesh = (step: number): Promise<Mesh> =>
  extract(handField, Float64Array.of(...evenLines(-400, -290, step), ...evenLines(290, 400, step)), evenLines(720, 962, step), evenLines(-90, 70, step), 3600, 0.9, { eps: 0.4 });

