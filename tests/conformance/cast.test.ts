import { expect, it } from 'vitest';
import { buildOda } from '../../demo/oda';
import { odaBytes } from '../helpers/oda';

it('the demo character is what its generator makes, to the byte', async () => {
  expect(Buffer.from(await buildOda()).equals(Buffer.from(odaBytes()))).toBe(true);
});
