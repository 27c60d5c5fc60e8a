import fc from 'fast-check';
import { strToU8, zipSync } from 'fflate';
import { CubicBezierCurve3, Vector3 } from 'three';
import { describe, expect, it } from 'vitest';
import { openCurves } from './curves';
import { curvesOfLayer } from './usd-read-curves';
import { readUsdText, UsdTextError } from './usda-read';

const layer = (body: string, head = ''): string => `#usda 1.0\n${head}\n${body}\n`;
/** A prim of curves; `said` in round brackets behind its name. */
const prim = (points: string, counts: string, more = 'uniform token type = "linear"', said = '', name = 'n'): string => `def BasisCurves "${name}" ${said}\n{\n    int[] curveVertexCounts = ${counts}\n    point3f[] points = ${points}\n    ${more}\n}\n`;
const opened = async (text: string, name = 'a.usda'): Promise<{ curves: number[][]; warnings: string[] }> => {
  const r = await openCurves([{ name, bytes: strToU8(text) }]);
  if (!r.ok) throw new Error(r.error.message);
  return { curves: r.value.curves.map((c) => Array.from(c, (v) => Number(v.toFixed(5)))), warnings: r.warnings };
};
const refused = async (text: string): Promise<string> => { const r = await openCurves([{ name: 'a.usda', bytes: strToU8(text) }]); if (r.ok) throw new Error('was taken'); return r.error.message; };

describe('OpenUSD text', () => {
  it('values of every kind, however they are laid out', () => {
    const { specsByPath: s } = readUsdText(layer(`def Xform "a" ( kind = "component"
  customData = { string note = "x # no comment"; dictionary inner = { int[] k = [1] } }
  prepend apiSchemas = ["one", "two"] "what it is" )
{ custom double x:y = -1.5e-2 ; token t = "said \\"so\\"" # a note
  float[] many = [
     1, .5, # half
     +2.,
  ]
  string long = """two
lines"""
  matrix4d m = ( (1, 0), (0, 1) )
  rel to = </b/c>
  asset file = @./x.png@
  float moving.timeSamples = { 1: 2, 3.5: None, 4: (1, 2) }
  bool on = true
  float none
  reorder properties = ["t", "x:y"]
  over "below" { int k = 7 }
}`, '(\n "a layer"\n upAxis = "Z"\n metersPerUnit = 0.01 )'));
    expect(s['/'].fields).toEqual({ upAxis: 'Z', metersPerUnit: 0.01 });
    expect(s['/a'].fields).toEqual({ specifier: 'def', typeName: 'Xform', kind: 'component', customData: { note: 'x # no comment', inner: { k: [1] } }, apiSchemas: ['one', 'two'] });
    const value = (name: string): unknown => s[`/a.${name}`].fields.default;
    expect([value('x:y'), value('t'), value('many'), value('long'), value('m'), value('to'), value('file'), value('on'), value('none')]).toEqual([-0.015, 'said "so"', [1, 0.5, 2], 'two\nlines', [1, 0, 0, 1], '/b/c', { asset: './x.png' }, true, undefined]);
    expect(s['/a.moving'].fields.timeSamples).toEqual({ times: [1, 3.5, 4], values: [2, null, [1, 2]] });
    expect(s['/a/below'].fields).toEqual({ specifier: 'over', typeName: '' });
    expect(s['/a/below.k'].fields.default).toBe(7);
  });
  it('what curves do not need is gone over', () => {
    const { specsByPath: s } = readUsdText(layer(`def "a" ( references = @x.usd@</b> (offset = 10; scale = 2) \n relocates = { </a/b>: </a/c>, } \n payload = [@@@y@z.usd@@@, @w.usd@] )
{ float x.spline = { bezier, 1: 5; post held, { "}" } }
  rel many = [</b>, </c>]
  token out.connect = </d.e>
  int k = 3 ( doc = "three" \n hidden = true ) }
reorder rootPrims = ["a"]`, '( subLayers = [ @s.usda@ (offset = 1), @t.usda@ ] )'));
    expect(s['/'].fields.subLayers).toEqual([{ asset: 's.usda' }, { asset: 't.usda' }]);
    expect(s['/a'].fields).toEqual({ specifier: 'def', typeName: '', references: { asset: 'x.usd', path: '/b' }, relocates: {}, payload: [{ asset: 'y@z.usd' }, { asset: 'w.usd' }] });
    expect(s['/a.k'].fields.default).toBe(3);
  });
  it('what is wrong is told with its line', () => {
    const trouble = (text: string): [string, number, boolean] => { try { readUsdText(text); } catch (e) { if (e instanceof UsdTextError) return [e.message, e.line, e.cut]; } throw new Error('nothing was wrong'); };
    expect(trouble('#usda 1.0\ndef X "a"\n{\n  int k = [1, 2')).toEqual(['a list has no end.', 4, true]);
    expect(trouble('#usda 1.0\ndef X "a"\n{\n  int k = 1\n')).toEqual(['“/a” has no end.', 5, true]);
    expect(trouble('#usda 1.0\n\n  int k = 1')).toEqual(['a prim should follow.', 3, false]);
    expect(trouble('#usda 1.0\ndef X "a"\n  int k = 1')).toEqual(['“{” should follow, not “int k = 1”.', 3, false]);
    expect(trouble(`#usda 1.0\ndef X "a" { int k = ${'['.repeat(5000)}`)[0]).toMatch(/too deep/);
  });
  it('whatever the text, it is read or told', () => {
    const whole = layer(prim('[(0, 1, 0), (0, 2, 0)]', '[2]', 'float k.timeSamples = { 1: 2 }\n variantSet "v" = { "a" { int x = 1 } }', '( variants = { string v = "a" } )'));
    fc.assert(fc.property(fc.nat(whole.length), fc.array(fc.tuple(fc.nat(whole.length - 1), fc.constantFrom(...'(){}[]"=:,;@<>#.a1- \n')), { maxLength: 6 }), (cut, hits) => {
      const text = [...whole];
      for (const [at, c] of hits) text[at] = c;
      try { readUsdText(text.join('').slice(0, hits.length === 0 ? cut : undefined)); }
      catch (e) { expect(e).toBeInstanceOf(UsdTextError); }
    }), { seed: 3, numRuns: 2000 });
  });
});

