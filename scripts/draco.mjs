// Puts the reader of Draco-compressed geometry (package draco3dgltf, Apache-2.0) into one module without Node in it, its code beside it as text, so that pages, workers, server and command line load it the same way.
import { createHash } from 'node:crypto';
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import path from 'node:path';
import { fileURLToPath } from 'node:url';

const root = path.join(path.dirname(fileURLToPath(import.meta.url)), '..'), target = path.join(root, 'src/formats/draco-code.ts'), resolve = createRequire(import.meta.url).resolve;
const glue = resolve('draco3dgltf/draco_decoder_gltf_nodejs.js'), wasm = readFileSync(resolve('draco3dgltf/draco_decoder_gltf.wasm')), stamp = [wasm, readFileSync(glue), readFileSync(fileURLToPath(import.meta.url))].reduce((h, t) => h.update(t), createHash('sha256')).digest('hex');

if (!existsSync(target) || !readFileSync(target, 'utf8').includes(stamp)) {
  const { build } = await import('esbuild');
  /** It asks where it runs only to fetch its code, which it is handed. What builds the page takes every place for one with a window, which a worker has not. */
  const none = { name: 'none', setup: (b) => { b.onResolve({ filter: /^(fs|path)$/ }, ({ path: p }) => ({ path: p, namespace: 'none' })); b.onLoad({ filter: /.*/, namespace: 'none' }, () => ({ contents: 'module.exports = {};' })); } };
  const { outputFiles: [{ text }] } = await build({ entryPoints: [glue], bundle: true, write: false, format: 'esm', platform: 'browser', minify: true, define: { window: 'undefined', document: 'undefined', importScripts: 'undefined', process: 'undefined', __dirname: '""', __filename: '""' }, plugins: [none], logLevel: 'warning' });
  writeFileSync(target, `// @ts-nocheck\n/* eslint-disable */\n/** Made by scripts/draco.mjs from the package draco3dgltf; not kept in the repository. Sources ${stamp}. */\nexport const DRACO_CODE = '${wasm.toString('base64')}';\n${text}`);
}
