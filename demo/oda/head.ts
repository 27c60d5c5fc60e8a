/**
 * Oda's head as a distance field. Frame: millimetres from the middle of the eye line; +X her left, +Y up, +Z forward. Every
 * part is given for her left side; the field is even in x.
 */
import { clamp, mix, smoothStep } from '../../src/core/math/vec';
import { smoothNormals } from '../shape/cloth';
import { capsule, chain, curve, ellipsoid, flatCapsule, smoothMax, smoothMin, spline, type Field } from '../shape/field';
import type { Mesh } from '../shape/extract';

const { abs, sqrt, min, max, hypot, atan2, asin, PI, sin, cos } = Math;
const DEG = PI / 180;

export const EYE = { x: 31.8, y: 0, z: 69.3, radius: 14 };

// skull and face
const cranium = ellipsoid(0, 33, -24, 74.5, 83, 80), forehead = ellipsoid(0, 38, 22, 63, 66, 68), occiput = ellipsoid(0, 8, -52, 54, 50, 48);
const maxilla = ellipsoid(0, -36, 44, 47, 50, 48), cheekbone = ellipsoid(44.5, -19, 49, 15, 12, 27, [0, 36, 0]);
const masseter = ellipsoid(36, -50, 12, 14, 30, 28), lateralOrbit = ellipsoid(50, -8, 30, 12, 24, 34);
const underEye = ellipsoid(30, -25, 65, 22, 14, 14), cheek = ellipsoid(32.5, -46, 62, 21, 27, 22);
const jaw = chain([[49, -36, -2, 10], [38.5, -62, 8, 10.5], [26.5, -90, 50, 11], [0, -103, 78, 11.5]], 4);
const jawFill = ellipsoid(0, -64, 36, 46, 44, 50), chin = ellipsoid(0, -100.5, 79.5, 15, 13.5, 14.5), underChin = ellipsoid(0, -88, 40, 37, 20, 42);
const browRidge = chain(spline([[6, 14, 86, 3.2], [18, 18.5, 85, 4.0], [32, 21.5, 77, 4.3], [43, 20.5, 64.5, 3.4], [52, 16, 46, 1]], 16), 0);
const glabella = ellipsoid(0, 17.5, 88, 14, 13, 9.6), socket = ellipsoid(31.5, 3, 95, 19.5, 13, 17.5, [0, 22, -4]);
// nose
const bridge = chain([[0, 10, 88.5, 5.6], [0, -5, 92.5, 4.6], [0, -20, 100.6, 4.8], [0, -31.5, 106.6, 6]], 3);
const noseSide = ellipsoid(0, -28.5, 95, 10.8, 15, 12), noseTip = ellipsoid(0, -34, 109.6, 6.8, 6.2, 6.4), wing = ellipsoid(9.6, -39, 99.5, 5, 5.6, 7.8, [0, -14, 0]);
const columella = capsule([0, -38, 109], [0, -41.5, 98], 3, 3.2), nostril = ellipsoid(5.8, -45.4, 103, 2.5, 3, 4.8, [18, -16, 0]);
const philtrum = capsule([0, -50, 103.4], [0, -60, 104.2], 1.8, 2.6);
// mouth: plan of the dental arch, height of the line between the lips, and the height and swell of each lip along it
const muzzle = ellipsoid(0, -66, 72.5, 28.5, 24, 26.5);
const archDepth = (x: number): number => 96.8 - 0.0225 * x * x;
const mouthLine = (x: number): number => -70.2 - 1.1 * Math.exp((-x * x) / 18) + 0.0034 * x * x;
const upperHeight = curve([[0, 4.3], [3.6, 5.6], [6, 5.5], [12, 3.9], [19, 1.8], [25, 0.25]]);
const lowerHeight = curve([[0, 6.4], [6, 6.6], [12, 5.4], [19, 2.6], [25, 0.25]]);
const upperSwell = curve([[0, 2.2], [4, 1.8], [7, 1.8], [14, 0.8], [20, -1], [25, -4]]);
const lowerSwell = curve([[0, 2.6], [7, 2.6], [13, 1.4], [20, -0.8], [25, -4]]);
const mouthCorner = ellipsoid(24.2, -68.4, 83.2, 3, 2, 3);

