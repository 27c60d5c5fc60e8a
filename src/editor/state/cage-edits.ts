/** Cages that move hair, as edits of the document; the tray and the grips in the view both use them. */
import { newCage, type SwayCage } from '../../core/cage/cages';
import { InCages } from '../../core/cage/in-cages';
import { findNode, nodeKey, type Character } from '../../core/mesh/character';
import { restPoints } from '../../core/sway/scene';
import type { Session } from './session';
import { useEditor } from './store';

/** The node, or the nearest over it that is somebody's joint: a mesh's own node is no name to know. */
function jointOver(character: Character, node: number): number {
  const joints = new Set(character.skins.flatMap((s) => [...s.joints]));
  for (let n = node; n >= 0; n = character.nodes[n].parent) if (joints.has(n)) return n;
  return node;
}
/** Guide points in the rest pose. */
function atRest({ guides, character, mesh }: Session): Float64Array { return guides ? restPoints({ character, mesh, planting: guides.planting, offsets: guides.offsets, pointCount: guides.pointCount }) : new Float64Array(0); }
/** What a run would tell of the cages as they are. */
export function cageNotes(session: Session, cages: readonly SwayCage[]): string[] {
  const { guides, character } = session;
  return guides && cages.some((c) => c.on) ? new InCages({ cages, nodes: cages.map((c) => findNode(character, c.joint)), restPoints: atRest(session), pointCount: guides.pointCount, from: 0, to: 0, gravity: 0, calm: true }).notes : [];
}
/** A cage round the chosen guides, or all of them, on the joint that carries most of them. */
export function putCage(session: Session): void {
  const { guides, character, document } = session;
  if (!guides) return;
  const { pointCount: n } = guides, all = atRest(session), chosen = session.combDesk.chosenOrAll(), points = new Float64Array(3 * n * chosen.length), taken = new Set((document.sway.cages ?? []).map((c) => c.name)), node = jointOver(character, session.mainJoint());
  chosen.forEach((g, k) => points.set(all.subarray(3 * n * g, 3 * n * (g + 1)), 3 * n * k));
  let number = 1;
  while (taken.has(`cage ${number}`)) number++;
  const cage = newCage(`g${Date.now().toString(36)}${number}`, `cage ${number}`, node < 0 ? '' : nodeKey(character, node), points);
  useEditor.getState().edit(`Put ${cage.name}`, (d) => { d.sway.cages = [...(d.sway.cages ?? []), cage]; });
  useEditor.setState({ selected: { kind: 'cage', key: cage.id } });
}
/** Changes a cage, in the tray and by its grips. */
export function changeCage(id: string, label: string, change: Partial<SwayCage>, merge?: string): void {
  useEditor.getState().edit(label, (d) => { const c = d.sway.cages?.find((x) => x.id === id); if (c) Object.assign(c, change); }, merge && `cage.${id}.${merge}`);
}
