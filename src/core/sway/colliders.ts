/**
 * What hair can touch: pills and balls on joints, level floors, and the meshes themselves; fitted, then changed as the
 * document says. What cannot be used is left out and told.
 */
import { jointsOf } from '../chain/chains';
import { roleOf, type MeshCollider, type SwaySettings } from '../document/schema';
import type { Vec3 } from '../math/vec';
import { findNode, leadingNodes, nodeKey, poseCharacter, skinPositions, type Character, type CharacterMesh, type Pose, type Role } from '../mesh/character';
import { Surface } from '../mesh/surface';
import { MOST_FLOORS } from './rigid-colliders';
import { coverOf, fitPills, shrinkInto, widenToCover, type Pill } from './pills';
import { bodyParts, type BodyParts } from './body-parts';
import { describeShell } from './shell-check';

export interface SetPill extends Pill {
  /** Name in the document: of a fitted pill `source/joint/number`, else the collider's own. */
  key: string;
  label: string;
  group: string;
  kind: 'pill' | 'ball';
  fitted: boolean;
  on: boolean;
}
export interface SetFloor { key: string; label: string; group: string; node: number; place: Vec3; gap?: number; friction?: number; on: boolean }
/** `parts`: of a body that is open here and there, what encloses something and what are sheets beside it; it is kept out of the former all the same. */
export interface SetShell { key: string; label: string; group: string; mesh: number; twoSided: boolean; parts?: BodyParts; gap?: number; friction?: number; on: boolean }

export interface ColliderSet {
  pills: SetPill[];
  floors: SetFloor[];
  shells: SetShell[];
  /** Plain sentences about what was left out, and what to beware of. */
  notes: string[];
}

/** Joints that get no pill of their own unless asked for: fingers and feet. Common practice, no source. */
const LEFT_OUT = /finger|thumb|index|middle|ring(?!let)|pinky|little|foot|feet|toe|ankle|ball(?=[._ ]?[lr]$)/i;
/** Keys of those joints of a character. */
export const leftOut = (character: Character): string[] => character.nodes.flatMap((n, i) => (LEFT_OUT.test(n.name) ? [nodeKey(character, i)] : []));
/** An accessory nearer the skin than this all over lies on it: eyes, brows, buttons. */
const LIES_ON_SKIN = 0.012;

export interface FitOptions {
  /** The file's own where not given. */
  role?: (mesh: CharacterMesh) => Role;
  skin: (mesh: CharacterMesh) => boolean;
  garments: (mesh: CharacterMesh) => boolean;
  /** 0 … 1. */
  cover?: number;
  /** Joints left out, by key; fingers and feet where not given. */
  without?: readonly string[] | null;
}

/** Pills of the chosen meshes, by the node that leads each vertex. Body and garments are fitted apart, none sticks far out of what is shown. */
export function fittedPills(character: Character, hidden: readonly string[], options: FitOptions): SetPill[] {
  const rest = poseCharacter(character, null, 0), role = options.role ?? ((m: CharacterMesh): Role => m.role);
  const clusters = new Map<string, { node: number; source: string; points: number[] }>();
  const all: { positions: number[]; triangles: number[] } = { positions: [], triangles: [] };
  for (const mesh of character.meshes) {
    if (hidden.includes(mesh.name) || role(mesh) === 'accessory') continue;
    const P = new Float64Array(mesh.positions.length);
    skinPositions(character, mesh, rest, P);
    const base = all.positions.length / 3;
    for (const v of P) all.positions.push(v);
    for (const t of mesh.triangles) all.triangles.push(base + t);
    const source = role(mesh) === 'body' ? 'skin' : 'garments';
    if (!(source === 'skin' ? options.skin(mesh) : options.garments(mesh))) continue;
    leadingNodes(character, mesh).forEach((node, v) => {
      const key = `${source}/${node}`;
      let cluster = clusters.get(key);
      if (!cluster) clusters.set(key, (cluster = { node, source, points: [] }));
      cluster.points.push(P[3 * v], P[3 * v + 1], P[3 * v + 2]);
    });
  }
  if (clusters.size === 0) return [];
  const surface = new Surface(all.positions, Uint32Array.from(all.triangles));
  const joints = jointsOf(character);
  const placeOf = (node: number): Vec3 => [rest[16 * node + 12], rest[16 * node + 13], rest[16 * node + 14]];
  const below = (node: number): Vec3[] => character.nodes.flatMap((n, i) => (n.parent === node && joints.has(i) ? [placeOf(i)] : []));
  const wanted = options.cover ?? 0, out: SetPill[] = [];
  for (const { node, source, points } of clusters.values()) {
    const joint = nodeKey(character, node), { without } = options;
    if (without ? without.includes(joint) : LEFT_OUT.test(character.nodes[node].name)) continue;
    const vertices = Float64Array.from(points);
    fitPills(vertices, node, placeOf(node), below(node), source).forEach((fit, k, fits) => {
      // what a wider cover costs in volume outside the skin is bounded, only more loosely
      const wide = fits.length === 1 ? widenToCover(fit, vertices, wanted) : fit, pill = shrinkInto(wide, surface, 0.14 + 0.5 * Math.max(0, wanted - 0.6));
      if (pill) out.push({ ...pill, cover: coverOf(pill, vertices), key: `${source}/${joint}/${k}`, label: k === 0 ? joint : `${joint} ${k + 1}`, group: source, kind: 'pill', fitted: true, on: true });
    });
  }
  return out;
}

