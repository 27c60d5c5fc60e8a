/** The server as the page sees it. Every answer is checked. */
import { z } from 'zod';
import { importChoicesSchema, type ImportChoices } from '../../core/mesh/placement';
import { setParts, type NamedFile } from '../../formats/file-set';
import { sheetSchema, type Received } from '../../formats/hand-over-sheet';
import { sheetLoadSchema, type SheetLoadSettings } from '../../core/sway/sheet-load';
import { documentSchema, type GroomDocument } from '../../core/document/schema';
import { loopReportSchema } from '../../core/bake/loops';
import { handOverSchema, receiverSchema, type HandOver, type Receiver } from '../../core/document/hand-over';
import { limitsSchema, proofSchema, reportSchema, type Limits, type Proof } from '../../core/document/proof';
import { takeSettingsSchema, type TakeSettings } from '../../core/document/take';

export class ApiError extends Error {
  constructor(readonly status: number, readonly code: string, message: string, readonly details?: unknown) { super(message); }
}

const errorSchema = z.object({ code: z.string(), message: z.string(), details: z.unknown().optional() });

async function call(path: string, init?: RequestInit): Promise<Response> {
  let response: Response;
  try {
    response = await fetch(path, init);
  } catch {
    throw new ApiError(0, 'offline', 'The server does not answer. Your work is kept in this window and sent again.');
  }
  if (response.ok) return response;
  const parsed = errorSchema.safeParse(await response.json().catch(() => null));
  throw parsed.success ? new ApiError(response.status, parsed.data.code, parsed.data.message, parsed.data.details) : new ApiError(response.status, 'internal', `The server answered ${response.status}.`);
}
const get = async <T>(path: string, schema: z.ZodType<T>): Promise<T> => schema.parse(await (await call(path)).json());
const send = async <T>(method: string, path: string, body: unknown, schema: z.ZodType<T>): Promise<T> =>
  schema.parse(await (await call(path, { method, body: JSON.stringify(body), headers: { 'content-type': 'application/json' } })).json());

const groomSchema = z.object({
  id: z.string(), name: z.string(), version: z.number(), document: documentSchema,
  character: z.object({ id: z.string(), name: z.string(), fileName: z.string(), packed: z.string(), warnings: z.array(z.string()) }),
  production: z.object({ id: z.string(), name: z.string() }),
});
export type Groom = z.infer<typeof groomSchema>;
export const getGroom = (id: string): Promise<Groom> => get(`/api/grooms/${id}`, groomSchema);

const bytes = async (path: string): Promise<Uint8Array> => new Uint8Array(await (await call(path)).arrayBuffer());
export const getPackedCharacter = (assetId: string): Promise<Uint8Array> => bytes(`/api/characters/${assetId}/packed`);
export const getBuffer = (id: string): Promise<Uint8Array> => bytes(`/api/buffers/${id}`);
export async function putBuffer(id: string, data: Uint8Array): Promise<void> { await call(`/api/buffers/${id}`, { method: 'PUT', body: data as Uint8Array<ArrayBuffer> }); }

export interface SavedStep { label: string; document: GroomDocument }
/** The newest states of a groom, the oldest first. */
export const groomSteps = (id: string): Promise<SavedStep[]> => get(`/api/grooms/${id}/steps`, z.array(z.object({ label: z.string(), document: documentSchema })));
export const saveGroom = (id: string, base: number, document: GroomDocument, label: string, between: readonly SavedStep[] = []): Promise<number> =>
  send('PUT', `/api/grooms/${id}`, { base, document, label, between }, z.object({ version: z.number() })).then((r) => r.version);
export const copyGroom = (id: string, name: string, document: GroomDocument): Promise<string> =>
  send('POST', `/api/grooms/${id}/copy`, { name, document }, z.object({ groomId: z.string() })).then((r) => r.groomId);

const takeSchema = z.object({
  id: z.string(), name: z.string(), shotName: z.string(), motionKey: z.string(), proof: proofSchema, pinned: z.boolean(), bytes: z.number(), hasFrames: z.boolean(), hasStrip: z.boolean(), createdAt: z.string(), settings: takeSettingsSchema.nullable(),
});
export type Take = z.infer<typeof takeSchema>;
/** The newest first. */
export const listTakes = (groomId: string): Promise<Take[]> => get(`/api/grooms/${groomId}/takes`, z.array(takeSchema));
export const addTake = (groomId: string, take: { motionKey: string; name: string; shotName: string; proof: Proof; settings: TakeSettings | null; frames: string | null; strip: string | null; bytes: number }): Promise<Take> => send('POST', `/api/grooms/${groomId}/takes`, take, takeSchema);
export const changeTake = (id: string, change: { name?: string; pinned?: boolean; proof?: Proof }): Promise<Take> => send('PATCH', `/api/takes/${id}`, change, takeSchema);
export async function deleteTake(id: string): Promise<void> { await call(`/api/takes/${id}`, { method: 'DELETE' }); }
export const takeFrames = (id: string): Promise<Uint8Array> => bytes(`/api/takes/${id}/frames`);
export const showLimits = (productionId: string): Promise<Limits> => get(`/api/productions/${productionId}/limits`, limitsSchema);
export const setLimits = (productionId: string, limits: Limits): Promise<Limits> => send('PUT', `/api/productions/${productionId}/limits`, limits, limitsSchema);

