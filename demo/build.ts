/** `npm run cast`: writes the demo characters to demo/cast, the same bytes every time. */
import { mkdir, writeFile } from 'node:fs/promises';
import { buildOda } from './oda';

await mkdir('demo/cast', { recursive: true });
const oda = await buildOda();
await writeFile('demo/cast/oda.glb', oda);
console.log(`demo/cast/oda.glb ${(oda.length / 1048576).toFixed(2)} MB`);
