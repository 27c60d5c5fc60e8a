// Compiles the searches of contact from src/core/sway/fast/near-*.as where one differs from the last time.
import { createHash } from 'node:crypto';
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { assemble } from './kernel/assemble.mjs';

const root = path.join(path.dirname(fileURLToPath(import.meta.url)), '..'), at = (p) => readFileSync(path.join(root, p), 'utf8');

for (const name of ['near-shell', 'near-pills']) {
  const source = `src/core/sway/fast/${name}.as`, target = path.join(root, `src/core/sway/fast/${name}-code.ts`), code = at(source);
  const stamp = [code, at('scripts/contact-kernels.mjs'), at('scripts/kernel/assemble.mjs'), at('package-lock.json')].reduce((h, t) => h.update(t), createHash('sha256')).digest('hex');
  if (existsSync(target) && readFileSync(target, 'utf8').includes(stamp)) continue;
  const wasm = await assemble(name, code, 1024);
  writeFileSync(target, `/** Made by scripts/contact-kernels.mjs from ${source}; not kept in the repository. Sources ${stamp}. */\nexport const ${name.toUpperCase().replace('-', '_')}_CODE = '${Buffer.from(wasm).toString('base64')}';\n`);
  console.log(`${name}: ${wasm.length} bytes`);
}
