export interface KernelFile { name: string; text: string }
/** Gathers the parameter types of all functions; before `translate`. */
export function declare(files: readonly KernelFile[]): void;
/** AssemblyScript of the files; `fields`: the arrays in the order their bases are set. */
export function translate(files: readonly KernelFile[], fields: readonly string[], floatOptions: readonly string[]): string;
