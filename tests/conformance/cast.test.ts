import { readFileSync } from 'node:fs';
import { BufferAttribute, BufferGeometry, DoubleSide, Ray, Vector3 } from 'three';
import { MeshBVH } from 'three-mesh-bvh';
import { expect, it } from 'vitest';
import { buildBramble } from '../../demo/bramble';
import { buildOda } from '../../demo/oda';
import { buildPim } from '../../demo/pim';
import { poseAtFrame, skinPositions, type CharacterMesh, type Pose } from '../../src/core/mesh/character';
import { brambleBytes, oda, odaBytes } from '../helpers/oda';

it('Oda is what her generator makes, to the byte', async () => {
  expect(Buffer.from(await buildOda()).equals(Buffer.from(odaBytes()))).toBe(true);
});
it('Bramble is what its generator makes, to the byte', async () => {
  expect(Buffer.from(await buildBramble()).equals(Buffer.from(brambleBytes()))).toBe(true);
});
it('Pim is what her generator makes, to the byte', async () => {
  expect(Buffer.from(await buildPim()).equals(Buffer.from(new Uint8Array(readFileSync('demo/cast/pim.glb'))))).toBe(true);
});

/** A leg comes through a coat where the coat is behind its surface and nowhere before it. */
it('Oda’s legs stay under her coat in every clip', async () => {
  const character = await oda(), part = (name: string): CharacterMesh => character.meshes.find((m) => m.name === name)!, coat = part('coat'), legs = part('trousers'), through: string[] = [], p = new Vector3(), inward = new Vector3();
  const posed = (mesh: CharacterMesh, pose: Pose): BufferGeometry => {
    const P = new Float64Array(mesh.positions.length);
    skinPositions(character, mesh, pose, P);
    return new BufferGeometry().setAttribute('position', new BufferAttribute(Float32Array.from(P), 3)).setIndex([...mesh.triangles]);
  };
  let under = 0;
  for (const clip of character.clips) for (let f = 0; f <= Math.round(24 * clip.duration); f += 3) {
    const pose = poseAtFrame(character, clip, { fps: 24, cyclic: false }, f), cloth = new MeshBVH(posed(coat, pose)), leg = posed(legs, pose);
    leg.computeVertexNormals();
    const P = leg.getAttribute('position'), N = leg.getAttribute('normal');
    for (let v = 0; v < P.count; v++) {
      p.fromBufferAttribute(P, v);
      inward.fromBufferAttribute(N, v).negate();
      const before = cloth.raycastFirst(new Ray(p, inward.clone().negate()), DoubleSide, 0, 0.5);
      if (before) under++;
      else if (cloth.raycastFirst(new Ray(p, inward), DoubleSide, 0, 0.08)) through.push(`${clip.name} ${f}`);
    }
  }
  expect(under).toBeGreaterThan(1000);
  expect([...new Set(through)]).toEqual([]);
});
