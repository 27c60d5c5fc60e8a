/** Contact on the demo cast, with the number of guides that work is done with. */
import { beforeAll, expect, it } from 'vitest';
import { unpackPlanting } from '../../src/core/document/buffers';
import type { Character } from '../../src/core/mesh/character';
import { demoGroom } from '../../src/server/demo-oda';
import { KEPT, keeps } from '../helpers/kept-outside';
import { oda } from '../helpers/oda';

let character: Character, groom: ReturnType<typeof demoGroom>;
beforeAll(async () => { character = await oda(); groom = demoGroom(character, 2000); }, 300_000);

it.each([['look back', 48, false], ['lock-beam walk', 25, true], ['jump ashore', 42, false]] as const)(`Oda, %s, 2,000 guides and 4,000 filled strands: ${KEPT}`, (clip, end, cyclic) => {
  expect(unpackPlanting(groom.buffers[1]).faces.length).toBe(2000);
  keeps(character, groom, clip, end, cyclic);
}, 900_000);
