// Bundles what runs in Node outside the page server.
import { execFileSync } from 'node:child_process';
import { build } from 'esbuild';

execFileSync(process.execPath, ['scripts/kernel.mjs'], { stdio: 'inherit' });

await build({
  entryPoints: { serve: 'cli/serve.ts', 'bake-thread': 'src/server/bake-thread.ts', 'export-process': 'src/server/export-process.ts', 'import-thread': 'src/server/import-thread.ts', 'sway-share': 'src/server/sway-share.ts', sway: 'cli/sway.ts', bake: 'cli/bake.ts', 'bench-bake': 'cli/bench-bake.ts', worker: 'cli/worker.ts', plots: 'cli/plots.ts', 'bench-rods': 'cli/bench-rods.ts', 'bench-contact': 'cli/bench-contact.ts', 'bench-import': 'cli/bench-import.ts', 'bench-brush': 'cli/bench-brush.ts', 'bench-fill': 'cli/bench-fill.ts', 'bench-proof': 'cli/bench-proof.ts', 'bench-hang': 'cli/bench-hang.ts', cast: 'demo/build.ts', bench: 'cli/bench.ts', shots: 'cli/shots.ts' },
  bundle: true, platform: 'node', format: 'esm', target: 'node20', outdir: 'dist', outExtension: { '.js': '.mjs' }, packages: 'external', sourcemap: true, logLevel: 'warning',
});
