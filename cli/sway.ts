/** `./comb sway CASE.json [--out RESULT.json]`: computes a case without a screen, a browser or a database. */
import { createWriteStream, readFileSync } from 'node:fs';
import { once } from 'node:events';
import { caseErrors, caseSchema, runCase } from '../src/core/sway/sway-case';

const USAGE = 'usage: ./comb sway CASE.json [--out RESULT.json]   ("-" reads the case from the input stream)';

function fail(text: string): never {
  process.stderr.write(`${text}\n`);
  process.exit(2);
}

const args = process.argv.slice(2), outAt = args.indexOf('--out');
const outFile = outAt >= 0 ? args.splice(outAt, 2)[1] : undefined;
if (args.length !== 1 || (outAt >= 0 && !outFile)) fail(USAGE);
const [file] = args;

let text = '', value: unknown;
try { text = readFileSync(file === '-' ? 0 : file, 'utf8'); }
catch (cause) { fail(`${file}: cannot be read (${(cause as NodeJS.ErrnoException).code ?? 'error'})`); }
try { value = JSON.parse(text); }
catch (cause) { fail(`${file}: not JSON: ${cause instanceof Error ? cause.message : String(cause)}`); }
const read = caseSchema.safeParse(value);
if (!read.success) {
  const lines = caseErrors(read.error);
  fail([...lines.slice(0, 20), ...(lines.length > 20 ? [`… and ${lines.length - 20} more`] : [])].join('\n'));
}

const starts = [0];
for (const s of read.data.strands) starts.push(starts[starts.length - 1] + s.points.length);
const out = outFile ? createWriteStream(outFile) : process.stdout;
out.on('error', (cause: NodeJS.ErrnoException) => { if (cause.code === 'EPIPE') process.exit(0); fail(`${outFile ?? 'output'}: cannot be written (${cause.code ?? cause.message})`); });
/** To the nanometre. */
const number = (v: number): number => Math.round(v * 1e9) / 1e9;
try {
  out.write('{"frames":[');
  const result = runCase(read.data, (points, frame) => {
    const strands = starts.slice(0, -1).map((from, s) => Array.from({ length: starts[s + 1] - from }, (_, i) => [0, 1, 2].map((c) => number(points[3 * (from + i) + c]))));
    out.write(`${frame > 0 ? ',' : ''}${JSON.stringify({ strands })}`);
  });
  const { substeps, kernel, plan, proof, warning } = result;
  if (warning) process.stderr.write(`${warning}\n`);
  if (proof.netUses > 0) process.stderr.write(`strands[${proof.netStrand}]: caught ${proof.netUses} times (all strands together) because its lengths did not close in a substep: it moved by more than its edges allow, or bends more sharply than its points can follow. More substeps, or fewer points, help.\n`);
  out.end(`],"substeps":${substeps},"passes":${plan.passes},"chosenFor":${JSON.stringify(plan.because)},"kernel":${JSON.stringify(kernel)},"proof":${JSON.stringify(proof)}}\n`);
  await once(out, outFile ? 'close' : 'finish');
} catch (cause) {
  fail(`kernel: ${cause instanceof Error ? cause.message : String(cause)}`);
}
