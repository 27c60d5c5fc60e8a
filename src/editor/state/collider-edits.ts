/** Changes of colliders as edits of the document; the tray and the handles in the view both use them. */
import { usualScale } from '../../core/mesh/rest-box';
import type { MeshColliderChange, OwnCollider, PillChange } from '../../core/document/schema';
import { nodeKey, poseCharacter } from '../../core/mesh/character';
import { placeOfNode } from '../../core/sway/scene';
import type { Session } from './session';
import { useEditor } from './store';

const edit = useEditor.getState().edit;
/** m, to a micrometre. */
export const rounded = (v: number): number => Math.round(v * 1e6) / 1e6;

/** Changes a collider set by hand. */
export function changeOwn(id: string, name: string, change: (c: OwnCollider) => void, merge?: string): void {
  edit(name, (d) => { const c = d.sway.colliders.find((x) => x.id === id); if (c) change(c as OwnCollider); }, merge);
}
/** Changes a fitted pill: what is said of it stays, whatever is fitted anew. */
export function changePill(key: string, name: string, change: PillChange, merge?: string): void {
  edit(name, (d) => { d.sway.pills[key] = { ...d.sway.pills[key], ...change } as typeof d.sway.pills[string]; }, merge);
}
/** A mesh about which nothing is said. */
const BY_ITSELF: MeshColliderChange = { as: 'auto', sides: 'auto', gapMm: null, friction: null };
export function changeMesh(mesh: string, name: string, change: Partial<MeshColliderChange>, merge?: string): void {
  edit(name, (d) => { d.sway.meshes[mesh] = { ...(d.sway.meshes[mesh] ?? BY_ITSELF), ...change }; }, merge);
}
export function addCollider(session: Session, kind: OwnCollider['kind']): void {
  const { document } = session, taken = new Set(document.sway.colliders.map((c) => c.name));
  let n = 1;
  while (taken.has(`${kind} ${n}`)) n++;
  // where the hair is, on the joint that carries its roots most
  const node = session.mainJoint(), at = node < 0 ? [0, 1, 0] : placeOfNode(poseCharacter(session.character, null, 0), node), id = `c${Date.now().toString(36)}${n}`;
  const low = session.lowestPoint(), scale = usualScale(session.character);
  const collider: OwnCollider = kind === 'floor'
    ? { id, name: `floor ${n}`, kind, node: '', on: true, a: [0, rounded(low), 0], b: [0, rounded(low), 0], radiusA: 0, radiusB: 0, gapMm: null, friction: null }
    : { id, name: `${kind} ${n}`, kind, node: node < 0 ? '' : nodeKey(session.character, node), on: true, a: at.map(rounded) as OwnCollider['a'], b: [rounded(at[0]), rounded(at[1] + (kind === 'pill' ? 0.1 * scale : 0)), rounded(at[2])], radiusA: 0.06 * scale, radiusB: 0.06 * scale, gapMm: null, friction: null };
  edit(`Add ${collider.name}`, (d) => { d.sway.colliders.push(collider); });
  useEditor.setState({ selected: { kind: 'collider', key: id }, show: { ...useEditor.getState().show, pills: true } });
}