function lip(x: number, y: number, z: number, height: (a: number) => number, swell: (a: number) => number, up: 1 | -1): number {
  const a = min(abs(x), 25);
  const H = max(height(a), 0.3);
  const v = (y - mouthLine(a)) * up, w = z - archDepth(a);
  const rv = H * 0.62, rw = max(swell(a) + 5, 0.9);
  const qv = (v - H * 0.45) / rv, qw = (w + 5) / rw;
  const k0 = sqrt(qv * qv + qw * qw), k1 = sqrt((qv / rv) ** 2 + (qw / rw) ** 2) || 1e-6;
  const d = (k0 * (k0 - 1)) / k1;
  return hypot(max(d, 0), max(x - 25, 0)) + (k0 < 1 ? d : 0);
}
const upperLip: Field = (x, y, z) => lip(x, y, z, upperHeight, upperSwell, 1);
const lowerLip: Field = (x, y, z) => lip(x, y, z, lowerHeight, lowerSwell, -1);

// lids: the opening as elevations (degrees) of both lid edges over azimuth about the centre of the eye; the upper edge rests
// on the iris rather than above it, or she stares
const upperLid = curve([[-56, -5], [-46, 2], [-30, 11.5], [-8, 16.8], [14, 17.4], [32, 13.6], [46, 7.4], [56, 1.5]]);
const lowerLid = curve([[-56, -5], [-44, -9.5], [-25, -14.8], [0, -17.6], [22, -16.2], [40, -8.6], [56, 1.5]]);
function lidOpening(x: number, y: number, z: number): number {
  const dx = x - EYE.x, dy = y - EYE.y, dz = z - EYE.z;
  if (dz < 0) return 20;
  const r = hypot(dx, dy, dz) || 1e-6;
  const azimuth = atan2(dx, max(dz, 1e-3)) / DEG, elevation = asin(clamp(dy / r, -1, 1)) / DEG;
  const d = max(elevation - upperLid(azimuth), lowerLid(azimuth) - elevation, (abs(azimuth) - 57) * 0.7);
  return d * DEG * r * 0.9;
}
const lidBall: Field = (x, y, z) => hypot(x - EYE.x, y - EYE.y, z - EYE.z) - (EYE.radius + 2);
const lidFold = ellipsoid(32, 6, 69.8, 17, 9.5, 13, [0, 16, -3]);

// ear, in a frame of its own: u forward, v up, w out
const EAR = [71.5, -13, -9];
function toEar(x: number, y: number, z: number): [number, number, number] {
  x -= EAR[0]; y -= EAR[1]; z -= EAR[2];
  const c1 = cos(10 * DEG), s1 = sin(10 * DEG), c2 = cos(27 * DEG), s2 = sin(27 * DEG);
  const v = y * c1 - z * s1, u = z * c1 + y * s1;
  return [u * c2 - x * s2, v * cos(6 * DEG), x * c2 + u * s2];
}
const helix = chain(spline([[7, 2, -0.5, 2.2], [11, 11, 1.8, 2.6], [8, 23, 3.2, 2.9], [-4, 30, 4, 3.1], [-16, 25, 4.6, 3.2], [-20.5, 12, 5, 3.1], [-18.5, -2, 4.6, 2.9], [-12.5, -15, 3.2, 2.8], [-4, -24, 1.4, 3.4]], 30), 0);
const antihelix = chain(spline([[-4, 21, 1.4, 2.2], [-9.5, 12, 3.2, 2.8], [-11.5, 1, 3.8, 3], [-8, -10, 3, 2.9], [-1.5, -13.5, 2.2, 2.6]], 14), 0);
const antihelixFork = chain(spline([[3, 20, 0.6, 1.6], [-4, 16, 1.6, 2.2], [-9.5, 9, 3, 2.6]], 8), 0);
const earPlate = ellipsoid(-6, 4, 0.8, 16.5, 27, 3.6), lobe = ellipsoid(0, -24, 1.4, 8, 8.2, 3.4), concha = ellipsoid(1.5, -2.5, 4.2, 9.2, 10.5, 6.8);
const tragus = ellipsoid(10, -5, 0.8, 4.6, 6, 3.6), earRoot = ellipsoid(2, 0, -9, 12, 22, 9);
function ear(x: number, y: number, z: number): number {
  const [u, v, w] = toEar(x, y, z);
  const far = hypot(u + 4, v - 2, w) - 42;
  if (far > 6) return far;
  let d = smoothMin(earPlate(u, v, w), earRoot(u, v, w), 6);
  d = smoothMin(d, helix(u, v, w), 2.4);
  d = smoothMin(d, antihelix(u, v, w), 3);
  d = smoothMin(d, antihelixFork(u, v, w), 2.5);
  d = smoothMin(d, lobe(u, v, w), 5);
  d = smoothMax(d, -concha(u, v, w), 3);
  return smoothMin(d, tragus(u, v, w), 3);
}

