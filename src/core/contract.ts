/** Thrown at a public entrance of the core when the caller broke its contract; never from inside a loop. */
export class ContractError extends Error {
  constructor(
    readonly argument: string,
    readonly expected: string,
    readonly got: unknown,
  ) {
    super(`${argument}: expected ${expected}, got ${String(got)}`);
    this.name = 'ContractError';
  }
}

export function requireContract(ok: boolean, argument: string, expected: string, got: unknown): asserts ok {
  if (!ok) throw new ContractError(argument, expected, got);
}