const jobState = z.enum(['queued', 'running', 'done', 'failed', 'cancelled', 'paused']);
export type JobState = z.infer<typeof jobState>;
const bakeSchema = z.object({
  id: z.string(), groomId: z.string(), assetId: z.string(), motionKey: z.string(), startFrame: z.number(), endFrame: z.number(), preRoll: z.number(), guideCount: z.number(), pointCount: z.number(),
  samples: z.number(), errorMm: z.number(), fps: z.number(), state: jobState, wanted: z.enum(['pause', 'cancel']).nullable(), stepsDone: z.number(), steps: z.number(), message: z.string().nullable(), attempts: z.number(), priority: z.number(),
  report: reportSchema.nullable(), loop: loopReportSchema.nullable(), settings: takeSettingsSchema, solver: z.number(), bytes: z.number(), createdAt: z.string(), startedAt: z.string().nullable(), finishedAt: z.string().nullable(),
});
export type Bake = z.infer<typeof bakeSchema>;
export const listBakes = (groomId: string): Promise<Bake[]> => get(`/api/grooms/${groomId}/bakes`, z.array(bakeSchema));
export const startBake = (groomId: string): Promise<Bake> => send('POST', `/api/grooms/${groomId}/bakes`, {}, bakeSchema);
export type BakeAction = 'cancel' | 'pause' | 'resume' | 'hurry' | 'mend';
export const actOnBake = (id: string, action: BakeAction): Promise<Bake> => send('POST', `/api/bakes/${id}/do/${action}`, {}, bakeSchema);
export async function deleteBake(id: string): Promise<void> { await call(`/api/bakes/${id}`, { method: 'DELETE' }); }
const wholeBake = bakeSchema.extend({ proof: proofSchema, chunks: z.array(z.object({ first: z.number(), count: z.number() })) });
export const getBake = (id: string): Promise<z.infer<typeof wholeBake>> => get(`/api/bakes/${id}`, wholeBake);
export const damageOf = (id: string): Promise<{ from: number; to: number }[]> => get(`/api/bakes/${id}?damage`, z.object({ damage: z.array(z.object({ from: z.number(), to: z.number() })) })).then((d) => d.damage);
export const bakeChunk = (id: string, first: number): Promise<Uint8Array> => bytes(`/api/bakes/${id}/chunks/${first}`);

const exportSchema = z.object({
  id: z.string(), bakeId: z.string(), wish: handOverSchema, state: jobState, stepsDone: z.number(), steps: z.number(), message: z.string().nullable(), sheet: sheetSchema.nullable(),
  files: z.array(z.object({ name: z.string(), size: z.number(), blob: z.string() })), createdAt: z.string(), startedAt: z.string().nullable(), finishedAt: z.string().nullable(),
});
export type Export = z.infer<typeof exportSchema>;
export const listExports = (bakeId: string): Promise<Export[]> => get(`/api/bakes/${bakeId}/exports`, z.array(exportSchema));
export const startExport = (bakeId: string, wish: HandOver, strip: string | null): Promise<Export> => send('POST', `/api/bakes/${bakeId}/exports`, { ...wish, strip }, exportSchema);
/** Baked chains as one more clip of the character, in a version of its own. */
export const keepAsClip = (bakeId: string): Promise<{ assetId: string; clip: string }> => send('POST', `/api/bakes/${bakeId}/clip`, {}, z.object({ assetId: z.string(), clip: z.string() }));
const hairBakeSchema = z.object({ bakeId: z.string(), groomName: z.string(), shotName: z.string(), finishedAt: z.string(), shells: z.number() });
export type HairBake = z.infer<typeof hairBakeSchema>;
/** Bakes of hair that may lie on the sheet of a groom; and what one of them pressed by, as a load on it (N, in the mean). */
export const hairBakes = (groomId: string): Promise<HairBake[]> => get(`/api/grooms/${groomId}/loads`, z.array(hairBakeSchema));
export const takeLoad = (groomId: string, bakeId: string): Promise<{ load: SheetLoadSettings; taken: number; elsewhere: number }> => send('POST', `/api/grooms/${groomId}/loads`, { bakeId }, z.object({ load: sheetLoadSchema, taken: z.number(), elsewhere: z.number() }));
export const getExport = (id: string): Promise<Export> => get(`/api/exports/${id}`, exportSchema);
export const actOnExport = (id: string, action: 'cancel' | 'resume'): Promise<Export> => send('POST', `/api/exports/${id}/do/${action}`, {}, exportSchema);
export async function deleteExport(id: string): Promise<void> { await call(`/api/exports/${id}`, { method: 'DELETE' }); }
export const setReceived = (id: string, received: Received): Promise<Export> => send('PUT', `/api/exports/${id}/received`, received, exportSchema);
const receivers = z.array(receiverSchema.extend({ id: z.string() }));
export type KeptReceiver = z.infer<typeof receivers>[number];
export const listReceivers = (): Promise<KeptReceiver[]> => get('/api/receivers', receivers);
export const setReceivers = (list: readonly Receiver[]): Promise<KeptReceiver[]> => send('PUT', '/api/receivers', list, receivers);

