// Bundles what runs in Node outside the page server.
import { build } from 'esbuild';

await build({
  entryPoints: { serve: 'cli/serve.ts', 'bake-thread': 'src/server/bake-thread.ts', cast: 'demo/build.ts', bench: 'cli/bench.ts', shots: 'cli/shots.ts' },
  bundle: true, platform: 'node', format: 'esm', target: 'node20', outdir: 'dist', outExtension: { '.js': '.mjs' }, packages: 'external', sourcemap: true, logLevel: 'warning',
});