// neck and shoulders
const neckColumn = flatCapsule([0, -45, -28], [0, -195, -44], 40, 43, [1, 0, 0], 1, 1.1), nape = ellipsoid(0, -52, -62, 34, 44, 28);
const neckCord = chain([[48, -42, -26, 6], [38.5, -90, -12, 6.5], [21, -160, 0, 6.5], [9, -197, 6, 5]], 4);
const trapezius = chain([[14, -60, -42, 12], [30, -150, -64, 22], [92, -196, -60, 22], [160, -212, -50, 22]], 18);
const chest = ellipsoid(0, -290, -40, 140, 120, 82), deltoid = ellipsoid(168, -250, -48, 40, 58, 44);
const clavicle = chain([[14, -205, 4, 7], [60, -204, 4, 6.5], [115, -201, -20, 6], [160, -200, -40, 7]], 6), throatNotch = ellipsoid(0, -205, 16, 9, 11, 12);

function skull(x: number, y: number, z: number): number {
  const xs = sqrt(x * x + 120);
  let d = smoothMin(cranium(x, y, z), forehead(x, y, z), 30);
  d = smoothMin(d, occiput(x, y, z), 26);
  d = smoothMax(d, 0.915 * xs + 0.4 * z - 79.5, 28); // plane of the temple
  let face = smoothMin(maxilla(x, y, z), jawFill(x, y, z), 22);
  face = smoothMin(face, jaw(x, y, z), 16);
  face = smoothMin(face, underChin(x, y, z), 16);
  face = smoothMin(face, cheekbone(x, y, z), 18);
  face = smoothMin(face, masseter(x, y, z), 20);
  face = smoothMin(face, lateralOrbit(x, y, z), 24);
  face = smoothMin(face, underEye(x, y, z), 20);
  face = smoothMin(face, cheek(x, y, z), 16);
  face = smoothMin(face, muzzle(x, y, z), 14);
  face = smoothMin(face, chin(x, y, z), 12);
  face = smoothMax(face, 0.8 * xs - 0.3 * y + 0.52 * z - 83.4, 12); // plane from cheekbone to chin
  d = smoothMin(d, face, 18);
  d = smoothMin(d, glabella(x, y, z), 12);
  d = smoothMin(d, browRidge(x, y, z), 15);
  return smoothMax(d, -socket(x, y, z), 14);
}

function nose(x: number, y: number, z: number): number {
  let n = smoothMin(bridge(x, y, z), noseSide(x, y, z), 9);
  n = smoothMin(n, noseTip(x, y, z), 6);
  n = smoothMin(n, columella(x, y, z), 6);
  return smoothMin(n, wing(x, y, z), 4.5);
}

function eyelids(d: number, x: number, y: number, z: number): number {
  const e = hypot(x - EYE.x, y - EYE.y, z - EYE.z);
  if (e >= 46) return d;
  d = smoothMin(d, smoothMin(lidBall(x, y, z), lidFold(x, y, z), 4), 5 + 7 * smoothStep(0, 1, (4 - y) / 26));
  d = smoothMax(d, -max(lidOpening(x, y, z), e - (EYE.radius + 8)), 1.2); // the almond, cut through everything
  return min(d, e - (EYE.radius - 1.2)); // a floor behind the eyeball, out of sight
}

function neck(x: number, y: number, z: number): number {
  let n = smoothMin(neckColumn(x, y, z), neckCord(x, y, z), 10);
  n = smoothMin(n, nape(x, y, z), 26);
  n = smoothMin(n, trapezius(x, y, z), 30);
  let b = smoothMin(chest(x, y, z), deltoid(x, y, z), 40);
  b = smoothMin(b, clavicle(x, y, z), 14);
  n = smoothMin(n, b, 30);
  return smoothMax(n, -throatNotch(x, y, z), 14);
}

export const head: Field = (xSigned, y, z) => {
  const x = abs(xSigned), d = bareHead(x, y, z);
  return y > -80 ? smoothMin(d, ear(x, y, z), 3.5) : d; // last: its early way out is no distance
};
/** All but the ears. */
export const bareHead: Field = (xSigned, y, z) => {
  const x = abs(xSigned);
  let d = 1e3;
  if (y > -210) {
    d = skull(x, y, z);
    d = smoothMin(d, nose(x, y, z), 8);
    d = smoothMax(d, -nostril(x, y, z), 2.4);
    d = smoothMax(d, -philtrum(x, y, z), 4);
    d = smoothMax(d, -mouthCorner(x, y, z), 6);
    d = smoothMin(d, smoothMax(smoothMin(upperLip(x, y, z), lowerLip(x, y, z), 1.3), x - 23.2, 4), 3.6);
    d = eyelids(d, x, y, z);
  }
  return y < 60 ? smoothMin(d, neck(x, y, z), 22) : d;
};

