/**
 * Formulas of drivers: an expression over named inputs, read by mathjs and held to numbers: no assignments, no properties, no functions but
 * those listed here.
 */
import { all, create, type MathNode } from 'mathjs/number';
import { FORMULA_FUNCTIONS, FORMULA_INPUTS } from './formula-words';

const OWN: Record<keyof typeof FORMULA_FUNCTIONS, (...x: number[]) => number> = {
  mix: (a, b, x) => a + (b - a) * x,
  ramp: (a, b, x) => { const t = Math.max(0, Math.min(1, (x - a) / (b - a || 1e-12))); return t * t * (3 - 2 * t); },
  within: (x, a, b) => Math.max(a, Math.min(b, x)),
  step: (at, x) => (x < at ? 0 : 1),
};
const KNOWN = new Set(['abs', 'sqrt', 'pow', 'exp', 'log', 'sin', 'cos', 'tan', 'min', 'max', 'floor', 'ceil', 'round', 'sign', ...Object.keys(OWN)]);
const CONSTANTS = new Set(['pi', 'e']);

export interface Formula {
  /** Names it uses. */
  names: ReadonlySet<string>;
  evaluate(scope: Record<string, number>): number;
}
export interface FormulaTrouble { message: string; /** Character it is at, from 0. */ at: number }

const math = create(all, {});
const NODES = new Set(['ConstantNode', 'SymbolNode', 'OperatorNode', 'FunctionNode', 'ParenthesisNode', 'ConditionalNode', 'RelationalNode']);

/** `maps`: names of maps that may be used as well; `without`: inputs that this formula has not, and why. */
export function readFormula(text: string, maps: readonly string[], without: Partial<Record<keyof typeof FORMULA_INPUTS, string>> = {}): Formula | FormulaTrouble {
  let node: MathNode;
  try { node = math.parse(text); } catch (cause) {
    const at = (cause as { char?: number }).char;
    return { message: cause instanceof Error ? cause.message.replace(/ \(char \d+\)$/, '') : String(cause), at: at === undefined ? 0 : Math.max(0, at - 1) };
  }
  const names = new Set<string>(), inputs = Object.keys(FORMULA_INPUTS).filter((name) => !(name in without));
  let trouble: FormulaTrouble | null = null;
  const refuse = (word: string, message: string): void => { trouble ??= { message, at: Math.max(0, text.search(new RegExp(`(?<![\\w.])${word.replace(/[^\w]/g, '\\$&')}(?!\\w)`))) }; };
  node.traverse((n: MathNode, path: string) => {
    if (trouble) return;
    if (!NODES.has(n.type)) { refuse('=', 'Only numbers, names and functions can stand here.'); return; }
    if (n.type === 'ConstantNode' && typeof (n as unknown as { value: unknown }).value !== 'number') { refuse(String((n as unknown as { value: unknown }).value), 'Only numbers, names and functions can stand here.'); return; }
    if (n.type === 'FunctionNode') { const { name } = (n as unknown as { fn: { name: string } }).fn; if (!KNOWN.has(name)) refuse(name, `There is no function ${name}. There are: ${[...KNOWN].join(', ')}.`); }
    if (n.type === 'SymbolNode' && path !== 'fn') {
      const { name } = n as unknown as { name: string };
      if (CONSTANTS.has(name)) return;
      if (inputs.includes(name) || maps.includes(name)) names.add(name);
      else refuse(name, without[name as keyof typeof FORMULA_INPUTS] ?? `${name} is not known here. There are: ${[...inputs, ...maps].join(', ')}.`);
    }
  });
  if (trouble) return trouble;
  const code = node.compile(), evaluate = (scope: Record<string, number>): number => Number(code.evaluate({ ...OWN, ...scope }));
  try {
    const tried: unknown = code.evaluate({ ...OWN, ...Object.fromEntries([...Object.keys(FORMULA_INPUTS), ...maps].map((k) => [k, 0.5])) });
    if (typeof tried !== 'number' && typeof tried !== 'boolean') return { message: 'This does not come to a number.', at: 0 };
  } catch (cause) { return { message: cause instanceof Error ? cause.message : String(cause), at: 0 }; }
  return { names, evaluate };
}
export const isTrouble = (f: Formula | FormulaTrouble): f is FormulaTrouble => 'message' in f;
