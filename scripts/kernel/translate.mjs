/**
 * From the restricted TypeScript of src/core/sway/rod (see lanes.ts there) and of src/core/groom/comb/near-steps.ts to AssemblyScript on f32x4, four strands a lane.
 * Anything outside the small language is refused with its place.
 */
import ts from 'typescript';

const K = ts.SyntaxKind;
const FLOAT_OPS = { [K.PlusToken]: 'add', [K.MinusToken]: 'sub', [K.AsteriskToken]: 'mul', [K.SlashToken]: 'div' };
const MATH = { 'Math.sqrt': 'sqrt', 'Math.abs': 'abs', 'Math.max': 'max', 'Math.min': 'min' };
const INT_OPTIONS = new Set(['passes', 'lagging']);
/** What holds the fields. */
const ARRAYS = new Set(['RodArrays', 'ChainArrays']);
/** Functions that are asked for from outside. */
const ENTRIES = new Set(['stepStrand', 'nearSteps']);

/** `files`: { name, text } in any order; `fields`: names of the arrays in the order their bases are set. */
export function translate(files, fields, floatOptions) {
  const constants = new Map(), functions = [];
  for (const file of files) {
    const source = ts.createSourceFile(file.name, file.text, ts.ScriptTarget.ES2022, true);
    for (const node of source.statements) {
      if (ts.isFunctionDeclaration(node)) functions.push({ node, source });
      else if (ts.isVariableStatement(node)) for (const d of node.declarationList.declarations) constants.set(d.name.text, evaluate(d.initializer, constants, source));
      else if (!ts.isImportDeclaration(node) && !ts.isTypeAliasDeclaration(node)) refuse(source, node, 'a kernel file holds imports, constants and functions');
    }
  }
  const names = new Set(functions.map((f) => f.node.name.text));
  const bodies = functions.map((f) => functionText(f.node, f.source, constants, names));
  const params = floatOptions.map((n) => `_${n}: f32`), sets = floatOptions.map((n) => `o_${n} = f32x4.splat(_${n});`);
  return `${fields.map((n) => `let B_${n}: usize = 0;`).join('\n')}
${floatOptions.map((n) => `let o_${n}: v128 = f32x4.splat(0);`).join('\n')}
${[...INT_OPTIONS].map((n) => `let o_${n}: i32 = 0;`).join('\n')}
export function setBase(field: i32, at: usize): void { ${fields.map((n, i) => `if (field == ${i}) B_${n} = at;`).join(' ')} }
export function setNumbers(${[...params, ...[...INT_OPTIONS].map((n) => `_${n}: i32`)].join(', ')}): void { ${sets.join(' ')} ${[...INT_OPTIONS].map((n) => `o_${n} = _${n};`).join(' ')} }
// @ts-ignore
@inline function above(v: v128): v128 { return f32x4.gt(v, ${splat(0)}); }
// @ts-ignore
@inline function select_(c: v128, yes: v128, no: v128): v128 { return v128.bitselect(yes, no, above(c)); }
// @ts-ignore
@inline function any_(v: v128): bool { return v128.any_true(above(v)); }
// @ts-ignore
@inline function finite_(v: v128): v128 { return v128.bitselect(${splat(1)}, ${splat(0)}, f32x4.eq(f32x4.sub(v, v), ${splat(0)})); }
${bodies.join('\n')}
`;
}

function refuse(source, node, why) {
  const { line, character } = source.getLineAndCharacterOfPosition(node.getStart(source));
  throw new Error(`${source.fileName}:${line + 1}:${character + 1}: ${why}: ${node.getText(source).slice(0, 90)}`);
}
const splat = (v) => { const t = v.toExponential(); return `f32x4(${t}, ${t}, ${t}, ${t})`; };

