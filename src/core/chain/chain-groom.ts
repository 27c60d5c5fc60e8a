/** A groom of chains: the document and the buffers that go with a list of them. */
import { bytesOf, packPlanting } from '../document/buffers';
import { plantKey } from '../document/proof';
import { defaultSway, newDocument, noSwayMaps, SWAY_PARAMETERS, type GroomDocument, type SwaySettings } from '../document/schema';
import { newDrawn } from '../drawn/drawn';
import { packInfluences, thicknessOf, type Influences } from '../drawn/influences';
import { givenOf } from '../drawn/with-drawn';
import type { Character } from '../mesh/character';
import { leftOut } from '../sway/colliders';
import { chainsOfDrawn, characterOf } from './character-of';
import { CHAIN_ROOTS, chainColliders, plantChains, type Chain } from './chains';

/** What chains are like to begin with: a rope that keeps some of its shape. Common practice, no source. */
function chainSway(): SwaySettings {
  const sway = defaultSway();
  return { ...sway, material: 'rope', stiffness: 1, lock: 1, hold: 0.35, damping: 1, bendDamping: 20, profiles: { ...sway.profiles, hold: [[0, 1], [0.5, 0.6], [1, 0.4]] } };
}

/** A document whose guides are these chains, in the shots of another document. Throws with what is wrong with them. */
export const chainDocument = (character: Character, like: GroomDocument, chains: readonly Chain[], keep: (bytes: Uint8Array) => string): GroomDocument => withChains(character, emptyChains(like), chains, keep);
/** A document of chains that are yet to be drawn through meshes. */
export const drawnDocument = (like: GroomDocument, meshes: readonly string[]): GroomDocument => ({ ...emptyChains(like), drawn: newDrawn(meshes) });

function emptyChains(like: GroomDocument): GroomDocument {
  const out = newDocument(CHAIN_ROOTS, { ...like.shot });
  out.shotName = like.shotName;
  out.hidden = [...like.hidden, CHAIN_ROOTS];
  out.otherShots = like.otherShots.map((o) => ({ shotName: o.shotName, shot: { ...o.shot }, hidden: [...o.hidden, CHAIN_ROOTS], own: {} }));
  out.sway = { ...chainSway(), carrier: like.sway.carrier, meshRoles: { ...like.sway.meshRoles } };
  return out;
}

/**
 * The document with the joints and chains that its drawing gives, and the character as it then is. Throws in plain words.
 */
export function withDrawing(before: Character, document: GroomDocument, influences: Influences, keep: (bytes: Uint8Array) => string): { document: GroomDocument; character: Character } {
  const weights = packInfluences(influences), drawn = { ...document.drawn!, given: givenOf(before, document.drawn!, influences, keep) }, character = characterOf(before, { plot: document.plot, drawn }, weights);
  // a rod runs in the middle of what hangs on it: that much it is kept off what it touches, until somebody says otherwise
  const gap = SWAY_PARAMETERS.skinGapMm, fresh = document.drawn!.given === null && document.sway.skinGapMm === gap.fallback, skinGapMm = fresh ? Math.min(gap.max, Math.max(gap.fallback, Math.round(10_000 * thicknessOf(before, drawn, influences)) / 10)) : document.sway.skinGapMm;
  return { character, document: withChains(character, { ...document, drawn, sway: { ...document.sway, skinGapMm } }, chainsOfDrawn(before, drawn, document.chains), keep) };
}

/** The document with other chains; its settings stay, but for what collides. Throws with what is wrong with them. */
export function withChains(character: Character, document: GroomDocument, chains: readonly Chain[], keep: (bytes: Uint8Array) => string): GroomDocument {
  const { planting, offsets, pointCount } = plantChains(character, chains), { meshes, without } = chainColliders(character, chains), before = chainColliders(character, document.chains);
  // what was set to be off because of chains that have gone collides as it would by itself
  const others = Object.fromEntries(Object.entries(document.sway.meshes).filter(([name, m]) => m.as !== before.meshes[name] || m.gapMm !== null || m.friction !== null));
  const out: GroomDocument = {
    ...document, chains: [...chains],
    guides: { count: chains.length, pointCount, planting: keep(packPlanting(planting)), offsets: keep(bytesOf(offsets)), plantKey: '0'.repeat(64), combed: false },
    sway: { ...document.sway, maps: noSwayMaps(), pillsWithout: [...new Set([...(document.sway.pillsWithout ?? leftOut(character)).filter((j) => !before.without.includes(j)), ...without])], meshes: { ...Object.fromEntries(Object.entries(meshes).map(([name, as]) => [name, { as, sides: 'auto' as const, gapMm: null, friction: null }])), ...others }, ties: document.sway.ties.map((t) => ({ ...t, guides: t.guides.filter((g) => g < chains.length) })).filter((t) => t.guides.length > 0) },
  };
  out.guides!.plantKey = plantKey(out);
  return out;
}
