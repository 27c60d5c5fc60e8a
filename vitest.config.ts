import { execFileSync } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import { defineConfig } from 'vitest/config';

// the fast kernel is made from the sources that are tested
execFileSync(process.execPath, [fileURLToPath(new URL('./scripts/kernel.mjs', import.meta.url))], { stdio: 'inherit' });

const alias = { '@': fileURLToPath(new URL('./src', import.meta.url)) };
const project = (name: string, include: string[], more = {}) => ({ resolve: { alias }, test: { name, include, environment: 'node' as const, testTimeout: 120_000, hookTimeout: 120_000, maxWorkers: 2, ...more } });

export default defineConfig({
  test: {
    projects: [
      project('unit', ['src/**/*.test.ts', 'demo/**/*.test.ts']),
      project('conformance', ['tests/conformance/**/*.test.ts'], { testTimeout: 300_000 }),
      project('integration', ['tests/integration/**/*.test.ts']),
      project('e2e', ['tests/e2e/**/*.test.ts'], { testTimeout: 600_000, hookTimeout: 300_000, maxWorkers: 1, globalSetup: 'tests/e2e/kept-demo.ts' }),
    ],
  },
});
