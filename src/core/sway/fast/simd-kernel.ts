/**
 * The fast kernel: the rod step of `../rod`, compiled to WebAssembly with four strands side by side in float32. The same
 * bytes run in browsers, on the server and in the command line, so that all answer the same to the bit.
 */
import { compiledOnce } from '../../math/wasm';
import type { RodArrays, StepNumbers } from '../rod/arrays';
import { KERNEL_CODE, KERNEL_FIELDS } from './kernel-code';

/** Strands side by side. */
export const SIMD_LANES = 4;
/** Room left for the kernel's own numbers, bytes. */
const MEMORY_BASE = 4096;
const PAGE = 65536;

interface Exports {
  setBase(field: number, at: number): void;
  setNumbers(h: number, gravityX: number, gravityY: number, gravityZ: number, passes: number, lagging: number): void;
  stepStrand(s: number, first: number, n: number): void;
}

export interface SimdKernel {
  readonly buffer: ArrayBuffer;
  /** Byte at which the numbers of a system begin. */
  readonly base: number;
  step(numbers: StepNumbers, groups: Int32Array): void;
}

const kernelModule = compiledOnce(KERNEL_CODE);

/** Whether the fast kernel runs here. */
export const simdRuns = (): boolean => kernelModule() !== null;

/** An instance with a memory of its own for a system of `size` float32 numbers. */
export function createSimdKernel(size: number, offsets: Record<keyof RodArrays, number>): SimdKernel {
  const code = kernelModule();
  if (!code) throw new Error('The fast kernel cannot run here.');
  const memory = new WebAssembly.Memory({ initial: Math.ceil((MEMORY_BASE + 4 * size) / PAGE) });
  const kernel = new WebAssembly.Instance(code, { env: { memory, abort: () => { throw new Error('The fast kernel stopped.'); } } }).exports as unknown as Exports;
  KERNEL_FIELDS.forEach((name, i) => kernel.setBase(i, MEMORY_BASE + 4 * offsets[name as keyof RodArrays]));
  return {
    buffer: memory.buffer as ArrayBuffer,
    base: MEMORY_BASE,
    step(o, groups) {
      kernel.setNumbers(o.h, o.gravityX, o.gravityY, o.gravityZ, o.passes, o.lagging);
      for (let g = 0; g < groups.length; g += 3) kernel.stepStrand(groups[g], groups[g + 1], groups[g + 2]);
    },
  };
}
