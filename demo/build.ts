/** `./comb cast`: writes the demo characters to demo/cast, the same bytes every time. */
import { mkdir, writeFile } from 'node:fs/promises';
import { buildBramble } from './bramble';
import { buildOda } from './oda';
import { buildPim } from './pim';

await mkdir('demo/cast', { recursive: true });
for (const [name, build] of [['oda', buildOda], ['bramble', buildBramble], ['pim', buildPim]] as const) {
  const bytes = await build();
  await writeFile(`demo/cast/${name}.glb`, bytes);
  console.log(`demo/cast/${name}.glb ${(bytes.length / 1048576).toFixed(2)} MB`);
}
