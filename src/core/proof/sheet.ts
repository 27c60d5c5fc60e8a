/** A take's proof on paper: figures frame by frame as CSV, and one page to print. */
import { scaleLinear } from 'd3-scale';
import { line } from 'd3-shape';
import { MEASURES, MEASURE_NAMES, type Limits, type MeasureName, type Proof } from '../document/proof';
import { colliderOf, deepestBelow, judge, seriesOf, worstList } from './judge';

export interface SheetInput {
  production: string; character: string; groom: string;
  take: { name: string; shotName: string; createdAt: string; changes: readonly string[] };
  proof: Proof; limits: Limits;
  /** Pictures of the take as a PNG, base64. */
  strip: string | null;
}

type Column = [string, (f: Proof['frames'][number]) => number | string];

/** One line a frame; the names of the columns say their units. */
export function proofCsv(proof: Proof): string {
  const filled = proof.filled && new Map(proof.filled.frames.map((f) => [f[0], f]));
  const columns: Column[] = [
    ['frame', (f) => f.frame], ['shown', (f) => (f.frame >= proof.start ? 1 : 0)],
    ['depth_mm', (f) => figure(f.depth * 1000)], ['depth_guide', (f) => f.depthGuide], ['deepest_collider', (f) => quoted(colliderOf(proof, { frame: f.frame, guide: f.depthGuide }))],
    ...(filled ? [['filled_depth_mm', (f) => figure(1000 * (filled.get(f.frame)?.[1] ?? NaN))], ['filled_guide', (f) => filled.get(f.frame)?.[2] ?? '']] satisfies Column[] : []),
    ['stretch_percent', (f) => figure(f.stretch * 100)], ['stretch_guide', (f) => f.stretchGuide],
    ['jump_g', (f) => figure(f.jump)], ['jump_guide', (f) => f.jumpGuide], ['jitter_mm', (f) => figure(f.jitter * 1000)], ['jitter_guide', (f) => f.jitterGuide],
    ['drift_mm', (f) => figure(f.drift * 1000)], ['drift_guide', (f) => f.driftGuide], ['shape_lost_percent', (f) => figure(f.strayed * 100)], ['volume_percent', (f) => figure(f.volume * 100)], ['all_alike_percent', (f) => figure(f.alike * 100)],
    ['own_speed_m_per_s', (f) => figure(f.own)], ['skin_speed_m_per_s', (f) => figure(f.carried)], ['not_closed', (f) => f.netUses], ['contacts', (f) => f.contacts], ['hardest_contact_mN', (f) => figure(f.press * 1000)], ['ties_let_go', (f) => f.broken.length],
  ];
  return [columns.map(([name]) => name).join(','), ...proof.frames.map((f) => columns.map(([, of]) => of(f)).join(','))].join('\r\n') + '\r\n';
}
const figure = (v: number): string => (Number.isNaN(v) ? '' : String(Number(v.toPrecision(6))));
const quoted = (text: string): string => (/[",\r\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text);

const safe = (text: string): string => text.replace(/[&<>"']/g, (c) => `&#${c.charCodeAt(0)};`);
export const shown = (name: MeasureName, value: number): string => `${(value * MEASURES[name].scale).toFixed(MEASURES[name].digits)}${MEASURES[name].unit ? ` ${MEASURES[name].unit}` : ''}`;

/** A page of HTML that stands alone. */
export function takeSheet({ production, character, groom, take, proof, limits, strip }: SheetInput): string {
  const verdicts = judge(proof, limits), failed = verdicts.filter((v) => !v.passes), worst = worstList(proof, limits, 10), { plan } = proof.report;
  const rows = verdicts.map((v) => `<tr class="${v.figure === null ? 'none' : v.passes ? 'ok' : 'bad'}"><td>${v.figure === null ? '–' : v.passes ? '● pass' : '▲ attention'}</td><td>${safe(MEASURES[v.name].label)}</td><td class="n">${v.figure ? shown(v.name, v.figure.value) : 'not measured'}</td><td class="n">${shown(v.name, v.limit)}</td><td class="n">${v.figure && v.figure.frame >= proof.start ? v.figure.frame : ''}</td><td class="n">${v.figure && v.figure.guide >= 0 ? v.figure.guide : ''}</td><td>${safe(MEASURES[v.name].help)}</td></tr>`).join('');
  const list = worst.map((w) => `<tr><td>${safe(MEASURES[w.name].label)}</td><td class="n">${shown(w.name, w.value)}</td><td class="n">${w.frame}</td><td class="n">${w.guide}</td><td>${safe(w.where)}</td></tr>`).join('');
  const deep = deepestBelow(proof).slice(0, 12).map((w) => `<tr><td>${safe(w.collider)}</td><td>${w.filled ? 'filled strands' : 'guides'}</td><td class="n">${shown('depth', w.depth)}</td><td class="n">${w.frame}</td><td class="n">${w.guide >= 0 ? w.guide : ''}</td></tr>`).join('');
  const charts = MEASURE_NAMES.filter((n) => seriesOf(proof, n).length > 1 && n !== 'broken').slice(0, 9).map((n) => chart(proof, n, limits)).join('');
  return `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>${safe(`${groom}: ${take.name}`)}</title><style>
@page{size:A4;margin:12mm}body{font:11px/1.4 Figtree,system-ui,sans-serif;color:#222;max-width:186mm;margin:8mm auto}h1{font-size:17px;margin:0 0 2px}h2{font-size:12px;margin:12px 0 3px}
table{border-collapse:collapse;width:100%}td,th{text-align:left;padding:2px 5px;border-top:1px solid #ccc;vertical-align:top}th{border:0;color:#666;font-weight:500}.n{font-family:'JetBrains Mono Variable',monospace;text-align:right;white-space:nowrap}
.bad td:first-child{color:#a8321c;font-weight:600}.none{color:#888}.charts{display:grid;grid-template-columns:repeat(3,1fr);gap:6px}svg{width:100%;border:1px solid #ddd}img{width:100%}p{margin:2px 0}.verdict{font-size:13px;font-weight:600}</style></head><body>
<h1>${safe(take.name)}</h1><p>${safe(production)} · ${safe(character)} · ${safe(groom)} · shot ${safe(take.shotName)} · frames ${proof.start}–${proof.end} at ${proof.fps} a second · ${safe(take.createdAt.slice(0, 16).replace('T', ' '))} UTC</p>
<p class="verdict">${failed.length === 0 ? '● Passes every measure' : `▲ Attention: ${failed.map((v) => safe(MEASURES[v.name].label.toLowerCase())).join(', ')}`}</p>
${strip ? `<img alt="Frames of the take" src="data:image/png;base64,${strip}">` : ''}
<h2>Measures</h2><table><tr><th></th><th>Measure</th><th class="n">figure</th><th class="n">limit</th><th class="n">frame</th><th class="n">guide</th><th>What it says</th></tr>${rows}</table>
${deep ? `<h2>Depth by collider</h2><table><tr><th>Below</th><th>what</th><th class="n">depth</th><th class="n">frame</th><th class="n">guide</th></tr>${deep}</table>` : ''}
${list ? `<h2>Worst places</h2><table><tr><th>Measure</th><th class="n">figure</th><th class="n">frame</th><th class="n">guide</th><th>below</th></tr>${list}</table>` : ''}
<h2>Frame by frame</h2><div class="charts">${charts}</div>
<h2>How it was made</h2><p>${proof.report.guides} guides against ${proof.report.pills} pills and ${proof.report.shells} shells; ${plan.substeps} substeps a frame, expected error ${(plan.error * 100).toFixed(1)} % of the length; ${proof.report.kernel === 'simd' ? 'fast kernel' : 'float64 step'}${proof.seconds > 0 ? `; ${proof.seconds.toFixed(1)} s` : ''}.</p>
<p>${proof.report.beganInside} points began below a surface, at most ${(proof.report.beganDeepest * 1000).toFixed(1)} mm. ${take.changes.length > 0 ? `Set otherwise than usual: ${safe(take.changes.join('; '))}.` : ''}</p>
</body></html>`;
}

function chart(proof: Proof, name: MeasureName, limits: Limits): string {
  const series = seriesOf(proof, name), limit = limits[name] ?? MEASURES[name].limit, top = Math.max(limit * 1.2, ...series.map((s) => s.value), 1e-12), x = scaleLinear([proof.frames[0].frame, proof.end], [4, 236]), y = scaleLinear([0, top], [74, 14]);
  const path = line<{ frame: number; value: number }>((s) => x(s.frame), (s) => y(s.value))(series) ?? '';
  return `<svg viewBox="0 0 240 80" role="img" aria-label="${safe(MEASURES[name].label)}"><text x="4" y="10" font-size="9">${safe(MEASURES[name].label)}, to ${shown(name, top)}</text><path d="M${x(proof.start)} 14V74" stroke="#bbb"/><path d="M4 ${y(limit)}H236" stroke="#a8321c" stroke-dasharray="3 3"/><path d="${path}" fill="none" stroke="#8a5a2b" stroke-width="1.3"/></svg>`;
}
