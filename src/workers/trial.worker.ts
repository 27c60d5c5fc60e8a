/** Browser worker of what is computed in the background. */
import { openScene } from '../core/bake/open-scene';
import { packFrames, unpackFrames, type PackedFrames } from '../core/bake/frame-codec';
import { unpackPlanting, floatsOf } from '../core/document/buffers';
import type { FilledDepths, Proof } from '../core/document/proof';
import { documentSchema } from '../core/document/schema';
import { leadOf } from '../core/fill/weights';
import { FilledFrames } from '../core/fill/filled-frames';
import type { Character } from '../core/mesh/character';
import { MeshDepth, OverFace } from '../core/proof/mesh-depth';
import { workOf, type TrialMeasure } from '../core/proof/remedies';
import { computeTake, groomedShape } from '../core/proof/take';
import { unpackCharacter } from '../formats/packed-character';
import type { TrialReply, TrialRequest } from './messages';

const scope = self as unknown as { onmessage: (e: MessageEvent<TrialRequest>) => void; postMessage: (m: TrialReply, transfer?: Transferable[]) => void };
let character: Character | null = null;
const stopped = new Set<number>();
/** Lets messages in. */
const breathe = (): Promise<void> => new Promise((r) => { setTimeout(r, 0); });

scope.onmessage = ({ data }) => {
  if (data.kind === 'character') {
    const read = unpackCharacter(data.packed);
    if (read.ok) character = read.value;
  } else if (data.kind === 'stop') stopped.add(data.job);
  else void work(data).catch((cause: unknown) => { scope.postMessage({ kind: 'failed', job: data.job, message: cause instanceof Error ? cause.message : String(cause) }); });
};

async function work(request: Exclude<TrialRequest, { kind: 'character' | 'stop' }>): Promise<void> {
  const { job } = request;
  switch (request.kind) {
    case 'pack': { const bytes = packFrames(request.frames, request.first, request.pointCount); scope.postMessage({ kind: 'packed', job, bytes }, [bytes.buffer]); return; }
    case 'unpack': { const { frames } = unpackFrames(request.bytes); scope.postMessage({ kind: 'unpacked', job, frames }); return; }
    case 'take': return take(request);
    case 'filled': return filled(request);
  }
}

async function take({ job, document: given, preRoll, start, end, exact, plot, ...buffers }: Extract<TrialRequest, { kind: 'take' }>): Promise<void> {
  if (!character) throw new Error('The character has not arrived.');
  const scene = openScene(documentSchema.parse(given), character, buffers), frames = new Map<number, PackedFrames>(), more: Partial<Record<TrialMeasure, number>> = {}, began = performance.now();
  const drawn = exact.includes('drawnDepth') ? new MeshDepth(scene) : null, face = exact.includes('face') ? new OverFace(scene, plot, groomedShape(scene)) : null;
  let proof: Proof | null = null;
  for (const f of computeTake(scene, preRoll, { start, end })) {
    proof = f.proof;
    if (f.frame >= start && f.frame <= end) {
      frames.set(f.frame, { points: f.points, strands: f.strands, ...(f.drops ? { drops: f.drops } : {}) });
      if (drawn) more.drawnDepth = Math.max(more.drawnDepth ?? 0, drawn.at(f.frame, f.points).depth);
      if (face) more.face = Math.max(more.face ?? 0, face.at(f.frame, f.points));
    }
    scope.postMessage({ kind: 'progress', job, done: f.frame - (start - preRoll) + 1, of: end - start + preRoll + 1 });
    await breathe();
    if (stopped.delete(job)) { scope.postMessage({ kind: 'stopped', job }); return; }
  }
  if (!proof) throw new Error('There are no frames to compute.');
  more.work = workOf(proof);
  proof = { ...proof, seconds: (performance.now() - began) / 1000 };
  scope.postMessage({ kind: 'taken', job, proof, frames, more });
}

async function filled({ job, document: given, planting, offsets, maps, faces, count, frames }: Extract<TrialRequest, { kind: 'filled' }>): Promise<void> {
  if (!character) throw new Error('The character has not arrived.');
  const document = documentSchema.parse(given), out: FilledDepths['frames'] = [], worst = new Map<number, FilledDepths['below'][number]>();
  const strands = new FilledFrames({ document, character, planting: unpackPlanting(planting), offsets: floatsOf(offsets), faces, count, maps });
  for (const [frame, points] of frames) {
    strands.at(frame, points);
    const lead = (strand: number): number => (strand < 0 ? -1 : leadOf(strands.strands.follow, strand));
    out.push([frame, strands.last.depth, lead(strands.last.strand)]);
    for (const [k, depth, strand] of strands.last.below ?? []) if (depth > (worst.get(k)?.[2] ?? 0)) worst.set(k, [k, frame, depth, lead(strand)]);
    scope.postMessage({ kind: 'progress', job, done: out.length, of: frames.length });
    await breathe();
    if (stopped.delete(job)) { scope.postMessage({ kind: 'stopped', job }); return; }
  }
  scope.postMessage({ kind: 'filled', job, frames: out, colliders: strands.colliders, below: [...worst.values()].sort((a, b) => a[0] - b[0]) });
}
