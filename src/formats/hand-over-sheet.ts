/** The sheet of a hand-over: what it is, from what, in which axes, how large, with which checksums, how good; as JSON and as a page to print. */
import { z } from 'zod';
import { loopReportSchema } from '../core/bake/loops';
import { HAND_OVER_FORMATS, handOverReportSchema, handOverSchema } from '../core/document/hand-over';
import { MEASURES, type Limits, type Proof } from '../core/document/proof';
import { judge, worstList } from '../core/proof/judge';
import { shown } from '../core/proof/sheet';

const figures = z.object({ mean: z.number(), p95: z.number(), worst: z.number() });
/** What the stand-in receiver found; lengths in m. */
export const receivedSchema = z.object({
  at: z.string(), verdict: z.enum(['pass', 'attention']),
  checks: z.array(z.object({ name: z.string(), passes: z.boolean(), figure: z.string(), wanted: z.string() })).max(40),
  against: figures.nullable(), rate: z.number().nullable(), on: z.string(),
});
export type Received = z.infer<typeof receivedSchema>;

export const sheetSchema = z.object({
  made: z.literal('Fine Comb'), at: z.string(),
  production: z.string(), character: z.string(), groom: z.string(), shot: z.string(), clip: z.string(),
  /** What it was made from. */
  from: z.object({ character: z.string(), document: z.string(), solver: z.number(), bake: z.string(), bakedAt: z.string() }),
  wish: handOverSchema, report: handOverReportSchema,
  files: z.array(z.object({ name: z.string(), size: z.number(), sha256: z.string() })),
  loop: loopReportSchema.nullable(),
  proof: z.object({ verdict: z.enum(['pass', 'attention']), measures: z.array(z.object({ name: z.string(), value: z.number().nullable(), limit: z.number(), passes: z.boolean() })), kernel: z.string(), substeps: z.number() }),
  received: receivedSchema.nullable().default(null),
});
export type Sheet = z.infer<typeof sheetSchema>;

/** What a proof says in short. */
export function proofInShort(proof: Proof, limits: Limits): Sheet['proof'] {
  const verdicts = judge(proof, limits);
  return { verdict: verdicts.every((v) => v.passes) ? 'pass' : 'attention', measures: verdicts.map((v) => ({ name: v.name, value: v.figure?.value ?? null, limit: v.limit, passes: v.passes })), kernel: proof.report.kernel, substeps: proof.report.plan.substeps };
}

