/** Chains of the open groom: the poses they give the character, and changes to the list of them. */
import { bufferId } from '../../core/document/buffers';
import { ChainPoser, ChainShape, heldPlaces } from '../../core/chain/chain-pose';
import { chainDocument, withChains } from '../../core/chain/chain-groom';
import { plantChains, type Chain, type PlantedChains } from '../../core/chain/chains';
import type { Pose } from '../../core/mesh/character';
import * as api from './api';
import type { Session } from './session';
import { useEditor } from './store';

export class ChainDesk {
  private known: { chains: readonly Chain[]; planted: PlantedChains; poser: ChainPoser; shape: ChainShape } | null = null;
  private posed: Pose | null = null;
  constructor(private readonly session: Session) {}

  private get now(): NonNullable<ChainDesk['known']> | null {
    const { chains } = this.session.document, { character } = this.session;
    if (chains.length === 0 || this.session.stale) return null;
    if (this.known?.chains !== chains) {
      const planted = plantChains(character, chains);
      this.known = { chains, planted, poser: new ChainPoser(character, planted.paths, planted.pointCount, planted.offsets), shape: new ChainShape(character, planted.paths, planted.pointCount, planted.offsets, heldPlaces(character, chains, this.session.document.drawn?.given ?? null)) };
    }
    return this.known;
  }
  /** The pose with the chains where they are shown; as it is where nothing has been computed for them. */
  dressed(pose: Pose): Pose {
    const shown = this.session.document.chains.length > 0 ? this.session.shownGuides() : null;
    return !shown || shown.from === 'combed' ? pose : this.dressedAs(pose, shown.points);
  }
  /** The pose with the chains where these points have them; what was given the last time is written over. */
  dressedAs(pose: Pose, points: Float32Array): Pose {
    const { now } = this;
    if (!now || points.length !== now.planted.offsets.length) return pose;
    if (this.posed?.length !== pose.length) this.posed = pose.slice();
    this.posed.set(pose);
    now.poser.into(this.posed, points);
    return this.posed;
  }
  /** Offsets of the guides as the animation has them in a pose; null where there are no chains. */
  shapeIn(pose: Pose): Float32Array | null {
    const { now } = this;
    if (!now) return null;
    const out = new Float32Array(now.planted.offsets.length);
    now.shape.into(pose, out);
    return out;
  }

  /** Changes the chains of this groom, as one step (with others of the name `merge` that follow at once). Throws with what is wrong with them. */
  change(label: string, chains: readonly Chain[], merge?: string): void {
    if (JSON.stringify(chains) === JSON.stringify(this.session.document.chains)) return;
    const { session } = this, next = withChains(session.character, session.document, chains, (bytes) => session.keep(bytes));
    useEditor.getState().edit(label, (d) => { d.chains = next.chains.map((c) => ({ ...c, joints: [...c.joints] })); d.guides = next.guides; d.sway = next.sway as typeof d.sway; }, merge);
  }
  /** Begins a groom of chains on the open character; its id. */
  async begin(name: string, chains: readonly Chain[]): Promise<string> {
    const { session } = this, made: { id: string; bytes: Uint8Array }[] = [], document = chainDocument(session.character, session.document, chains, (bytes) => { const id = bufferId(bytes); made.push({ id, bytes }); return id; });
    for (const { id, bytes } of made) await api.putBuffer(id, bytes);
    return api.newGroom(session.groom.character.id, name, document);
  }
}
