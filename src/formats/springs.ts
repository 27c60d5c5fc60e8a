/**
 * The still groom's movement in the open avatar standard's spring bones (`VRMC_springBone` 1.0): what the settings of a groom come to for each
 * joint of its chains, and its pills as colliders.
 *
 * A spring bone steps x⁺ = x + (x − x⁻)(1 − drag) + stiffness · Δt · rest + gravity · Δt (**source:** the extension's specification, *from
 * memory*). A deflection θ of a joint of length l is so drawn back by stiffness · Δt · θ a step, that is by stiffness / Δt a second squared; of a
 * held strand by ω² l θ. So stiffness = ω² l Δt, drag = 1 − e^(−c Δt), gravity = g Δt, at a step of 1/60 s. ω² is the hold's plus that of a
 * clamped strand of the length that is left, 3.516² EI/(ρA L⁴) (Euler–Bernoulli, first bending mode of a cantilever).
 */
import type { Document, Node } from '@gltf-transform/core';
import { profileAt } from '../core/math/profile';
import type { SwaySettings } from '../core/document/schema';
import { holdRate } from '../core/sway/hold';
import { physicalRod } from '../core/sway/materials';
import { glbFrom, partsOf } from './clip-glb';
import { holdAt } from '../core/sway/hold';

export const SPRING_EXTENSION = 'VRMC_springBone';
const STEP = 1 / 60;
/** Root of the first mode of a cantilever, squared. */
const FIRST_MODE = 3.516;
/** What receivers take for stiffness at most. */
const STIFFEST = 4;

export interface SpringJoint { node: string; hitRadius: number; stiffness: number; gravityPower: number; gravityDir: [number, number, number]; dragForce: number }
/** Numbers of the joints of a chain whose joints stand at even shares of `length` (m). */
export function springNumbers(settings: SwaySettings, length: number, joints: number): Omit<SpringJoint, 'node'>[] {
  const rod = physicalRod(settings), piece = length / joints;
  return Array.from({ length: joints }, (_, j) => {
    const share = (j + 0.5) / joints, left = Math.max(piece, length * (1 - j / joints)), hold = holdRate(holdAt(settings, share)), bend = (FIRST_MODE / left ** 2) * Math.sqrt(rod.bend / rod.lineDensity), omega2 = hold ** 2 + bend ** 2;
    return {
      hitRadius: round(settings.skinGapMm / 1000), stiffness: round(Math.min(STIFFEST, omega2 * piece * STEP)), dragForce: round(Math.max(0, Math.min(1, 1 - Math.exp(-settings.damping * profileAt(settings.profiles.damping, share) * STEP)))),
      // a groom that is at rest under gravity is not to sag a second time
      gravityPower: settings.calmStart ? 0 : round(settings.gravity * STEP), gravityDir: [0, -1, 0],
    };
  });
}
const round = (v: number): number => Number(v.toPrecision(5));

export interface SpringCollider { node: string; radius: number; offset: [number, number, number]; /** Other end of a capsule. */ tail: [number, number, number] | null; name: string }

/** Puts springs and colliders to a file that holds the nodes. Numbers of nodes are those the writer gives them: their order in the document. */
export function springExtension(document: Document, springs: readonly { name: string; joints: SpringJoint[]; end: string }[], colliders: readonly SpringCollider[]): object {
  const all = document.getRoot().listNodes(), number = (name: string): number => { const k = all.findIndex((n: Node) => n.getName() === name); if (k < 0) throw new Error(`no node ${name}`); return k; };
  return {
    specVersion: '1.0',
    ...(colliders.length > 0 ? {
      colliders: colliders.map((c) => ({ node: number(c.node), shape: c.tail ? { capsule: { offset: c.offset, radius: c.radius, tail: c.tail } } : { sphere: { offset: c.offset, radius: c.radius } } })),
      colliderGroups: [{ name: 'body', colliders: colliders.map((_, k) => k) }],
    } : {}),
    springs: springs.map((s) => ({ name: s.name, joints: [...s.joints.map(({ node, ...rest }) => ({ node: number(node), ...rest })), { node: number(s.end) }], ...(colliders.length > 0 ? { colliderGroups: [0] } : {}) })),
  };
}

/** Writes an extension into the JSON part of a glTF binary. */
export function withExtension(glb: Uint8Array, name: string, value: object): Uint8Array {
  const { json, bin } = partsOf(glb);
  json.extensionsUsed = [...new Set([...(json.extensionsUsed ?? []), name])];
  json.extensions = { ...json.extensions, [name]: value };
  return glbFrom(json, bin);
}
