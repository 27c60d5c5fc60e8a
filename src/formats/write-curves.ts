/** Curves → the files that `openCurves` reads. Metres, +Y up. */
import { Document, WebIO } from '@gltf-transform/core';
import { floatText, writeUsda } from './usda';

export const CURVE_WRITERS = { glb: 'glTF lines', obj: 'OBJ polylines', usda: 'OpenUSD curves', hair: 'binary strands (.hair)', data: 'binary strands (.data)' } as const;
export type CurveWriter = keyof typeof CURVE_WRITERS;

/** `curves`: 3 × points each, m; `width`: diameter, m. */
export async function writeCurves(kind: CurveWriter, curves: readonly Float32Array[], options: { name: string; width: number; comment: string }): Promise<Uint8Array> {
  switch (kind) {
    case 'glb': return asGlb(curves, options.name);
    case 'obj': return asObj(curves, options);
    case 'usda': return asUsda(curves, options);
    case 'hair': return asHair(curves, options.width);
    case 'data': return asData(curves);
  }
}

function asGlb(curves: readonly Float32Array[], name: string): Promise<Uint8Array> {
  const d = new Document(), buffer = d.createBuffer(), all = new Float32Array(curves.reduce((n, c) => n + c.length, 0)), ends = new Uint32Array((2 * all.length) / 3 - 2 * curves.length);
  let v = 0, o = 0;
  for (const c of curves) {
    all.set(c, 3 * v);
    for (let i = 0; i + 1 < c.length / 3; i++) { ends[o++] = v + i; ends[o++] = v + i + 1; }
    v += c.length / 3;
  }
  const lines = d.createPrimitive().setMode(1).setAttribute('POSITION', d.createAccessor().setArray(all).setType('VEC3').setBuffer(buffer)).setIndices(d.createAccessor().setArray(ends).setType('SCALAR').setBuffer(buffer));
  d.createScene().addChild(d.createNode(name).setMesh(d.createMesh(name).addPrimitive(lines)));
  return new WebIO().writeBinary(d);
}

function asObj(curves: readonly Float32Array[], { name, comment }: { name: string; comment: string }): Uint8Array {
  const text: string[] = [`# ${comment}`, `o ${name.replace(/\s+/g, '_')}`];
  let v = 1;
  for (const c of curves) {
    for (let i = 0; i < c.length; i += 3) text.push(`v ${floatText(c[i])} ${floatText(c[i + 1])} ${floatText(c[i + 2])}`);
    text.push(`l ${Array.from({ length: c.length / 3 }, () => v++).join(' ')}`);
  }
  return new TextEncoder().encode(`${text.join('\n')}\n`);
}

async function asUsda(curves: readonly Float32Array[], { name, width, comment }: { name: string; width: number; comment: string }): Promise<Uint8Array> {
  const counts = curves.map((c) => c.length / 3), total = counts.reduce((a, b) => a + b, 0), points = new Float32Array(3 * total);
  let o = 0;
  for (const c of curves) { points.set(c, o); o += c.length; }
  const parts: string[] = [];
  for await (const piece of writeUsda({ name, fps: 24, startFrame: 0, endFrame: 0, counts, widths: new Float32Array(total).fill(width), ids: counts.map((_, i) => i), points: () => points, comment })) parts.push(piece);
  return new TextEncoder().encode(parts.join(''));
}

function asHair(curves: readonly Float32Array[], width: number): Uint8Array {
  const points = curves.reduce((n, c) => n + c.length / 3, 0), out = new Uint8Array(128 + 2 * curves.length + 12 * points), view = new DataView(out.buffer);
  out.set(new TextEncoder().encode('HAIR'));
  view.setUint32(4, curves.length, true);
  view.setUint32(8, points, true);
  view.setUint32(12, 3, true);
  view.setFloat32(20, width, true);
  let at = 128 + 2 * curves.length;
  curves.forEach((c, s) => {
    view.setUint16(128 + 2 * s, c.length / 3 - 1, true);
    for (const x of c) { view.setFloat32(at, x, true); at += 4; }
  });
  return out;
}

function asData(curves: readonly Float32Array[]): Uint8Array {
  const out = new Uint8Array(4 + curves.reduce((n, c) => n + 4 + 4 * c.length, 0)), view = new DataView(out.buffer);
  view.setInt32(0, curves.length, true);
  let at = 4;
  for (const c of curves) {
    view.setInt32(at, c.length / 3, true);
    at += 4;
    for (const x of c) { view.setFloat32(at, x, true); at += 4; }
  }
  return out;
}
