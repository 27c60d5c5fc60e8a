// Reads a USD file with readers that are not ours and prints what it holds as JSON. Run in a process of its own: the
// WebAssembly build takes the process for a browser.
import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';

const require = createRequire(import.meta.url);
const bytes = readFileSync(process.argv[2]);
process.type = 'renderer';
globalThis.window ??= globalThis;
const reader = await (await import('tinyusdz')).default({ wasmBinary: readFileSync(require.resolve('tinyusdz/tinyusdz.wasm')) });
const loader = new reader.TinyUSDZLoaderNative();
if (!loader.loadAsLayerFromBinary(bytes, process.argv[2])) { console.error(loader.error()); process.exit(1); }
const layer = loader.layerToString();
const { USDAParser } = await import('three/examples/jsm/loaders/usd/USDAParser.js');
const pick = (text) => shape(new USDAParser().parseData(text).specsByPath);
const shape = (specs) => {
  const out = {};
  for (const [path, spec] of Object.entries(specs)) {
    const f = spec.fields ?? {};
    out[path] = { default: f.default, timeSamples: f.timeSamples, fields: Object.fromEntries(Object.entries(f).filter(([k]) => !['default', 'timeSamples'].includes(k))) };
  }
  return out;
};
const { USDCParser } = await import('three/examples/jsm/loaders/usd/USDCParser.js');
const direct = () => {
  if (bytes.toString('latin1', 0, 8) !== 'PXR-USDC') return pick(bytes.toString('utf8'));
  const specs = new USDCParser().parseData(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.length)).specsByPath;
  return shape(specs);
};
process.stdout.write(JSON.stringify({ layer: layer.length < 1e6 ? layer : "", independent: pick(layer), direct: direct() }, (_k, v) => (ArrayBuffer.isView(v) ? Array.from(v) : v)));