/** 0 outside the lips, 1 on them. */
export const lipShare = (x: number, y: number, z: number): number =>
  z < 60 ? 0 : 1 - smoothStep(-0.8, 1.1, min(upperLip(abs(x), y, z), lowerLip(abs(x), y, z)));
export const nostrilDepth: Field = (x, y, z) => nostril(abs(x), y, z);
export const mouthLineAt = (x: number): number => mouthLine(min(abs(x), 25));

/** mm over the eye line, by degrees from straight ahead. */
export const hairlineHeight = curve([[0, 71], [22, 72], [40, 63], [55, 50], [66, 34], [76, 2], [84, -8], [90, 6], [97, 22], [108, 6], [118, -24], [140, -52], [160, -66], [180, -70]]);
/** 0…1: where hair may grow. Height of the hairline by azimuth from the front about the axis z = −20. */
export function scalpShare(x: number, y: number, z: number): number {
  const azimuth = atan2(abs(x), z + 20) / DEG;
  return smoothStep(-5, 5, y - hairlineHeight(azimuth)) * smoothStep(0.6, 3.5, ear(abs(x), y, z));
}

/** Depth z of the face's surface seen from the front at (x, y). */
function faceDepth(x: number, y: number): number {
  let z = 130;
  for (let i = 0; i < 80; i++) {
    const d = head(x, y, z);
    if (d < 0.01) break;
    z -= d * 0.8;
  }
  return z;
}

const asMesh = (P: number[], T: number[]): Mesh => ({ positions: Float64Array.from(P), triangles: Uint32Array.from(T), normals: smoothNormals(P, T) });

/** A low ridge over the brow ridge, until brows are hair of their own. `side` 1 is her left. */
export function browMesh(side: 1 | -1): Mesh {
  const line = spline([[9, 21.6, 1.3], [16, 22.8, 2.2], [29, 24.9, 2.1], [41, 25, 1.5], [53, 20, 0.3]], 22);
  const across = 7, P: number[] = [], T: number[] = [];
  line.forEach(([x, y, w], i) => {
    const next = line[min(i + 1, line.length - 1)], before = line[max(i - 1, 0)];
    const l = hypot(next[0] - before[0], next[1] - before[1]);
    const tx = (next[0] - before[0]) / l, ty = (next[1] - before[1]) / l;
    for (let j = 0; j < across; j++) {
      const v = (j / (across - 1)) * 2 - 1, W = w * (i === 0 ? 0.5 : 1);
      const X = x - ty * v * W, Y = y + tx * v * W, height = 1.3 * (1 - v * v) - 0.35, e = 0.8;
      const gx = (faceDepth(X + e, Y) - faceDepth(X - e, Y)) / (2 * e), gy = (faceDepth(X, Y + e) - faceDepth(X, Y - e)) / (2 * e);
      const L = hypot(gx, gy, 1);
      P.push(side * (X - (gx / L) * height), Y - (gy / L) * height, faceDepth(X, Y) + height / L);
    }
  });
  for (let i = 0; i < line.length - 1; i++) for (let j = 0; j < across - 1; j++) {
    const a = i * across + j, b = a + 1, c = a + across, d = c + 1;
    if (side > 0) T.push(a, c, d, a, d, b);
    else T.push(a, d, c, a, b, d);
  }
  return asMesh(P, T);
}

export function lashMesh(side: 1 | -1): Mesh {
  const n = 26, P: number[] = [], T: number[] = [];
  for (let i = 0; i <= n; i++) {
    const t = i / n, azimuth = mix(-44, 55, t), el = upperLid(azimuth), A = azimuth * DEG;
    const at = (r: number, e: number): number[] => [side * (EYE.x + r * cos(e * DEG) * sin(A)), EYE.y + r * sin(e * DEG), EYE.z + r * cos(e * DEG) * cos(A)];
    const w = (0.35 + 0.65 * smoothStep(0, 0.75, t)) * (1 - smoothStep(0.96, 1, t) * 0.8), R = EYE.radius;
    P.push(...at(R + 0.6, el + 0.6), ...at(R + 2.3, el - 0.6), ...at(R + 2.2 + 2.2 * w, el + 0.2 + 2.2 * w), ...at(R + 2.1, el + 1));
  }
  for (let i = 0; i < n; i++) for (let j = 0; j < 4; j++) {
    const a = i * 4 + j, b = i * 4 + ((j + 1) % 4), c = a + 4, d = b + 4;
    if (side > 0) T.push(a, d, b, a, c, d);
    else T.push(a, b, d, a, d, c);
  }
  return asMesh(P, T);
}
