/** Any of the files a character comes in → character, as it is or as somebody chose to have it. */
import { joinClips } from '../core/mesh/clips';
import type { Character } from '../core/mesh/character';
import { placeCharacter, type ImportChoices } from '../core/mesh/placement';
import { CHARACTER_FILES, unpackFiles, type NamedFile } from './file-set';
import { generatorOf, readGltf } from './gltf';
import { finishCharacter } from './mend-character';
import { readObj } from './obj';
import { failure, type Result } from './result';

export interface Opened {
  character: Character;
  /** Name of the file that holds it. */
  fileName: string;
  /** What kind of file it is and what wrote it: files of the same source are alike in unit and axes. */
  source: string;
}

export async function openCharacter(given: readonly NamedFile[]): Promise<Result<Opened>> {
  const unpacked = unpackFiles(given);
  if (!unpacked.ok) return unpacked;
  const files = unpacked.value, ends = (what: RegExp): NamedFile[] => files.filter((f) => what.test(f.name));
  const main = [...ends(/\.glb$/i), ...ends(/\.gltf$/i), ...ends(/\.obj$/i)];
  if (main.length > 1) return failure('unsupported', `There are ${main.length} characters among these files: ${main.slice(0, 4).map((f) => `“${f.name}”`).join(', ')}${main.length > 4 ? ' …' : ''}. Bring them in one after the other.`);
  // a file under a name that says nothing is looked at all the same
  const file = main[0] ?? (files.length === 1 ? files[0] : null);
  if (!file) return failure('notThisFormat', `None of these files holds a character. Taken are ${CHARACTER_FILES}.`);
  const fileName = file.name.replace(/^.*\//, '');
  if (/\.obj$/i.test(file.name)) {
    const read = readObj(file.bytes, ends(/\.mtl$/i).map((f) => f.bytes));
    if (!read.ok) return read;
    if (read.value.meshes.length === 0 && read.value.lines.length > 0) return failure('unsupported', `“${fileName}” holds ${read.value.lines.length} lines and no surface. Curves are brought in at the Plant stage of a groom.`);
    const { meshes, materials } = read.value, made = finishCharacter({ nodes: [{ name: 'root', parent: -1, translation: [0, 0, 0], rotation: [0, 0, 0, 1], scale: [1, 1, 1] }], skins: [], materials, meshes, clips: [] }, read.warnings);
    return made.ok ? { ok: true, value: { character: made.value, fileName, source: 'obj' }, warnings: made.warnings } : made;
  }
  const read = await readGltf(file, files);
  if (!read.ok) return read;
  return { ok: true, value: { character: read.value, fileName, source: `gltf ${generatorOf(file)}`.trim() }, warnings: read.warnings };
}

/** The character as chosen. */
export function chosenCharacter(character: Character, choices: ImportChoices): Character {
  const placed = placeCharacter(character, choices.placement);
  return {
    ...placed,
    clips: choices.joinClips ? joinClips(placed.clips) : placed.clips,
    meshes: placed.meshes.map((m) => (choices.roles[m.name] ? { ...m, role: choices.roles[m.name] } : m)),
  };
}

