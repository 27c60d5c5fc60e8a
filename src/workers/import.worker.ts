/** Browser worker that reads a character's files before they are sent, so that they can be looked at first. */
import { inPieces, roundOf } from '../core/mesh/clips';
import { poseCharacter, skinPositions } from '../core/mesh/character';
import { restBox } from '../core/mesh/rest-box';
import type { Role } from '../core/mesh/character';
import type { Up } from '../core/mesh/placement';
import { openCurves } from '../formats/curves';
import type { NamedFile } from '../formats/file-set';
import { openCharacter } from '../formats/open-character';
import type { FormatError } from '../formats/result';

export interface ImportMesh { name: string; role: Role; vertices: number; triangles: number; joints: boolean; morphs: number; marked: boolean }
export interface ImportSummary {
  fileName: string;
  source: string;
  meshes: ImportMesh[];
  joints: number;
  clips: { name: string; duration: number; channels: number }[];
  inPieces: boolean;
  low: [number, number, number];
  high: [number, number, number];
  notes: string[];
  /** In the rest pose, in the file's units; one for each mesh. */
  shapes: { positions: Float32Array; triangles: Uint32Array }[];
}
export type ImportRequest = { kind: 'character' | 'curves'; files: NamedFile[] };
export type ImportReply = { kind: 'step'; text: string } | { kind: 'read'; summary: ImportSummary } | { kind: 'curves'; fileName: string; curves: Float32Array[]; scale: number | null; up: Up | null; notes: string[] } | { kind: 'refused'; error: FormatError };

const scope = self as unknown as { onmessage: (e: MessageEvent<ImportRequest>) => void; postMessage: (m: ImportReply, transfer?: Transferable[]) => void };

scope.onmessage = ({ data }) => { void (data.kind === 'curves' ? readCurves(data.files) : read(data.files)); };

async function readCurves(files: NamedFile[]): Promise<void> {
  const opened = await openCurves(files);
  if (!opened.ok) { scope.postMessage({ kind: 'refused', error: opened.error }); return; }
  scope.postMessage({ kind: 'curves', ...opened.value, notes: opened.warnings }, opened.value.curves.map((c) => c.buffer as ArrayBuffer));
}

async function read(files: NamedFile[]): Promise<void> {
  try {
    scope.postMessage({ kind: 'step', text: 'Reading what is in it' });
    const opened = await openCharacter(files);
    if (!opened.ok) { scope.postMessage({ kind: 'refused', error: opened.error }); return; }
    scope.postMessage({ kind: 'step', text: 'Standing it up' });
    const { character, fileName, source } = opened.value, rest = poseCharacter(character, null, 0);
    const shapes = character.meshes.map((m) => {
      const P = new Float64Array(m.positions.length);
      skinPositions(character, m, rest, P);
      return { positions: Float32Array.from(P), triangles: m.triangles };
    });
    scope.postMessage({
      kind: 'read',
      summary: {
        fileName, source, ...restBox(character), notes: opened.warnings, inPieces: inPieces(character.clips), shapes,
        meshes: character.meshes.map((m) => ({ name: m.name, role: m.role, vertices: m.positions.length / 3, triangles: m.triangles.length / 3, joints: m.skin >= 0, morphs: m.morphs.length, marked: m.hair.length > 0 })),
        joints: new Set(character.skins.flatMap((s) => Array.from(s.joints))).size,
        clips: character.clips.map((c) => ({ name: c.name, duration: roundOf(c), channels: c.channels.length })),
      },
    }, shapes.map((s) => s.positions.buffer as ArrayBuffer));
  } catch (cause) {
    scope.postMessage({ kind: 'refused', error: { type: 'invalid', message: `The file could not be read: ${cause instanceof Error ? cause.message : String(cause)}. Export it again.` } });
  }
}
