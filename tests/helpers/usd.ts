import { execFileSync } from 'node:child_process';

export interface UsdSpec { default?: unknown; timeSamples?: { times: number[]; values: number[][] }; fields: Record<string, unknown> }
export interface UsdReading { /** The whole file as the first of them writes it as text. */ layer: string; independent: Record<string, UsdSpec>; direct: Record<string, UsdSpec> }

/** What two readers that are not ours (tinyusdz; three's) make of a USD file. */
export function readUsd(file: string): UsdReading {
  return JSON.parse(execFileSync(process.execPath, ['tests/helpers/usd-reader.mjs', file], { maxBuffer: 1 << 28, stdio: ['ignore', 'pipe', 'pipe'] }).toString()) as UsdReading;
}
