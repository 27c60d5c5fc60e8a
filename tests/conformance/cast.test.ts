import { expect, it } from 'vitest';
import { buildBramble } from '../../demo/bramble';
import { buildOda } from '../../demo/oda';
import { brambleBytes, odaBytes } from '../helpers/oda';

it('Oda is what her generator makes, to the byte', async () => {
  expect(Buffer.from(await buildOda()).equals(Buffer.from(odaBytes()))).toBe(true);
});
it('Bramble is what its generator makes, to the byte', async () => {
  expect(Buffer.from(await buildBramble()).equals(Buffer.from(brambleBytes()))).toBe(true);
});
