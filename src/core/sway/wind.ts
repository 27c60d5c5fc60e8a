/**
 * Velocity of the air: everywhere or from a fan, with gusts, less in the lee of what stands in it.
 *
 * Gusts are a sum of cosines with frequencies up to the quickest and random phases (the seed decides), carried along with the
 * wind (**source:** Taylor's hypothesis of frozen turbulence, 1938, *from memory*); their mean square is the wanted share of the
 * speed, squared. The lee of a pill reaches four of its radii behind it and fades toward its rim and its end: our own
 * simple law, no source.
 */
import type { SwaySettings } from '../document/schema';
import { makeRandom } from '../math/random';
import type { Vec3 } from '../math/vec';
import type { ContactFinder } from './contact';
import type { RodSystem } from './rod-system';

export type WindSettings = Pick<SwaySettings, 'windSpeed' | 'windTurn' | 'windRise' | 'gust' | 'gustHz' | 'gustSeed' | 'shelter' | 'windKind' | 'windReach' | 'windX' | 'windY' | 'windZ'>;

const WAVES = 12;
/** Slowest gust as a share of the quickest. */
const SLOWEST = 1 / 12;
/** How far the lee reaches, in radii. */
const LEE = 4;

/** Mean velocity of the air, m/s. */
export function windOf(settings: Pick<SwaySettings, 'windSpeed' | 'windTurn' | 'windRise'>): Vec3 {
  const turn = (settings.windTurn * Math.PI) / 180, rise = (settings.windRise * Math.PI) / 180, level = settings.windSpeed * Math.cos(rise);
  return [level * Math.sin(turn), settings.windSpeed * Math.sin(rise), level * Math.cos(turn)];
}

export class Wind {
  private readonly mean: Vec3;
  private readonly along: Vec3;
  private readonly across: [Vec3, Vec3];
  /** Angular frequencies, and phases for the three directions. */
  private readonly rates = new Float64Array(WAVES);
  private readonly phases = new Float64Array(3 * WAVES);
  private readonly swell = new Float64Array(3);
  readonly still: boolean;

  constructor(private readonly settings: WindSettings) {
    this.mean = windOf(settings);
    this.still = settings.windSpeed === 0;
    const speed = Math.hypot(...this.mean) || 1;
    this.along = this.mean.map((v) => v / speed) as Vec3;
    const [x, y, z] = this.along, side: Vec3 = Math.abs(y) < 0.9 ? [-z, 0, x] : [0, z, -y], l = Math.hypot(...side) || 1, u = side.map((v) => v / l) as Vec3;
    this.across = [u, [y * u[2] - z * u[1], z * u[0] - x * u[2], x * u[1] - y * u[0]]];
    const random = makeRandom(settings.gustSeed);
    for (let k = 0; k < WAVES; k++) {
      // evenly by their logarithm, each somewhere in its own part
      this.rates[k] = 2 * Math.PI * settings.gustHz * SLOWEST ** (1 - (k + random()) / WAVES);
      for (let a = 0; a < 3; a++) this.phases[3 * k + a] = 2 * Math.PI * random();
    }
  }

  /** Velocity at a place (m) and time (s), without the lee; three numbers at `out[o …)`. */
  at(time: number, x: number, y: number, z: number, out: Float64Array, o = 0): void {
    const { settings, mean, along, across, rates, phases, swell } = this;
    let share = 1;
    if (settings.windKind === 'fan') {
      const dx = x - settings.windX, dy = y - settings.windY, dz = z - settings.windZ, ahead = dx * along[0] + dy * along[1] + dz * along[2], reach = settings.windReach;
      const far = (dx * dx + dy * dy + dz * dz) / (reach * reach), off = Math.sqrt(Math.max(0, dx * dx + dy * dy + dz * dz - ahead * ahead));
      // a cone that opens by one in two from a mouth a tenth of the reach wide
      const rim = off / (0.1 * reach + 0.5 * Math.max(0, ahead));
      share = far >= 1 || rim >= 1 || ahead < -0.05 * reach ? 0 : (1 - far) ** 2 * (1 - rim * rim) ** 2;
    }
    if (share === 0) { out[o] = out[o + 1] = out[o + 2] = 0; return; }
    swell.fill(0);
    if (settings.gust > 0) {
      const late = time - (x * along[0] + y * along[1] + z * along[2]) / Math.max(0.1, settings.windSpeed), size = settings.gust * Math.sqrt(2 / WAVES);
      for (let k = 0; k < WAVES; k++) for (let a = 0; a < 3; a++) swell[a] += size * (a === 0 ? 1 : 0.4) * Math.cos(rates[k] * late + phases[3 * k + a]);
    }
    for (let c = 0; c < 3; c++) out[o + c] = share * (mean[c] * Math.max(0, 1 + swell[0]) + settings.windSpeed * (swell[1] * across[0][c] + swell[2] * across[1][c]));
  }

