import { z } from 'zod';
import { newDocument } from '@/core/document/schema';
import { database } from '@/server/db/connection';
import { createGroom, createProduction, importCharacter, overview } from '@/server/db/records';
import { rateLimit, readBody, route } from '@/server/http';

const MOST_BYTES = 256 * 1048576;
const limit = rateLimit(30, 60_000);
const query = z.object({ fileName: z.string().min(1).max(300) });

/** A .glb as the body: reads it, stores it, and begins a groom on it. */
export const POST = route(async (request) => {
  limit();
  const { fileName } = query.parse(Object.fromEntries(new URL(request.url).searchParams));
  const bytes = await readBody(request, MOST_BYTES);
  const db = database();
  const name = fileName.replace(/\.[^.]*$/, '').slice(0, 100) || 'Character';
  const productions = (await overview(db)).productions;
  const productionId = productions[0]?.id ?? (await createProduction(db, 'Production'));
  const { asset, character } = await importCharacter(db, productionId, name, fileName, bytes);
  const mesh = character.meshes.find((m) => m.hair.length > 0) ?? character.meshes.filter((m) => m.skin >= 0 && m.role === 'body').sort((a, b) => b.triangles.length - a.triangles.length)[0] ?? character.meshes.find((m) => m.skin >= 0)!;
  const clip = character.clips[0], fps = 24;
  const groomId = await createGroom(db, asset.id, 'hair', newDocument(mesh.name, { clip: clip?.name ?? '', start: 0, end: clip ? Math.max(1, Math.round(clip.duration * fps)) : 48, fps, cyclic: false }), 'New groom');
  return Response.json({ groomId, warnings: asset.warnings }, { status: 201 });
});