describe('curves of OpenUSD files made elsewhere', () => {
  it('the variant that is chosen is taken; where none is, the first, which is told', async () => {
    const of = (choice: string): string => layer(`def Xform "c" ( ${choice}\n prepend variantSets = "look" )\n{\n variantSet "look" = {\n "short" { ${prim('[(0, 1, 0), (0, 1.1, 0)]', '[2]')} }\n "long" { ${prim('[(0, 1, 0), (0, 1.5, 0)]', '[2]')} }\n }\n}`);
    expect(await opened(of('variants = { string look = "long" }'))).toEqual({ curves: [[0, 1, 0, 0, 1.5, 0]], warnings: [] });
    const { curves, warnings } = await opened(of(''));
    expect(curves).toEqual([[0, 1, 0, 0, 1.1, 0]]);
    expect(warnings.join()).toMatch(/“look”.*“short” is taken/);
  });
  it('what is switched off, or a pattern, is left out with what lies below it', async () => {
    const one = prim('[(0, 1, 0), (0, 1.1, 0)]', '[2]'), { curves, warnings } = await opened(layer(`class Xform "_p" { ${one} }\ndef Xform "off" ( active = false ) { ${one} }\n${prim('[(1, 1, 0), (1, 2, 0)]', '[2]', undefined, '', 'on')}`));
    expect(curves).toEqual([[1, 1, 0, 1, 2, 0]]);
    expect(warnings.join()).toMatch(/2 sets of curves .* switched off/);
  });
  it('a cubic is where its curve is: Bézier, as three.js has it', async () => {
    // Source: three.js, CubicBezierCurve3
    const p = [[0, 1, 0], [0.1, 1.1, 0.02], [-0.1, 1.2, 0], [0, 1.3, 0], [0.1, 1.4, 0], [0, 1.5, 0.1], [0, 1.6, 0]], v = p.map((q) => new Vector3(...q)), a = new CubicBezierCurve3(v[0], v[1], v[2], v[3]), b = new CubicBezierCurve3(v[3], v[4], v[5], v[6]);
    const wanted = [a.getPoint(0), a.getPoint(1 / 3), a.getPoint(2 / 3), b.getPoint(0), b.getPoint(1 / 3), b.getPoint(2 / 3), b.getPoint(1)].flatMap((q) => q.toArray()), text = `[${p.map((q) => `(${q.join(', ')})`).join(', ')}]`;
    // cubic and Bézier are what is meant where nothing is said
    for (const more of ['uniform token type = "cubic"\n uniform token basis = "bezier"', '']) (await opened(layer(prim(text, '[7]', more)))).curves[0].forEach((x, i) => expect(x).toBeCloseTo(wanted[i], 5));
    // the same as one piece with knots
    const nurbs = await opened(layer(`def NurbsCurves "n"\n{\n int[] curveVertexCounts = [4]\n int[] order = [4]\n double[] knots = [0, 0, 0, 0, 1, 1, 1, 1]\n point3f[] points = [${p.slice(0, 4).map((q) => `(${q.join(', ')})`).join(', ')}]\n}`));
    nurbs.curves[0].forEach((x, i) => expect(x).toBeCloseTo([0, 1, 2, 3].flatMap((k) => a.getPoint(k / 3).toArray())[i], 5));
    expect((await opened(layer('def NurbsCurves "n"\n{\n int[] curveVertexCounts = [2]\n int[] order = [4]\n double[] knots = [0]\n point3f[] points = [(0, 1, 0), (0, 2, 0)]\n}'))).warnings.join()).toMatch(/knots do not fit/);
  });
  it('a B-spline lies inside its corners, and ends at its own ends where it is pinned; one through its points keeps them', async () => {
    const points = '[(0, 0, 0), (0, 6, 0), (6, 6, 0), (6, 0, 0)]', basis = (b: string, w: string): string => `uniform token type = "cubic"\n uniform token basis = "${b}"\n uniform token wrap = "${w}"`;
    // (a + 4 b + c) / 6, from the basis of uniform cubic B-splines
    expect((await opened(layer(prim(points, '[4]', basis('bspline', 'nonperiodic'))))).curves).toEqual([[1, 5, 0, 5, 5, 0]]);
    expect((await opened(layer(prim(points, '[4]', basis('bspline', 'pinned'))))).curves).toEqual([[0, 0, 0, 1, 5, 0, 5, 5, 0, 6, 0, 0]]);
    expect((await opened(layer(prim(points, '[4]', basis('catmullRom', 'pinned'))))).curves).toEqual([[0, 0, 0, 0, 6, 0, 6, 6, 0, 6, 0, 0]]);
    expect((await opened(layer(prim(points, '[4]', basis('catmullRom', 'nonperiodic'))))).curves).toEqual([[0, 6, 0, 6, 6, 0]]);
  });
  it('the first of many times is taken and told; a package is opened; so is text with a mark of its byte order', async () => {
    expect((await opened(`\ufeff${layer(prim('[(0, 1, 0), (0, 2, 0)]', '[2]'))}`)).curves.length).toBe(1);
    const moving = layer('def BasisCurves "n"\n{\n uniform token type = "linear"\n int[] curveVertexCounts = [2]\n point3f[] points.timeSamples = {\n 5: [(0, 1, 0), (0, 2, 0)],\n 6: [(0, 1, 0), (0, 3, 0)],\n }\n}'), { curves, warnings } = await opened(moving);
    expect(curves).toEqual([[0, 1, 0, 0, 2, 0]]);
    expect(warnings.join()).toMatch(/at 5, the first of 2 times/);
    const r = await openCurves([{ name: 'a.usdz', bytes: zipSync({ 'a.usda': [strToU8(moving), { level: 0 }] }) }]);
    expect(r.ok && r.value.curves.length).toBe(1);
  });
  it('prims take over from others of the layer: where they stand, as often as they do, what they say themselves counting more', async () => {
    const lock = 'BasisCurves "lock" { uniform token type = "linear" int[] curveVertexCounts = [2] point3f[] points = [(0, 1, 0), (0, 2, 0)] }', put = (x: number): string => `double3 xformOp:translate = (${x}, 0, 0) uniform token[] xformOpOrder = ["xformOp:translate"]`;
    const straight = (x: number): number[] => [x, 1, 0, x, 2, 0];
    // patterns are not there themselves, whether they are a class or only over something
    for (const pattern of ['class', 'over']) expect((await opened(layer(`${pattern} Scope "Kinds" { def ${lock} }
 def Xform "a" { def "own" ( references = </Kinds/lock> (offset = 3) ) { } ${put(1)} }
 def Xform "b" ( prepend references = </Kinds> ) { ${put(5)} }`))).curves.sort()).toEqual([straight(1), straight(5)]);
    // one that stands there itself is there once more; over two steps; its own word on it counts more
    expect((await opened(layer(`def ${lock}
 def Xform "two" { def "c" ( inherits = </mid> ) { point3f[] points = [(7, 1, 0), (7, 2, 0)] } }
 class "mid" ( specializes = </lock> ) { }`))).curves.sort()).toEqual([straight(0), straight(7)]);
    // the layer's first; itself; one that is not there
    expect((await opened(`#usda 1.0
( defaultPrim = "lock" )
 def ${lock}
 def Xform "d" { ${put(2)} def "e" ( references = @@ ) { } }`)).curves.sort()).toEqual([straight(0), straight(2)]);
    const odd = await opened(layer(`def Xform "x" ( references = [</x>, </x/y>, </gone>] ) { def ${lock} }`));
    expect(odd.curves).toEqual([straight(0)]);
    expect(odd.warnings.join()).toMatch(/takes over “\/gone”, which is not in it/);
    // two that take over each other, with more in each, come to an end
    expect(await refused(layer('def "p" ( references = </q> ) { def "r" ( references = </p> ) { } }\n def "q" ( references = </p> ) { def "s" ( references = </q> ) { } }'))).toMatch(/no curve|take over so much/);
  });
  it('what the binary form’s parser leaves unread is told', () => {
    const lock = { '/lock': { fields: { typeName: 'BasisCurves', specifier: 0 } }, '/lock.type': { fields: { default: 'linear' } }, '/lock.curveVertexCounts': { fields: { default: [2] } }, '/lock.points': { fields: { default: [0, 1, 0, 0, 2, 0] } } }, asking = { '/a': { fields: { typeName: 'Xform', references: null } } };
    const some = curvesOfLayer({ specsByPath: { '/': { fields: {} }, ...lock, ...asking } }, true), none = curvesOfLayer({ specsByPath: { '/': { fields: {} }, ...asking } }, true);
    expect(some.ok && [some.value.curves.length, some.warnings.join()]).toEqual([1, expect.stringMatching(/not followed in the binary form/)]);
    expect(!none.ok && none.error.message).toMatch(/holds no curves itself but takes over .* save it as text/);
    // in text it stands for nothing at all
    const text = curvesOfLayer({ specsByPath: { '/': { fields: {} }, ...lock, ...asking } });
    expect(text.ok && text.warnings).toEqual([]);
    // inherits are read there, under another name
    const by = curvesOfLayer({ specsByPath: { '/': { fields: {} }, ...lock, '/b': { fields: { typeName: '', inheritPaths: ['/lock'] } } } }, true);
    expect(by.ok && by.value.curves.length).toBe(2);
  });
  it('what is not to be seen is left out, and said to be', async () => {
    const lock = (name: string, more = ''): string => `def BasisCurves "${name}" { ${more} uniform token type = "linear" int[] curveVertexCounts = [2] point3f[] points = [(0, 1, 0), (0, 2, 0)] }`, { curves, warnings } = await opened(layer(`${lock('seen', 'token visibility = "inherited"')}\n ${lock('own', 'token visibility = "invisible"')}\n def Xform "in" { token visibility = "invisible" ${lock('it')} }`));
    expect(curves.length).toBe(1);
    expect(warnings.join()).toMatch(/2 sets of curves .* not to be seen/);
  });
  it('what cannot be taken says why', async () => {
    expect(await refused(layer(prim('[(0, 1, 0)]', '[4]')))).toMatch(/need more points than the 1 it has/);
    expect(await refused(layer(prim('[(0, 1, 0), (0, inf, 0)]', '[2]')))).toMatch(/not numbers/);
    expect(await refused('#usda 1.0\ndef BasisCurves "n"\n{\n point3f[] points = [(0, 1')).toMatch(/line 4: a list has no end\. It was cut off: copy it again/);
    expect(await refused(layer('def Xform "c" ( prepend references = @./hair.usda@</hair> ) { }'))).toMatch(/refers to “\.\/hair\.usda”.*flattened/);
  });
});