/** Value of an expression of literals and constants, or null. */
function evaluate(e, constants, source) {
  if (ts.isParenthesizedExpression(e)) return evaluate(e.expression, constants, source);
  if (ts.isNumericLiteral(e)) return Number(e.text);
  if (ts.isIdentifier(e)) return constants.get(e.text) ?? null;
  if (ts.isPrefixUnaryExpression(e) && e.operator === K.MinusToken) { const v = evaluate(e.operand, constants, source); return v === null ? null : -v; }
  if (ts.isBinaryExpression(e)) {
    const a = evaluate(e.left, constants, source), b = evaluate(e.right, constants, source);
    if (a === null || b === null) return null;
    switch (e.operatorToken.kind) { case K.PlusToken: return a + b; case K.MinusToken: return a - b; case K.AsteriskToken: return a * b; case K.SlashToken: return a / b; default: return null; }
  }
  return null;
}

function functionText(fn, source, constants, functions) {
  /** What each local name is: 'int', 'float' or 'array'. */
  const kinds = new Map();
  const structs = new Map();
  const typeOf = (t) => t?.getText(source);
  const params = [];
  for (const p of fn.parameters) {
    const type = typeOf(p.type), name = p.name.text;
    if (ARRAYS.has(type) || type === 'StepNumbers') structs.set(name, type);
    else if (type === 'i32') { kinds.set(name, 'int'); params.push(`${name}: i32`); }
    else if (type === 'f') { kinds.set(name, 'float'); params.push(`${name}: v128`); }
    else refuse(source, p, 'a parameter is f, i32, StepNumbers or what holds the fields');
  }
  const local = (name, kind, node) => {
    if (kinds.has(name) && kinds.get(name) !== kind) refuse(source, node, `${name} is used as ${kinds.get(name)} and as ${kind}`);
    kinds.set(name, kind);
  };

  const int = (e) => {
    if (ts.isParenthesizedExpression(e)) return `(${int(e.expression)})`;
    if (ts.isNumericLiteral(e)) return e.text;
    if (ts.isIdentifier(e)) {
      if (kinds.get(e.text) === 'int') return e.text;
      if (constants.has(e.text)) return String(constants.get(e.text));
      return refuse(source, e, 'not a whole number');
    }
    if (ts.isPropertyAccessExpression(e) && structs.get(e.expression.text) === 'StepNumbers' && INT_OPTIONS.has(e.name.text)) return `o_${e.name.text}`;
    if (ts.isConditionalExpression(e)) return `(${int(e.condition)} ? ${int(e.whenTrue)} : ${int(e.whenFalse)})`;
    if (ts.isPrefixUnaryExpression(e)) return `${e.operator === K.ExclamationToken ? '!' : '-'}${int(e.operand)}`;
    if (ts.isCallExpression(e) && e.expression.text === 'any') return `any_(${float(e.arguments[0])})`;
    if (ts.isBinaryExpression(e)) {
      const op = e.operatorToken.getText(source);
      if (!['+', '-', '*', '<', '>', '>=', '<=', '===', '&&', '||'].includes(op)) refuse(source, e, 'not an operator for whole numbers');
      return `${int(e.left)} ${op === '===' ? '==' : op} ${int(e.right)}`;
    }
    return refuse(source, e, 'not a whole-number expression');
  };
  /** Index names by the arrays they are used with: their addresses are computed once, where the index is declared. */
  const addressed = new Map();
  const simpleIndex = (index) => {
    if (ts.isIdentifier(index)) return [index.text, 0];
    if (ts.isBinaryExpression(index) && ts.isIdentifier(index.left) && ts.isNumericLiteral(index.right)) {
      if (index.operatorToken.kind === K.PlusToken) return [index.left.text, Number(index.right.text)];
      if (index.operatorToken.kind === K.MinusToken) return [index.left.text, -Number(index.right.text)];
    }
    return null;
  };
  const scan = (n) => {
    if (ts.isElementAccessExpression(n) && ts.isIdentifier(n.expression)) {
      const found = simpleIndex(n.argumentExpression);
      if (found) addressed.set(found[0], (addressed.get(found[0]) ?? new Set()).add(n.expression.text));
    }
    ts.forEachChild(n, scan);
  };
  scan(fn.body);
  /** Addresses that go with a whole number that has just been declared. */
  const addresses = (name) => [...(addressed.get(name) ?? [])].filter((array) => kinds.get(array) === 'array').map((array) => `const ${array}$${name}: usize = ${array} + (<usize>${name} << 4);`).join(' ');
  const place = (e) => {
    if (!ts.isIdentifier(e.expression) || kinds.get(e.expression.text) !== 'array') refuse(source, e, 'not a field taken out of the rod');
    const index = e.argumentExpression, base = e.expression.text, simple = simpleIndex(index);
    if (simple && kinds.get(simple[0]) === 'int') return simple[1] < 0 ? [`${base}$${simple[0]} - ${-16 * simple[1]}`, 0] : [`${base}$${simple[0]}`, 16 * simple[1]];
    return [`${base} + (<usize>(${int(index)}) << 4)`, 0];
  };
  const load = (e) => { const [at, offset] = place(e); return `v128.load(${at}, ${offset})`; };
  const float = (e) => {
    const value = evaluate(e, constants, source);
    if (value !== null && !(ts.isIdentifier(e) && kinds.has(e.text))) return splat(value);
    if (ts.isParenthesizedExpression(e)) return float(e.expression);
    if (ts.isIdentifier(e)) return kinds.get(e.text) === 'float' ? e.text : refuse(source, e, 'not a value');
    if (ts.isPrefixUnaryExpression(e) && e.operator === K.MinusToken) return `f32x4.neg(${float(e.operand)})`;
    if (ts.isPropertyAccessExpression(e) && structs.get(e.expression.text) === 'StepNumbers' && !INT_OPTIONS.has(e.name.text)) return `o_${e.name.text}`;
    if (ts.isElementAccessExpression(e)) return load(e);
    if (ts.isConditionalExpression(e)) return `(${int(e.condition)} ? ${float(e.whenTrue)} : ${float(e.whenFalse)})`;
    if (ts.isCallExpression(e)) {
      const name = e.expression.getText(source);
      if (MATH[name]) return `f32x4.${MATH[name]}(${e.arguments.map(float).join(', ')})`;
      if (name === 'select' || name === 'finite') return `${name}_(${e.arguments.map(float).join(', ')})`;
      return call(e);
    }
    if (ts.isBinaryExpression(e) && FLOAT_OPS[e.operatorToken.kind]) return `f32x4.${FLOAT_OPS[e.operatorToken.kind]}(${float(e.left)}, ${float(e.right)})`;
    return refuse(source, e, 'not an expression of the small language');
  };
  const call = (e) => {
    const name = e.expression.getText(source);
    if (!functions.has(name)) refuse(source, e, 'no such function in the kernel');
    const args = e.arguments.filter((a) => !(ts.isIdentifier(a) && structs.has(a.text)));
    const isInt = (a) => { try { int(a); return !ts.isNumericLiteral(a); } catch { return false; } };
    const target = declared.get(name), wanted = target.filter((t) => t === 'i32' || t === 'f');
    return `${name}(${args.map((a, i) => (wanted[i] === 'i32' || (wanted[i] === undefined && isInt(a)) ? int(a) : float(a))).join(', ')})`;
  };
  const statement = (n) => {
    if (ts.isBlock(n)) return `{ ${n.statements.map(statement).join('\n')} }`;
    if (ts.isVariableStatement(n)) return declarations(n.declarationList);
    if (ts.isForStatement(n)) {
      const init = n.initializer && ts.isVariableDeclarationList(n.initializer) ? declarations(n.initializer, true) : refuse(source, n, 'a loop declares its counter');
      const step = ts.isPostfixUnaryExpression(n.incrementor) ? n.incrementor.getText(source) : refuse(source, n, 'a loop counts by one');
      const counter = n.initializer.declarations[0].name.text, body = ts.isBlock(n.statement) ? n.statement.statements.map(statement).join('\n') : statement(n.statement);
      return `{ ${init} for (; ${int(n.condition)}; ${step}) { ${addresses(counter)} ${body} } }`;
    }
    if (ts.isIfStatement(n)) return `if (${int(n.expression)}) ${statement(n.thenStatement)}${n.elseStatement ? ` else ${statement(n.elseStatement)}` : ''}`;
    if (n.kind === K.BreakStatement) return 'break;';
    if (ts.isReturnStatement(n)) return n.expression ? `return ${typeOf(fn.type) === 'i32' ? int(n.expression) : float(n.expression)};` : 'return;';
    if (ts.isExpressionStatement(n)) {
      const e = n.expression;
      if (ts.isCallExpression(e)) return `${call(e)};`;
      if (!ts.isBinaryExpression(e)) refuse(source, n, 'not a statement of the small language');
      const op = { [K.EqualsToken]: '', [K.PlusEqualsToken]: 'add', [K.MinusEqualsToken]: 'sub' }[e.operatorToken.kind];
      if (op === undefined) refuse(source, n, 'assign with =, += or −=');
      const value = (old) => (op === '' ? float(e.right) : `f32x4.${op}(${old}, ${float(e.right)})`);
      if (ts.isElementAccessExpression(e.left)) { const [at, offset] = place(e.left); return `v128.store(${at}, ${value(load(e.left))}, ${offset});`; }
      if (kinds.get(e.left.text) === 'float') return `${e.left.text} = ${value(e.left.text)};`;
      return refuse(source, n, 'only values and fields are assigned');
    }
    return refuse(source, n, 'not a statement of the small language');
  };
  const declarations = (list, counts = false) => list.declarations.map((d) => {
    if (ts.isObjectBindingPattern(d.name)) {
      if (!ARRAYS.has(structs.get(d.initializer.text))) refuse(source, d, 'only fields are taken out');
      return d.name.elements.map((el) => { const field = (el.propertyName ?? el.name).text; local(el.name.text, 'array', el); return `const ${el.name.text}: usize = B_${field};`; }).join(' ');
    }
    if (typeOf(d.type) === 'i32') { const text = int(d.initializer); local(d.name.text, 'int', d); return `let ${d.name.text}: i32 = ${text};${counts ? '' : ` ${addresses(d.name.text)}`}`; }
    const text = float(d.initializer);
    local(d.name.text, 'float', d);
    return `let ${d.name.text}: v128 = ${text};`;
  }).join(' ');

  const declared = functionText.declared;
  // fields come first, so that addresses of whole-number parameters can be computed after them
  let body = statement(fn.body);
  const result = typeOf(fn.type), first = [...kinds].filter(([name, kind]) => kind === 'int' && params.includes(`${name}: i32`)).map(([name]) => addresses(name)).join(' ');
  body = body.replace(/((?:const \w+: usize = B_\w+; ?)+)/, (fields) => `${fields} ${first} `);
  const whole = ENTRIES.has(fn.name.text), small = !/\bfor\b/.test(fn.body.getText(source));
  return `${whole ? 'export ' : small ? '// @ts-ignore\n@inline ' : ''}function ${fn.name.text}(${params.join(', ')}): ${result === 'f' ? 'v128' : result} ${body}`;
}
/** Parameter types by function name, gathered before the bodies are translated. */
functionText.declared = new Map();
export function declare(files) {
  functionText.declared.clear();
  for (const file of files) {
    const source = ts.createSourceFile(file.name, file.text, ts.ScriptTarget.ES2022, true);
    for (const node of source.statements) if (ts.isFunctionDeclaration(node)) functionText.declared.set(node.name.text, node.parameters.map((p) => p.type.getText(source)));
  }
}