const overviewSchema = z.object({
  productions: z.array(z.object({ id: z.string(), name: z.string(), assets: z.array(z.object({ id: z.string(), name: z.string(), fileName: z.string(), version: z.number(), grooms: z.array(z.object({ id: z.string(), name: z.string(), shot: z.string().nullable(), updatedAt: z.string() })) })) })),
});
export type OverviewData = z.infer<typeof overviewSchema>;
export const getOverview = (): Promise<OverviewData> => get('/api/overview', overviewSchema);
const openedSchema = z.object({ productionId: z.string(), name: z.string(), grooms: z.array(z.string()), notes: z.array(z.string()) });
/** Takes a project's zip in. */
export const openProject = async (file: File): Promise<z.infer<typeof openedSchema>> => openedSchema.parse(await (await call('/api/projects', { method: 'POST', body: file, headers: { 'content-type': 'application/zip' } })).json());
/** Files as one body, without another copy of them. */
const bodyOf = (files: readonly NamedFile[]): Blob => new Blob((files.length === 1 ? [files[0].bytes] : setParts(files)) as Uint8Array<ArrayBuffer>[]);
/** Sends a character's files as chosen, and begins a groom on it. */
export async function uploadCharacter(files: readonly NamedFile[], fileName: string, name: string, choices: ImportChoices): Promise<{ groomId: string; warnings: string[] }> {
  const query = new URLSearchParams({ fileName, name, choices: JSON.stringify(choices) }), body = bodyOf(files);
  return z.object({ groomId: z.string(), warnings: z.array(z.string()) }).parse(await (await call(`/api/characters?${query.toString()}`, { method: 'POST', body })).json());
}
const wornSchema = z.object({ assetId: z.string(), notes: z.array(z.string()), moved: z.number(), stayed: z.number() });
export type WornAnswer = z.infer<typeof wornSchema>;
export interface WearChoice { replace: string | null; role: string; clip: string | null; fps: number; placement: { scale: number; up: string } | null }
/** Sends a garment's files: the character gets a new version that wears it, and its grooms go along. */
export async function wearGarment(groom: { id: string; characterId: string }, files: readonly NamedFile[], choice: WearChoice): Promise<WornAnswer> {
  const { version } = await getGroom(groom.id), { replace, clip, placement } = choice;
  const query = new URLSearchParams({ fileName: files.find((f) => !/\.(pc2|mdd|mtl|bin|png|jpe?g)$/i.test(f.name))?.name ?? files[0].name, groomId: groom.id, base: String(version), role: choice.role, fps: String(choice.fps), ...(replace === null ? {} : { replace }), ...(clip === null ? {} : { clip }), ...(placement ? { scale: String(placement.scale), up: placement.up } : {}) });
  const body = bodyOf(files);
  return wornSchema.parse(await (await call(`/api/characters/${groom.characterId}/wear?${query.toString()}`, { method: 'POST', body })).json());
}
const versionSchema = z.object({ id: z.string(), note: z.string(), fileName: z.string(), createdAt: z.string(), grooms: z.number() });
export type Version = z.infer<typeof versionSchema>;
export const listVersions = (characterId: string): Promise<Version[]> => get(`/api/characters/${characterId}/versions`, z.array(versionSchema));
export async function putOnVersion(groomId: string, characterId: string): Promise<void> {
  const { version } = await getGroom(groomId);
  await send('PUT', `/api/grooms/${groomId}/character`, { base: version, characterId }, z.object({ characterId: z.string() }));
}
/** Begins another groom on a character, afresh or with a document whose buffers are there. */
export const newGroom = (characterId: string, name: string, document?: GroomDocument): Promise<string> => send('POST', `/api/characters/${characterId}/grooms`, { name, document }, z.object({ groomId: z.string() })).then((r) => r.groomId);
/** How the last file of that source was placed. */
export const importChoices = (source: string): Promise<ImportChoices | null> => get(`/api/characters?source=${encodeURIComponent(source)}`, importChoicesSchema.nullable());
