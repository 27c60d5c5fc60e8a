/** The small language the rod step is written in: what its translation refuses, with the place. */
import { describe, expect, it } from 'vitest';
import { declare, translate } from '../../scripts/kernel/translate.mjs';

const of = (body: string, name = 'part.ts'): string => {
  const files = [{ name, text: `const HALF = 0.5;\nexport function stepStrand(k: RodArrays, o: StepNumbers, s: i32, first: i32, n: i32): void {\n${body}\n}\nfunction twice(k: RodArrays, v: f): f {\n  return 2 * v;\n}` }];
  declare(files);
  return translate(files, ['x', 'mass'], ['h']);
};

describe('the translation of the rod step', () => {
  it('makes four lanes of a value, and keeps whole numbers whole', () => {
    const text = of('const { x } = k;\nfor (let i: i32 = 1; i < n; i++) {\n  const a: i32 = 3 * (first + i);\n  x[a + 1] += HALF * o.h;\n}');
    expect(text).toContain('const x$a: usize = x + (<usize>a << 4);');
    expect(text).toContain('v128.store(x$a, f32x4.add(v128.load(x$a, 16), f32x4.mul(f32x4(5e-1, 5e-1, 5e-1, 5e-1), o_h)), 16);');
    expect(text).toContain('let a: i32 = 3 * (first + i);');
  });
  it('folds constants, turns choices into selections, hands calls on', () => {
    expect(of('let v: f = 0;\nv = HALF * (1 / 4);')).toContain('v = f32x4(1.25e-1, 1.25e-1, 1.25e-1, 1.25e-1);');
    expect(of('const { mass } = k;\nconst v = select(mass[s], 1, 0);')).toMatch(/let v: v128 = select_\(v128\.load\(mass\$s, 0\), f32x4\(1e\+0/);
    expect(of('const v = twice(k, HALF);')).toContain('let v: v128 = twice(f32x4(5e-1');
  });
  it.each([
    ['const { x } = k;\nif (x[first] > 0) x[first] = 0;', /part\.ts:4:5: not a whole-number expression: x\[first\]/],
    ['const { x } = k;\nx[first] = Math.sin(x[first]);', /part\.ts:4:12: no such function in the kernel: Math\.sin/],
    ['const { x } = k;\nx[first] *= 2;', /part\.ts:4:1: assign with =, \+= or −=/],
    ['const v = elsewhere;', /part\.ts:3:11: not a value: elsewhere/],
    ['let i: i32 = 0;\nwhile (i < n) i++;', /part\.ts:4:1: not a statement of the small language/],
    ['const a: i32 = first / 2;', /part\.ts:3:16: not an operator for whole numbers/],
    ['const a: i32 = first;\nconst { x: a } = k;', /part\.ts:4:9: a is used as int and as array/],
    ['const { h } = o;', /part\.ts:3:7: only fields are taken out/],
  ])('%#: refuses what is outside it, and says where', (body, message) => {
    expect(() => of(body)).toThrow(message);
  });
  it('refuses parameters and statements of other kinds', () => {
    const file = (text: string) => [{ name: 'odd.ts', text }];
    expect(() => translate(file('function f(v: string): void {}'), [], [])).toThrow(/odd\.ts:1:12: a parameter is f, i32, StepNumbers or what holds the fields/);
    expect(() => translate(file('class A {}'), [], [])).toThrow(/odd\.ts:1:1: a kernel file holds imports, constants and functions/);
  });
});