const safe = (text: string): string => text.replace(/[&<>"']/g, (c) => `&#${c.charCodeAt(0)};`);
const mm = (v: number): string => `${(1000 * v).toFixed(v < 0.01 ? 2 : 1)} mm`;
export const bytesText = (n: number): string => (n < 1e4 ? `${n} B` : n < 1e7 ? `${(n / 1e3).toFixed(0)} kB` : n < 1e10 ? `${(n / 1e6).toFixed(1)} MB` : `${(n / 1e9).toFixed(2)} GB`);

/** A page that stands alone. `pictures`: PNGs, base64. */
export function sheetPage(sheet: Sheet, proof: Proof | null, limits: Limits, pictures: readonly string[] = []): string {
  const { wish, report, loop, received } = sheet, { receiver } = wish, format = HAND_OVER_FORMATS[wish.format], worst = proof ? worstList(proof, limits, 6) : [], row = (a: string, b: string): string => `<tr><td>${safe(a)}</td><td class="n">${safe(b)}</td></tr>`;
  const verdict = (ok: boolean): string => (ok ? '● pass' : '▲ attention'), section = (title: string, body: string): string => (body ? `<h2>${safe(title)}</h2>${body}` : '');
  return `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>${safe(`${sheet.groom}, ${sheet.shot}: ${format.label}`)}</title><style>
@page{size:A4;margin:12mm}body{font:11px/1.4 Figtree,system-ui,sans-serif;color:#222;background:#fff;max-width:186mm;margin:8mm auto}h1{font-size:17px;margin:0 0 2px}h2{font-size:12px;margin:12px 0 3px}
table{border-collapse:collapse;width:100%}td,th{text-align:left;padding:2px 5px;border-top:1px solid #ccc;vertical-align:top}th{border:0;color:#666;font-weight:500}.n{font-family:'JetBrains Mono Variable',ui-monospace,monospace;text-align:right;white-space:nowrap}.h{font-family:'JetBrains Mono Variable',ui-monospace,monospace;font-size:9px;word-break:break-all}
.bad td:first-child{color:#a8321c;font-weight:600}.two{display:grid;grid-template-columns:1fr 1fr;gap:0 8mm}p{margin:2px 0}.verdict{font-size:13px;font-weight:600}.pictures{display:flex;gap:4px;margin-top:6px}.pictures img{max-width:100%;max-height:34mm}</style></head><body>
<h1>${safe(format.label)}: ${safe(sheet.groom)}, ${safe(sheet.shot)}</h1>
<p>${safe(sheet.production)} · ${safe(sheet.character)} · ${safe(sheet.at.slice(0, 16).replace('T', ' '))} UTC · made with Fine Comb for ${safe(receiver.name)}</p>
<p class="verdict">${sheet.proof.verdict === 'pass' ? '● The movement passes every measure' : `▲ Attention: ${sheet.proof.measures.filter((m) => !m.passes).map((m) => safe(MEASURES[m.name as keyof typeof MEASURES]?.label.toLowerCase() ?? m.name)).join(', ')}`}</p>
${pictures.length > 0 ? `<div class="pictures">${pictures.map((p) => `<img alt="" src="data:image/png;base64,${p}">`).join('')}</div>` : ''}
<div class="two"><div>${section('What it is', `<table>${row('Frames', `${report.frames.first}–${report.frames.last}, ${report.frames.count} ${report.frames.samples > 1 ? `samples (${report.frames.samples} a frame)` : 'in all'}`)}${row('Frames a second', String(Number(report.frames.fps.toFixed(3))))}${row('Clip', sheet.clip || 'none')}${report.counts.map(([n, v]) => row(n, v.toLocaleString('en'))).join('')}</table>`)}</div>
<div>${section('Axes and unit', `<table>${row('Up', `+${receiver.up.toUpperCase()}`)}${row('Handedness', receiver.hand)}${row('Unit', `${receiver.metres} m`)}${row('Joints of a skin', `at most ${receiver.jointLimit}`)}${row('Texture', `at most ${receiver.textureLimit} px`)}</table>`)}</div></div>
${section('Files', `<table><tr><th>Name</th><th class="n">size</th><th>SHA-256</th></tr>${sheet.files.map((f) => `<tr><td>${safe(f.name)}</td><td class="n">${bytesText(f.size)}</td><td class="h">${f.sha256}</td></tr>`).join('')}</table>`)}
${section('What the reductions cost against the full bake', report.reductions.length === 0 ? '' : `<table><tr><th>Reduction</th><th>against</th><th class="n">mean</th><th class="n">95 in 100</th><th class="n">worst</th><th class="n">where</th></tr>${report.reductions.map((r) => `<tr><td>${safe(r.name)}</td><td>${safe(r.of)}</td><td class="n">${mm(r.figures.mean)}</td><td class="n">${mm(r.figures.p95)}</td><td class="n">${mm(r.figures.worst)}</td><td class="n">frame ${Number(r.figures.frame.toFixed(2))}, ${safe(r.counts)} ${r.figures.index}</td></tr>`).join('')}</table>`)}
${section('Loop', loop ? `<p>${loop.repeats ? `Repeats to ${mm(loop.distances[loop.rounds - 1] ?? 0)} after ${loop.rounds} round${loop.rounds === 1 ? '' : 's'}` : `Did not repeat in ${loop.rounds} rounds: ${mm(loop.distances[loop.rounds - 1] ?? 0)} were left`}. Seam ${mm(loop.before.gap)} and ${loop.before.speed.toFixed(2)} m/s${loop.closed > 0 ? `, closed over ${loop.closed} samples to ${mm(loop.after.gap)} and ${loop.after.speed.toFixed(2)} m/s; ${mm(loop.depth)} below a collider at most in them` : ''}.</p>` : '')}
${section('Proof of the bake', `<table><tr><th></th><th>Measure</th><th class="n">figure</th><th class="n">limit</th></tr>${sheet.proof.measures.filter((m) => m.value !== null).map((m) => { const name = m.name as keyof typeof MEASURES; return `<tr class="${m.passes ? 'ok' : 'bad'}"><td>${verdict(m.passes)}</td><td>${safe(MEASURES[name]?.label ?? name)}</td><td class="n">${shown(name, m.value!)}</td><td class="n">${shown(name, m.limit)}</td></tr>`; }).join('')}</table>`)}
${section('Worst places', worst.length === 0 ? '' : `<table>${worst.map((w) => `<tr><td>${safe(MEASURES[w.name].label)}</td><td class="n">${shown(w.name, w.value)}</td><td class="n">frame ${w.frame}</td><td class="n">guide ${w.guide}</td><td>${safe(w.where)}</td></tr>`).join('')}</table>`)}
${section('In the stand-in receiver', received ? `<p>${verdict(received.verdict === 'pass')} on ${safe(received.on)}, ${safe(received.at.slice(0, 16).replace('T', ' '))} UTC</p><table>${received.checks.map((c) => `<tr class="${c.passes ? 'ok' : 'bad'}"><td>${verdict(c.passes)}</td><td>${safe(c.name)}</td><td class="n">${safe(c.figure)}</td><td class="n">${safe(c.wanted)}</td></tr>`).join('')}</table>` : '')}
${section('Notes', report.notes.length === 0 ? '' : report.notes.map((n) => `<p>${safe(n)}</p>`).join(''))}
${section('From', `<p>Character <span class="h">${safe(sheet.from.character)}</span></p><p>Groom <span class="h">${safe(sheet.from.document)}</span>, solver ${sheet.from.solver}, bake ${safe(sheet.from.bake)}${sheet.from.bakedAt ? ` of ${safe(sheet.from.bakedAt.slice(0, 16).replace('T', ' '))} UTC` : ''}; ${sheet.proof.kernel === 'simd' ? 'fast kernel' : 'float64 step'}, ${sheet.proof.substeps} substeps a frame.</p>`)}
</body></html>`;
}
