/** AssemblyScript to WebAssembly with SIMD, the same bytes on every machine. What does not compile is kept in dist/`name`.as.ts, to look at. */
import { mkdirSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { fileURLToPath } from 'node:url';

const dist = path.join(path.dirname(fileURLToPath(import.meta.url)), '../../dist');

/** `base`: bytes of the memory that are left free before the compiler's own. */
export async function assemble(name, code, base) {
  const { default: asc } = await import('assemblyscript/asc'), outputs = new Map(), notes = [];
  const { error } = await asc.main([`${name}.ts`, '--outFile', `${name}.wasm`, '-O3', '--converge', '--noAssert', '--runtime', 'stub', '--enable', 'simd', '--importMemory', '--memoryBase', String(base)], {
    readFile: (file) => (file === `${name}.ts` ? code : null),
    writeFile: (file, bytes) => { outputs.set(file, bytes); },
    listFiles: () => [],
    stderr: { write: (text) => { notes.push(text); } },
  });
  if (error) {
    mkdirSync(dist, { recursive: true });
    writeFileSync(path.join(dist, `${name}.as.ts`), code);
    throw new Error(`${name} did not compile (see dist/${name}.as.ts):\n${notes.join('')}${error.message}`);
  }
  return outputs.get(`${name}.wasm`);
}
