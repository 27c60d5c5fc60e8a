/** A small skinned character made in the test: a tube of two joints that bends, as glTF. No data of anybody's. */
import { Document, NodeIO } from '@gltf-transform/core';

export interface TubeOptions { skinned?: boolean; weightScale?: number; named?: boolean; /** Closed at both ends. */ capped?: boolean; /** Keys of its clip of one second, spread evenly: rest, 45°, rest. */ keys?: number; /** m: so far it goes along x in its clip. */ walks?: number }

export async function tubeGlb({ skinned = true, weightScale = 1, named = true, capped = false, keys = 3, walks = 0 }: TubeOptions = {}): Promise<Uint8Array> {
  const around = 16, rows = 12, radius = 0.1, height = 0.6;
  const P: number[] = [], N: number[] = [], J: number[] = [], W: number[] = [], T: number[] = [];
  for (let j = 0; j <= rows; j++) for (let i = 0; i < around; i++) {
    const a = (i / around) * 2 * Math.PI, y = (j / rows) * height, w = Math.min(1, Math.max(0, (y - 0.2) / 0.2));
    P.push(radius * Math.cos(a), y, radius * Math.sin(a));
    N.push(Math.cos(a), 0, Math.sin(a));
    J.push(0, 1, 0, 0);
    W.push((1 - w) * weightScale, w * weightScale, 0, 0);
  }
  for (let j = 0; j < rows; j++) for (let i = 0; i < around; i++) {
    const a = j * around + i, b = j * around + ((i + 1) % around), c = a + around, d = b + around;
    T.push(a, c, b, b, c, d);
  }
  if (capped) for (const [row, y] of [[0, 0], [rows, height]]) {
    const middle = P.length / 3, upper = row > 0;
    P.push(0, y, 0); N.push(0, upper ? 1 : -1, 0); J.push(0, 1, 0, 0); W.push(upper ? 0 : weightScale, upper ? weightScale : 0, 0, 0);
    for (let i = 0; i < around; i++) { const a = row * around + i, b = row * around + ((i + 1) % around); T.push(...(upper ? [middle, b, a] : [middle, a, b])); }
  }
  const doc = new Document(), buffer = doc.createBuffer(), scene = doc.createScene();
  const accessor = (array: Float32Array<ArrayBuffer> | Uint16Array<ArrayBuffer>, type: 'SCALAR' | 'VEC3' | 'VEC4' | 'MAT4') => doc.createAccessor().setArray(array).setType(type).setBuffer(buffer);
  const primitive = doc.createPrimitive().setAttribute('POSITION', accessor(Float32Array.from(P), 'VEC3')).setAttribute('NORMAL', accessor(Float32Array.from(N), 'VEC3')).setIndices(accessor(Uint16Array.from(T), 'SCALAR'));
  const mesh = doc.createMesh('tube').addPrimitive(primitive), node = doc.createNode(named ? 'tube' : '').setMesh(mesh);
  const low = doc.createNode(named ? 'low' : ''), high = doc.createNode(named ? 'high' : '').setTranslation([0, 0.3, 0]);
  low.addChild(high);
  scene.addChild(low).addChild(node);
  if (skinned) {
    primitive.setAttribute('JOINTS_0', accessor(Uint16Array.from(J), 'VEC4')).setAttribute('WEIGHTS_0', accessor(Float32Array.from(W), 'VEC4'));
    const inverse = new Float32Array(32);
    inverse.set([1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1], 0);
    inverse.set([1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, -0.3, 0, 1], 16);
    node.setSkin(doc.createSkin().addJoint(low).addJoint(high).setInverseBindMatrices(accessor(inverse, 'MAT4')));
    const times = Float32Array.from({ length: keys }, (_, k) => k / (keys - 1)), turns = Float32Array.from(Array.from(times).flatMap((t) => { const a = (Math.PI / 8) * (1 - Math.abs(2 * t - 1)); return [0, 0, Math.sin(a), Math.cos(a)]; }));
    const sampler = doc.createAnimationSampler().setInput(accessor(times, 'SCALAR')).setOutput(accessor(turns, 'VEC4')).setInterpolation('LINEAR');
    const bend = doc.createAnimation('bend').addSampler(sampler).addChannel(doc.createAnimationChannel().setTargetNode(high).setTargetPath('rotation').setSampler(sampler));
    if (walks !== 0) {
      const way = doc.createAnimationSampler().setInput(accessor(times, 'SCALAR')).setOutput(accessor(Float32Array.from(Array.from(times).flatMap((t) => [walks * t, 0, 0])), 'VEC3')).setInterpolation('LINEAR');
      bend.addSampler(way).addChannel(doc.createAnimationChannel().setTargetNode(low).setTargetPath('translation').setSampler(way));
    }
  }
  return new NodeIO().writeBinary(doc);
}
