/** Writes a demo character as binary glTF. */
import { Document, NodeIO, type Accessor } from '@gltf-transform/core';
import type { Bone, DemoClip } from './rig';

export interface Part {
  mesh: string;
  material: string;
  positions: ArrayLike<number>;
  normals: ArrayLike<number>;
  triangles: ArrayLike<number>;
  colors?: ArrayLike<number>;
  /** Extra scalars per vertex, by attribute name. */
  scalars?: Record<string, ArrayLike<number>>;
  joints?: Uint8Array;
  weights?: Float32Array;
  /** Hangs on this bone, without weights; places are seen from it. */
  on?: string;
}
export interface Material { color?: number[]; roughness: number; twoSided?: boolean }

/** Linear RGB of a #rrggbb colour. Source: IEC 61966-2-1. */
export const linear = (hex: string): number[] => {
  const c = parseInt(hex.slice(1), 16);
  return [16, 8, 0].map((s) => {
    const v = ((c >> s) & 255) / 255;
    return v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4;
  });
};

export async function writeGlb(parts: Part[], materials: Record<string, Material>, bones: Bone[], clips: DemoClip[]): Promise<Uint8Array> {
  const doc = new Document();
  doc.getRoot().getAsset().generator = 'Fine Comb demo cast';
  const buffer = doc.createBuffer();
  const scene = doc.createScene('scene');
  doc.getRoot().setDefaultScene(scene);
  const accessor = (array: Float32Array<ArrayBuffer> | Uint16Array<ArrayBuffer> | Uint32Array<ArrayBuffer> | Uint8Array<ArrayBuffer>, type: 'SCALAR' | 'VEC2' | 'VEC3' | 'VEC4' | 'MAT4'): Accessor =>
    doc.createAccessor().setArray(array).setType(type).setBuffer(buffer);
  const made = new Map(Object.entries(materials).map(([name, m]) => [name,
    doc.createMaterial(name).setBaseColorFactor([...(m.color ?? [1, 1, 1]), 1] as [number, number, number, number]).setRoughnessFactor(m.roughness).setMetallicFactor(0).setDoubleSided(!!m.twoSided)]));

  const skin = doc.createSkin('skin');
  const inverseBind = new Float32Array(bones.length * 16);
  const nodes = bones.map((b, i) => {
    const from = b.parent >= 0 ? bones[b.parent].head : [0, 0, 0];
    const node = doc.createNode(b.name).setTranslation([b.head[0] - from[0], b.head[1] - from[1], b.head[2] - from[2]]);
    inverseBind.set([1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, -b.head[0], -b.head[1], -b.head[2], 1], i * 16);
    skin.addJoint(node);
    return node;
  });
  bones.forEach((b, i) => (b.parent >= 0 ? nodes[b.parent].addChild(nodes[i]) : scene.addChild(nodes[i])));
  skin.setInverseBindMatrices(accessor(inverseBind, 'MAT4')).setSkeleton(nodes[0]);

  for (const name of new Set(parts.map((p) => p.mesh))) {
    const mesh = doc.createMesh(name);
    for (const p of parts.filter((q) => q.mesh === name)) {
      const indices = p.positions.length / 3 < 65535 ? Uint16Array.from(p.triangles) : Uint32Array.from(p.triangles);
      const primitive = doc.createPrimitive().setMaterial(made.get(p.material)!)
        .setAttribute('POSITION', accessor(Float32Array.from(p.positions), 'VEC3'))
        .setAttribute('NORMAL', accessor(Float32Array.from(p.normals), 'VEC3'))
        .setIndices(accessor(indices, 'SCALAR'));
      if (p.joints && p.weights) primitive.setAttribute('JOINTS_0', accessor(Uint8Array.from(p.joints), 'VEC4')).setAttribute('WEIGHTS_0', accessor(Float32Array.from(p.weights), 'VEC4'));
      if (p.colors) primitive.setAttribute('COLOR_0', accessor(Float32Array.from(p.colors), 'VEC3'));
      for (const [key, values] of Object.entries(p.scalars ?? {})) primitive.setAttribute(key, accessor(Float32Array.from(values), 'SCALAR'));
      mesh.addPrimitive(primitive);
    }
    const on = parts.find((p) => p.mesh === name)!.on;
    if (on === undefined) scene.addChild(doc.createNode(name).setMesh(mesh).setSkin(skin)); else nodes[bones.findIndex((b) => b.name === on)].addChild(doc.createNode(name).setMesh(mesh));
  }

  for (const clip of clips) {
    const animation = doc.createAnimation(clip.name);
    const times = new Map<string, Accessor>();
    for (const [tracks, path] of [[clip.rotations, 'rotation'], [clip.translations, 'translation']] as const)
      for (const [bone, keys] of Object.entries(tracks)) {
        const key = keys.map((k) => k[0]).join();
        if (!times.has(key)) times.set(key, accessor(Float32Array.from(keys, (k) => k[0]), 'SCALAR'));
        const output = accessor(Float32Array.from(keys.flatMap((k) => k[1])), path === 'rotation' ? 'VEC4' : 'VEC3');
        const sampler = doc.createAnimationSampler().setInput(times.get(key)!).setOutput(output).setInterpolation('LINEAR');
        const target = nodes[bones.findIndex((b) => b.name === bone)];
        animation.addSampler(sampler).addChannel(doc.createAnimationChannel().setTargetNode(target).setTargetPath(path).setSampler(sampler));
      }
  }
  return new NodeIO().writeBinary(doc);
}