  /** Share of the wind that is left in the lee of pills: `ends` six numbers each, `radii` two. */
  lee(x: number, y: number, z: number, ends: ArrayLike<number>, radii: ArrayLike<number>, count: number): number {
    const { along, settings: { shelter } } = this;
    let left = 1;
    if (shelter === 0) return left;
    for (let k = 0; k < count; k++) {
      const o = 6 * k, r = Math.max(radii[2 * k], radii[2 * k + 1]);
      // the pill, and the line up the wind, as two lines: where they pass each other
      const vx = ends[o + 3] - ends[o], vy = ends[o + 4] - ends[o + 1], vz = ends[o + 5] - ends[o + 2], wx = ends[o] - x, wy = ends[o + 1] - y, wz = ends[o + 2] - z;
      const a = -(wx * along[0] + wy * along[1] + wz * along[2]), b = vx * along[0] + vy * along[1] + vz * along[2];
      // what is across the wind
      const px = wx + a * along[0], py = wy + a * along[1], pz = wz + a * along[2], qx = vx - b * along[0], qy = vy - b * along[1], qz = vz - b * along[2];
      const qq = qx * qx + qy * qy + qz * qz, t = qq > 1e-12 ? Math.max(0, Math.min(1, -(px * qx + py * qy + pz * qz) / qq)) : 0.5;
      const behind = a - t * b;
      if (behind < 0 || behind > LEE * r) continue;
      const dx = px + t * qx, dy = py + t * qy, dz = pz + t * qz, radius = radii[2 * k] + t * (radii[2 * k + 1] - radii[2 * k]), d = Math.sqrt(dx * dx + dy * dy + dz * dz) / Math.max(1e-9, radius);
      if (d >= 1.2) continue;
      const rim = d <= 0.8 ? 1 : 1 - ((d - 0.8) / 0.4) ** 2 * (3 - 2 * ((d - 0.8) / 0.4)), end = 1 - (behind / (LEE * r)) ** 2;
      left *= 1 - shelter * rim * end;
    }
    return left;
  }
}

/** Points a frame's wind is asked for on each strand; between them it is interpolated. */
const WIND_STRIDE = 3;
const AIR = new Float64Array(6);

/** Velocity of the air at every point of the strands, which are at `world` (3 × points, m), at a time, s; in the lee of the pills there is less. */
export function blow(wind: Wind, time: number, system: RodSystem, world: Float64Array, contacts: ContactFinder | null): void {
  const { k, lanes: L } = system, a = AIR;
  for (let s = 0; s < system.strandCount; s++) {
    const pointCount = system.pointsOf(s);
    let before = 0;
    for (let i = 0; i < pointCount; i = Math.min(pointCount, i + WIND_STRIDE)) {
      if (i + WIND_STRIDE >= pointCount && i !== pointCount - 1 && i > 0) i = pointCount - 1;
      const p = 3 * (system.start[s] + i);
      a[0] = a[3]; a[1] = a[4]; a[2] = a[5];
      wind.at(time, world[p], world[p + 1], world[p + 2], a, 3);
      const left = contacts ? wind.lee(world[p], world[p + 1], world[p + 2], contacts.rigid.ends, contacts.rigid.radii, contacts.rigid.count) : 1;
      for (let c = 3; c < 6; c++) a[c] *= left;
      // nothing lies before the root: what was asked for last is another strand's
      if (i === 0) for (let c = 0; c < 3; c++) a[c] = a[3 + c];
      for (let j = i === 0 ? 0 : before + 1; j <= i; j++) {
        const t = i === before ? 1 : (j - before) / (i - before), o = system.at(s, j, 3);
        for (let c = 0; c < 3; c++) k.air[o + c * L] = a[c] + t * (a[3 + c] - a[c]);
      }
      before = i;
    }
  }
}
