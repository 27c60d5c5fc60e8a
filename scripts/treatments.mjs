// Turns src/core/fill/steps.ts and lobes.ts, the one definition of the treatments and of how strands throw light, into functions of the shaders when it differs from the last time.
// `S` and `A` become arrays that all functions share. Anything outside the small language is refused with its place.
import { createHash } from 'node:crypto';
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { fileURLToPath } from 'node:url';

const root = path.join(path.dirname(fileURLToPath(import.meta.url)), '..'), target = path.join(root, 'src/editor/view/treatments-glsl.ts');
const texts = ['steps', 'lobes'].map((name) => ({ name, text: readFileSync(path.join(root, `src/core/fill/${name}.ts`), 'utf8') })), stamp = texts.reduce((h, f) => h.update(f.text), createHash('sha256')).update(readFileSync(fileURLToPath(import.meta.url), 'utf8')).digest('hex');

if (!existsSync(target) || !readFileSync(target, 'utf8').includes(stamp)) {
  const { default: ts } = await import('typescript'), K = ts.SyntaxKind;
  const glslOf = ({ name, text }) => {
  const source = ts.createSourceFile(`${name}.ts`, text, ts.ScriptTarget.ES2022, true);
  const refuse = (node, why) => { const { line, character } = source.getLineAndCharacterOfPosition(node.getStart(source)); throw new Error(`${name}.ts:${line + 1}:${character + 1}: ${why}: ${node.getText(source).slice(0, 80)}`); };
  const MATH = { 'Math.abs': 'abs', 'Math.sqrt': 'sqrt', 'Math.floor': 'floor', 'Math.min': 'min', 'Math.max': 'max', 'Math.exp': 'exp', 'Math.sin': 'sin', 'Math.cos': 'cos', 'Math.asin': 'asin' };
  const known = new Set();
  const number = (t) => { const s = String(Number(t)); return /[.e]/.test(s) ? s : `${s}.`; };
  const e = (n) => {
    if (ts.isParenthesizedExpression(n)) return `(${e(n.expression)})`;
    if (ts.isNumericLiteral(n)) return number(n.text);
    if (ts.isIdentifier(n)) return n.text;
    if (ts.isPrefixUnaryExpression(n) && n.operator === K.MinusToken) return `-${e(n.operand)}`;
    if (ts.isElementAccessExpression(n)) { if (!['S', 'A'].includes(n.expression.getText(source)) || !ts.isNumericLiteral(n.argumentExpression)) refuse(n, 'only S and A, at a number'); return `${n.expression.text}[${n.argumentExpression.text}]`; }
    if (ts.isConditionalExpression(n)) return `(${e(n.condition)} ? ${e(n.whenTrue)} : ${e(n.whenFalse)})`;
    if (ts.isCallExpression(n)) { const name = n.expression.getText(source), own = MATH[name] ?? (known.has(name) ? name : refuse(n, 'no such function')); return `${own}(${n.arguments.filter((a) => !['S', 'A'].includes(a.getText(source))).map(e).join(', ')})`; }
    if (ts.isBinaryExpression(n)) { const op = n.operatorToken.getText(source); if (!['+', '-', '*', '/', '<', '>', '>=', '<=', '!==', '==='].includes(op)) refuse(n, 'not an operator of the small language'); return `${e(n.left)} ${{ '!==': '!=', '===': '==' }[op] ?? op} ${e(n.right)}`; }
    return refuse(n, 'not an expression of the small language');
  };
  const s = (n) => {
    if (ts.isBlock(n)) return `{ ${n.statements.map(s).join(' ')} }`;
    if (ts.isVariableStatement(n)) return n.declarationList.declarations.map((d) => `float ${d.name.text} = ${e(d.initializer)};`).join(' ');
    if (ts.isIfStatement(n)) return `if (${e(n.expression)}) ${s(n.thenStatement)}${n.elseStatement ? ` else ${s(n.elseStatement)}` : ''}`;
    if (ts.isReturnStatement(n)) return `return ${e(n.expression)};`;
    if (ts.isForStatement(n)) {
      const d = n.initializer.declarations[0], end = ts.isNumericLiteral(n.condition.right) ? n.condition.right.text : refuse(n, 'a loop runs to a number');
      return `for (int ${d.name.text} = 0; ${d.name.text} < ${end}; ${d.name.text}++) ${s(n.statement)}`;
    }
    if (ts.isExpressionStatement(n)) {
      const x = n.expression;
      if (ts.isCallExpression(x)) return `${e(x)};`;
      if (ts.isBinaryExpression(x) && ['=', '+=', '-='].includes(x.operatorToken.getText(source))) return `${e(x.left)} ${x.operatorToken.getText(source)} ${e(x.right)};`;
    }
    return refuse(n, 'not a statement of the small language');
  };
  const out = [];
  for (const n of source.statements) {
    if (ts.isVariableStatement(n)) continue;
    if (!ts.isFunctionDeclaration(n)) refuse(n, 'a file of constants and functions');
    known.add(n.name.text);
    const params = n.parameters.filter((q) => !['S', 'A'].includes(q.name.text)).map((q) => `float ${q.name.text}`).join(', ');
    out.push(`${n.type.getText(source) === 'number' ? 'float' : 'void'} ${n.name.text}(${params}) ${s(n.body)}`);
  }
  return out.join('\n');
  };
  const [steps, lobes] = texts.map(glslOf);
  writeFileSync(target, `/** Made by scripts/treatments.mjs from src/core/fill/steps.ts and lobes.ts; not kept in the repository. Sources ${stamp}. */\nexport const STEPS_GLSL = ${JSON.stringify(`float S[40];\n${steps}\n`)};\nexport const LOBES_GLSL = ${JSON.stringify(`${lobes}\n`)};\n`);
}
