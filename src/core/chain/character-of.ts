/** The character as a groom has it: with the joints that were drawn for it, and what roots of chains are planted on. */
import type { GroomDocument } from '../document/schema';
import { givenNames, withDrawn } from '../drawn/with-drawn';
import type { Character } from '../mesh/character';
import { CHAIN_ROOTS, withChainRoots, type Chain } from './chains';

/** Whether a groom moves joints, not hair. */
export const ofChains = (document: { plot: { mesh: string } }): boolean => document.plot.mesh === CHAIN_ROOTS;

/** `weights`: bytes of what the drawing was made into, where there is one. Throws in plain words where they do not fit the character. */
export function characterOf(given: Character, document: Pick<GroomDocument, 'plot' | 'drawn'>, weights: Uint8Array | null): Character {
  // as a groom has it already
  if (!ofChains(document) || given.meshes.some((m) => m.name === CHAIN_ROOTS)) return given;
  const made = document.drawn?.given ?? null;
  if (made && !weights) throw new Error('The weights of the drawn chains are missing.');
  return withChainRoots(made ? withDrawn(given, made, weights!) : given);
}

/** Chains of the joints that a drawing gives; what was set for those of the same lines stays. */
export function chainsOfDrawn(before: Character, drawn: NonNullable<GroomDocument['drawn']>, chains: readonly Chain[]): Chain[] {
  const made = drawn.given;
  if (!made) return [];
  return givenNames(before, made).map((joints, k) => {
    const { id, name } = made.lines[k], old = chains.find((c) => c.id === id);
    return { id, name, joints, kept: Math.min(old?.kept ?? 0, joints.length - 1), bendDeg: old?.bendDeg ?? null };
  });
}
