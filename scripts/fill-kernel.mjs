// Compiles the fast filling from src/core/fill/steps.ts (the one definition of the treatments) and src/core/fill/fast/loops.as, on four strands side by side, when either differs
// from the last time; the same bytes on every machine. Anything outside the small language of the steps is refused with its place.
import { createHash } from 'node:crypto';
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { assemble } from './kernel/assemble.mjs';

const root = path.join(path.dirname(fileURLToPath(import.meta.url)), '..'), target = path.join(root, 'src/core/fill/fast/fill-code.ts'), at = (p) => readFileSync(path.join(root, p), 'utf8');
const steps = at('src/core/fill/steps.ts'), loops = at('src/core/fill/fast/loops.as'), stamp = [steps, loops, readFileSync(fileURLToPath(import.meta.url), 'utf8'), at('scripts/kernel/assemble.mjs'), at('package-lock.json')].reduce((h, t) => h.update(t), createHash('sha256')).digest('hex');

if (!existsSync(target) || !readFileSync(target, 'utf8').includes(stamp)) {
  const { default: ts } = await import('typescript'), K = ts.SyntaxKind, source = ts.createSourceFile('steps.ts', steps, ts.ScriptTarget.ES2022, true), known = new Set();
  const refuse = (node, why) => { const { line, character } = source.getLineAndCharacterOfPosition(node.getStart(source)); throw new Error(`steps.ts:${line + 1}:${character + 1}: ${why}: ${node.getText(source).slice(0, 80)}`); };
  const MATH = { 'Math.abs': 'abs', 'Math.sqrt': 'sqrt', 'Math.floor': 'floor', 'Math.min': 'pmin', 'Math.max': 'pmax' }, OPS = { '+': 'add', '-': 'sub', '*': 'mul', '/': 'div' }, ASKS = { '<': 'lt', '>': 'gt', '<=': 'le', '>=': 'ge', '===': 'eq', '!==': 'ne' };
  /** What is kept of a strand (`S`) are variables of the loop, as memory is slower than they are; parameters (`A`) stand in memory. */
  const place = (n) => { const of = n.expression.getText(source); if (!['S', 'A'].includes(of) || !ts.isNumericLiteral(n.argumentExpression)) refuse(n, 'only S and A, at a number'); return of === 'S' ? `S${n.argumentExpression.text}` : `v128.load(A, ${16 * Number(n.argumentExpression.text)})`; };
  const ask = (n) => { const op = ts.isBinaryExpression(n) && ASKS[n.operatorToken.getText(source)]; if (!op) refuse(n, 'a question compares two values'); return `f32x4.${op}(${e(n.left)}, ${e(n.right)})`; };
  const e = (n) => {
    if (ts.isParenthesizedExpression(n)) return e(n.expression);
    if (ts.isNumericLiteral(n)) return `f32x4.splat(${Number(n.text)})`;
    if (ts.isIdentifier(n)) return n.text;
    if (ts.isPrefixUnaryExpression(n) && n.operator === K.MinusToken) return `f32x4.neg(${e(n.operand)})`;
    if (ts.isElementAccessExpression(n)) return place(n);
    if (ts.isConditionalExpression(n)) return `v128.bitselect(${e(n.whenTrue)}, ${e(n.whenFalse)}, ${ask(n.condition)})`;
    if (ts.isCallExpression(n)) { const name = n.expression.getText(source), args = n.arguments.filter((a) => !['S', 'A'].includes(a.getText(source))).map(e).join(', '); return MATH[name] ? `f32x4.${MATH[name]}(${args})` : known.has(name) ? `${name}(${args})` : refuse(n, 'no such function'); }
    const op = ts.isBinaryExpression(n) && OPS[n.operatorToken.getText(source)];
    return op ? `f32x4.${op}(${e(n.left)}, ${e(n.right)})` : refuse(n, 'not an expression of the small language');
  };
  /** Whether a question is about parameters and numbers alone, and so has one answer for all strands. */
  const same = (n) => ts.isNumericLiteral(n) || (ts.isElementAccessExpression(n) && n.expression.getText(source) === 'A') || (ts.isBinaryExpression(n) && same(n.left) && same(n.right));
  const s = (n) => {
    if (ts.isBlock(n)) return `{ ${n.statements.map(s).join('\n')} }`;
    if (ts.isVariableStatement(n)) return n.declarationList.declarations.map((d) => `let ${d.name.text}: v128 = ${e(d.initializer)};`).join(' ');
    if (ts.isIfStatement(n)) return same(n.expression) ? `if (v128.any_true(${ask(n.expression)})) ${s(n.thenStatement)}${n.elseStatement ? ` else ${s(n.elseStatement)}` : ''}` : refuse(n, 'a branch asks parameters; what depends on the strand is chosen with ? :');
    if (ts.isReturnStatement(n)) return `return ${e(n.expression)};`;
    if (ts.isForStatement(n)) { const d = n.initializer.declarations[0]; return `for (let ${d.name.text}: i32 = 0; ${d.name.text} < ${n.condition.right.text}; ${d.name.text}++) ${s(n.statement)}`; }
    const x = ts.isExpressionStatement(n) ? n.expression : refuse(n, 'not a statement of the small language');
    if (ts.isCallExpression(x)) return blocks.get(x.expression.getText(source)) ?? `${e(x)};`;
    if (!ts.isBinaryExpression(x) || x.operatorToken.kind !== K.EqualsToken) refuse(n, 'assign with =');
    if (ts.isElementAccessExpression(x.left) && x.left.expression.getText(source) !== 'S') refuse(n, 'parameters are not written');
    return `${ts.isElementAccessExpression(x.left) ? place(x.left) : x.left.text} = ${e(x.right)};`;
  };
  /** Bodies of the functions that read and write what is kept, put where they are called; the others are functions. */
  const blocks = new Map(), out = [];
  for (const n of source.statements) {
    if (!ts.isFunctionDeclaration(n)) continue;
    if (n.parameters.some((q) => q.name.text === 'S')) { blocks.set(n.name.text, s(n.body)); continue; }
    known.add(n.name.text);
    out.push(`// @ts-ignore\n@inline function ${n.name.text}(${n.parameters.filter((q) => !['S', 'A'].includes(q.name.text)).map((q) => `${q.name.text}: v128`).join(', ')}): ${n.type.getText(source) === 'number' ? 'v128' : 'void'} ${s(n.body)}`);
  }
  // the loop once for every kind of step, with that step in it
  const at0 = loops.indexOf('export function displace('), loop = loops.slice(at0), kept = Array.from({ length: 40 }, (_, i) => `let S${i}: v128 = f32x4.splat(0);`).join(' ');
  const loopOf = (kind, i) => loop.replace('export function displace(', `export function ${kind}(`).replace('{', `{ const kind: i32 = ${i}; ${kept}`).replace(/\bSTEP;/, blocks.get(kind)).replace(/\bBEGIN;/, blocks.get('begin'));
  const code = `const A: usize = 2048;\n${out.join('\n')}\n${loops.slice(0, at0)}${['clump', 'curl', 'wave', 'frizz', 'stray', 'bend'].map(loopOf).join('\n')}`, wasm = await assemble('fill', code, 3072);
  writeFileSync(target, `/** Made by scripts/fill-kernel.mjs from src/core/fill/steps.ts and fast/loops.as; not kept in the repository. Sources ${stamp}. */\nexport const FILL_CODE = '${Buffer.from(wasm).toString('base64')}';\n`);
  console.log(`fast filling: ${wasm.length} bytes`);
}