/** How a mesh collides when nothing is said: skin and what is worn as they are drawn; what lies on the skin not at all. */
export function meshCollider(mesh: CharacterMesh, settings: Pick<SwaySettings, 'roles' | 'meshes' | 'meshRoles'>, liesOnSkin: (mesh: CharacterMesh) => boolean): Exclude<MeshCollider, 'auto'> {
  const role = roleOf(mesh, settings), own = settings.meshes[mesh.name]?.as ?? 'auto', wish = own !== 'auto' ? own : settings.roles[role];
  if (wish !== 'auto') return wish;
  return role === 'accessory' && liesOnSkin(mesh) ? 'off' : 'shell';
}

/** Everything the groom can touch, switched on or not. */
export function collidersOf(character: Character, hidden: readonly string[], settings: SwaySettings): ColliderSet {
  const notes: string[] = [], mm = (v: number | null | undefined): number | undefined => (v === null || v === undefined ? undefined : v / 1000);
  const shown = character.meshes.filter((m) => !hidden.includes(m.name)), rest = poseCharacter(character, null, 0);
  const role = (m: CharacterMesh): Role => roleOf(m, settings), lies = skinTest(character, shown, rest, role), as = new Map(shown.map((m) => [m.name, meshCollider(m, settings, lies)]));
  const off = (group: string): boolean => settings.groupsOff.includes(group);
  const wantsPills = (m: CharacterMesh): boolean => as.get(m.name) === 'pills';

  const pills = shown.some(wantsPills) ? fittedPills(character, hidden, { role, skin: wantsPills, garments: wantsPills, cover: settings.pillCover / 100, without: settings.pillsWithout }) : [];
  for (const pill of pills) {
    const change = settings.pills[pill.key];
    if (change) {
      const { gapMm, friction, ...shape } = change;
      Object.assign(pill, shape, { gap: mm(gapMm), friction: friction ?? undefined });
    }
    if (off(pill.group)) pill.on = false;
  }
  const floors: SetFloor[] = [];
  for (const c of settings.colliders) {
    const node = findNode(character, c.node), on = c.on && !off('own');
    if (c.node !== '' && node < 0) notes.push(`“${c.name}” hangs on the joint “${c.node}”, which this character does not have: it stays where it stands. Choose another joint.`);
    const common = { key: c.id, label: c.name, group: 'own', node, gap: mm(c.gapMm), friction: c.friction ?? undefined, on };
    if (c.kind === 'floor') floors.push({ ...common, place: [...c.a] as Vec3 });
    else pills.push({ ...common, kind: c.kind, fitted: false, source: 'own', a: [...c.a] as Vec3, b: [...(c.kind === 'ball' ? c.a : c.b)] as Vec3, radiusA: c.radiusA, radiusB: c.kind === 'ball' ? c.radiusA : c.radiusB });
  }
  floors.filter((f) => f.on).slice(MOST_FLOORS).forEach((f) => { f.on = false; notes.push(`“${f.label}” is one floor too many: ${MOST_FLOORS} can be on at once.`); });
  for (const pill of pills) if (pill.on && !(Math.max(pill.radiusA, pill.radiusB) > 0)) {
    pill.on = false;
    notes.push(`“${pill.label}” has no radius, so nothing can touch it; it is left out. Give it one.`);
  }

  const shells: SetShell[] = [];
  character.meshes.forEach((mesh, index) => {
    if (hidden.includes(mesh.name) || as.get(mesh.name) !== 'shell') return;
    const own = settings.meshes[mesh.name], P = new Float64Array(mesh.positions.length);
    skinPositions(character, mesh, rest, P);
    const found = describeShell(mesh.triangles, P), sides = own?.sides ?? 'auto', parts = !found.usable || found.closed ? null : sides === 'one' ? { solid: mesh.triangles, flaps: new Uint32Array(0), sheets: 0 } : sides === 'auto' && role(mesh) === 'body' ? bodyParts(mesh.triangles, P) : null;
    notes.push(...found.notes.map((n) => `“${mesh.name}” ${n}`));
    if (parts) notes.push(`“${mesh.name}” has ${found.borders} open edges; it is taken as closed, and hair may slip in there.`);
    if (parts && parts.sheets > 0) notes.push(`“${mesh.name}” has ${parts.sheets === 1 ? 'a loose part that is a sheet' : `${parts.sheets} loose parts that are sheets`}: hair is kept on the side of ${parts.sheets === 1 ? 'it' : 'them'} it is on.`);
    shells.push({ key: mesh.name, label: mesh.name, group: mesh.name, mesh: index, twoSided: sides === 'two' || (sides === 'auto' && !found.closed && !parts), ...(parts ? { parts } : {}), gap: mm(own?.gapMm), friction: own?.friction ?? undefined, on: found.usable && !off(mesh.name) });
  });
  return { pills, floors, shells, notes };
}

/** Whether a mesh lies on the skin with all but a few of its vertices. */
function skinTest(character: Character, shown: readonly CharacterMesh[], rest: Pose, role: (mesh: CharacterMesh) => Role): (mesh: CharacterMesh) => boolean {
  let surfaces: Surface[] | null = null;
  const posed = (m: CharacterMesh): Float64Array => { const P = new Float64Array(m.positions.length); skinPositions(character, m, rest, P); return P; };
  return (mesh) => {
    surfaces ??= shown.filter((m) => role(m) === 'body').map((m) => new Surface(posed(m), m.triangles));
    const P = posed(mesh), step = Math.max(1, Math.floor(P.length / 3 / 60));
    let near = 0, asked = 0;
    for (let v = 0; v < P.length / 3; v += step, asked++) if (surfaces.some((s) => s.nearest([P[3 * v], P[3 * v + 1], P[3 * v + 2]], LIES_ON_SKIN))) near++;
    return near >= 0.9 * asked;
  };
}
