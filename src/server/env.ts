/** What the server is told by the command that starts it. */
import { z } from 'zod';

const schema = z.object({
  FINE_COMB_DB_HOST: z.string().default('127.0.0.1'),
  FINE_COMB_DB_PORT: z.coerce.number().int().min(1).max(65535),
  FINE_COMB_DB_USER: z.string().default('comb'),
  FINE_COMB_DB_PASSWORD: z.string().min(1),
  FINE_COMB_DB_NAME: z.string().default('fine_comb'),
});
export type ServerEnv = z.infer<typeof schema>;

export function serverEnv(source: Record<string, string | undefined> = process.env): ServerEnv {
  const parsed = schema.safeParse(source);
  if (parsed.success) return parsed.data;
  throw new Error(`The server was started without its database settings (${parsed.error.issues.map((i) => i.path.join('.')).join(', ')}). Start it with ./comb start or ./comb demo.`);
}
