import { z } from 'zod';
import { firstDocument } from '@/core/document/first-document';
import { importChoicesSchema } from '@/core/mesh/placement';
import { FILE_LIMITS } from '@/formats/file-set';
import { database } from '@/server/db/connection';
import { choicesFor, createGroom, createProduction, importCharacter, overview } from '@/server/db/records';
import { rateLimit, route, withBodyFile } from '@/server/http';

const limit = rateLimit(30, 60_000);
const json = z.string().max(100_000).transform((text, context): unknown => {
  try { return JSON.parse(text); } catch { context.addIssue({ code: 'custom', message: 'This is not JSON.' }); return z.NEVER; }
});
const query = z.object({ fileName: z.string().min(1).max(300), name: z.string().trim().min(1).max(100).optional(), choices: json.pipe(importChoicesSchema).optional() });

/** A character's file, or a set of them, as the body: reads it as chosen, stores it, and begins a groom on it. */
export const POST = route(async (request) => {
  limit();
  const { fileName, name, choices } = query.parse(Object.fromEntries(new URL(request.url).searchParams));
  const db = database();
  const productions = (await overview(db)).productions;
  const productionId = productions[0]?.id ?? (await createProduction(db, 'Production'));
  const { asset, character } = await withBodyFile(request, FILE_LIMITS.megabytes * 1048576, (file) => importCharacter(db, productionId, name ?? (fileName.replace(/\.[^.]*$/, '').slice(0, 100) || 'Character'), { file, name: fileName }, choices ?? null));
  const groomId = await createGroom(db, asset.id, 'hair', firstDocument(character), 'New groom');
  return Response.json({ groomId, warnings: asset.warnings }, { status: 201 });
});

/** How the last file of a source was placed. */
export const GET = route(async (request) => Response.json(await choicesFor(database(), z.string().max(200).parse(new URL(request.url).searchParams.get('source') ?? ''))));
