/** `./comb plots`: runs the cases the conformance tests judge and draws docs/physics/*.svg and the tables of docs/physics.md. */
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { scaleLinear, scaleLog } from 'd3-scale';
import { line } from 'd3-shape';
import { AIR } from '../src/core/sway/strand-setup';
import { airDamping, planSubsteps } from '../src/core/sway/substeps';
import { apart, beamMode, cantileverError, chainMode, curlDrift, elasticaError, pendulumEnergy, shaken, SUBSTEP } from '../tests/helpers/rod-cases';
import { KERNELS } from '../tests/helpers/strands';

interface Series { name: string; points: [number, number][]; dash?: string }
interface Plot { file: string; title: string; x: string; y: string; logX?: boolean; logY?: boolean; series: Series[]; guide?: { name: string; slope: number } }

const W = 560, H = 340, LEFT = 62, RIGHT = 150, TOP = 34, BOTTOM = 46;
const TONES = ['#9a5420', '#2c6480', '#4f6b2a', '#6b4a86', '#675e51'];
const tidy = (v: number): string => (v === 0 ? '0' : Math.abs(v) >= 1e-5 && Math.abs(v) < 1e4 ? String(Number(v.toPrecision(2))) : v.toExponential(0).replace('e-', '·10⁻').replace('e+', '·10').replace(/\d+$/, (d) => [...d].map((c) => '⁰¹²³⁴⁵⁶⁷⁸⁹'[Number(c)]).join('')));
function draw(plot: Plot): string {
  const all = plot.series.flatMap((s) => s.points), xs = all.map((p) => p[0]), ys = all.map((p) => p[1]);
  const pad = (low: number, high: number, log?: boolean): [number, number] => (log ? [low / 1.4, high * 1.4] : [low - 0.05 * (high - low || 1), high + 0.05 * (high - low || 1)]);
  const x = (plot.logX ? scaleLog() : scaleLinear()).domain(pad(Math.min(...xs), Math.max(...xs), plot.logX)).range([LEFT, W - RIGHT]);
  const y = (plot.logY ? scaleLog() : scaleLinear()).domain(pad(Math.min(...ys), Math.max(...ys), plot.logY)).range([H - BOTTOM, TOP]);
  const xTicks = plot.logX ? [...new Set(xs)].sort((a, b) => a - b) : x.ticks(6), yTicks = plot.logY ? y.ticks().filter((v) => Math.abs(Math.log10(v) - Math.round(Math.log10(v))) < 1e-9) : y.ticks(6);
  const path = line<[number, number]>((p) => x(p[0]), (p) => y(p[1]));
  const parts = [
    `<svg xmlns="http://www.w3.org/2000/svg" width="${W}" height="${H}" viewBox="0 0 ${W} ${H}" font-family="Figtree, system-ui, sans-serif" font-size="12" fill="#231f1a"><rect width="${W}" height="${H}" fill="#f7f2e8"/>`,
    `<text x="${LEFT}" y="20" font-size="14" font-weight="600">${plot.title}</text>`,
    ...xTicks.map((t) => `<path d="M${x(t)} ${TOP}V${H - BOTTOM}" stroke="#d9cfbf"/><text x="${x(t)}" y="${H - BOTTOM + 16}" text-anchor="middle">${tidy(t)}</text>`),
    ...yTicks.map((t) => `<path d="M${LEFT} ${y(t)}H${W - RIGHT}" stroke="#d9cfbf"/><text x="${LEFT - 6}" y="${y(t) + 4}" text-anchor="end">${tidy(t)}</text>`),
    `<text x="${(LEFT + W - RIGHT) / 2}" y="${H - 10}" text-anchor="middle">${plot.x}</text><text transform="translate(14 ${(TOP + H - BOTTOM) / 2}) rotate(-90)" text-anchor="middle">${plot.y}</text>`,
  ];
  plot.series.forEach((s, i) => {
    const tone = TONES[i % TONES.length], dash = s.dash ? ` stroke-dasharray="${s.dash}"` : '';
    parts.push(`<path d="${path(s.points)}" fill="none" stroke="${tone}" stroke-width="2"${dash}/>`, ...(s.points.length < 30 ? s.points.map((p) => `<circle cx="${x(p[0])}" cy="${y(p[1])}" r="3" fill="${tone}"/>`) : []));
    parts.push(`<path d="M${W - RIGHT + 10} ${TOP + 10 + 18 * i}h22" stroke="${tone}" stroke-width="2"${dash}/><text x="${W - RIGHT + 38}" y="${TOP + 14 + 18 * i}">${s.name}</text>`);
  });
  return `${parts.join('\n')}\n</svg>\n`;
}

const percent = (v: number, digits = 2): string => `${(100 * v).toFixed(digits)} %`;
const POINTS = [8, 16, 32, 64], SUBSTEPS = [2, 4, 8, 16, 32];
const cantilever = KERNELS.map((k) => POINTS.map((n): [number, number] => [n, Math.abs(cantileverError(n, SUBSTEP, k))]));
const overSubsteps = KERNELS.map((k) => SUBSTEPS.map((s): [number, number] => [s, Math.abs(cantileverError(16, 1 / (24 * s), k))]));
const betas = [1, 10, 100], elastica = KERNELS.map((k) => betas.map((b) => [16, 32].map((n) => elasticaError(b, n, k))));
const chain = [8, 16, 32].map((n): [number, number] => [n, Math.abs(chainMode(n, 'simd').error)]), beam = [8, 16, 32].map((n): [number, number] => [n, Math.abs(beamMode(n, 'simd').error)]);
const times = Array.from({ length: 41 }, (_, i) => i * 0.25), energy = [2, 4, 8, 16].map((s) => ({ s, left: pendulumEnergy(s, times, 'simd') }));
const drift = [2, 4, 8].map((s) => [2e-8, 1e-7, 1e-6].map((b) => KERNELS.map((k) => curlDrift(b, s, k))));
const reference = shaken(16, 128, 'float64'), shake = [2, 3, 4, 6, 8, 12, 16, 24].map((s) => {
  const run = shaken(16, s, 'simd'), w = 4 * Math.PI, plan = planSubsteps(24, { length: 0.25, edge: 0.25 / 15, bend: 3.2e-8, lineDensity: 6.6e-6, damping: airDamping(8e-5, 6.6e-6, 0.2, AIR) }, { speed: 0.05 * w, acceleration: 0.05 * w * w, turning: 0 }, 9.81, 0.01, false, s);
  return { s, error: apart(run.tip, reference.tip), estimate: plan.error };
});
const kernels = [[16, 2], [16, 4], [24, 2]].map(([n, hertz]) => ({ n, hertz, mm: 250 * apart(shaken(n, 8, 'float64', { hertz }).tip, shaken(n, 8, 'simd', { hertz }).tip) }));

mkdirSync('docs/physics', { recursive: true });
const plots: Plot[] = [
  { file: 'tip-points', title: 'Cantilever: error of the tip over points', x: 'points', y: 'share of the deflection', logX: true, logY: true, series: KERNELS.map((name, i) => ({ name, points: cantilever[i], dash: i ? '6 4' : undefined })) },
  { file: 'tip-substeps', title: 'The same over substeps, 16 points', x: 'substeps a frame', y: 'share of the deflection', logX: true, series: KERNELS.map((name, i) => ({ name, points: overSubsteps[i], dash: i ? '6 4' : undefined })) },
  { file: 'energy', title: 'Rigid pendulum, 1 rad: energy left', x: 'seconds', y: 'share', series: energy.map(({ s, left }, i) => ({ name: `${s} substeps`, points: left.map((v, k): [number, number] => [times[k], v]), dash: ['2 3', '8 3', undefined, '4 2'][i] })) },
  { file: 'frequency', title: 'First modes: error of the frequency', x: 'points', y: 'share', logX: true, logY: true, series: [{ name: 'hanging chain', points: chain }, { name: 'clamped beam', points: beam, dash: '6 4' }] },
  { file: 'shake', title: 'Shaken root, 2 Hz, ±5 cm: error of the tip', x: 'substeps a frame', y: 'share of the length', logX: true, logY: true, series: [{ name: 'measured', points: shake.map((p): [number, number] => [p.s, p.error]) }, { name: 'estimated', points: shake.map((p): [number, number] => [p.s, p.estimate]), dash: '6 4' }] },
];
for (const plot of plots) writeFileSync(`docs/physics/${plot.file}.svg`, draw(plot));

const table = (head: string[], rows: (string | number)[][]): string => [`| ${head.join(' | ')} |`, `|${head.map(() => '---').join('|')}|`, ...rows.map((r) => `| ${r.join(' | ')} |`)].join('\n');
const figures: Record<string, string> = {
  statics: table(['case', ...KERNELS], [
    ...POINTS.map((n, i) => [`cantilever, ${n} points`, ...KERNELS.map((_, k) => percent(cantilever[k][i][1], 3))]),
    ['cantilever, 16 points, spread over 2 … 32 substeps', ...KERNELS.map((_, k) => percent(Math.max(...overSubsteps[k].map((p) => p[1])) - Math.min(...overSubsteps[k].map((p) => p[1])), 4))],
    ...betas.flatMap((b, i) => [16, 32].map((n, j) => [`heavy elastica, β = ${b}, ${n} points (share of the length)`, ...KERNELS.map((_, k) => percent(elastica[k][i][j].error, 3))])),
  ]),
  movement: table(['case', 'figure'], [
    ...chain.map(([n, e]) => [`hanging chain, first mode, ${n} points`, percent(e)]), ...beam.map(([n, e]) => [`clamped beam, first mode, ${n} points`, percent(e)]),
    ...energy.map(({ s, left }) => [`rigid pendulum, energy lost in 10 s, ${s} substeps`, percent(1 - left[left.length - 1])]),
    ...kernels.map(({ n, hertz, mm }) => [`kernels apart after 2 s, ${n} points shaken at ${hertz} Hz`, `${mm.toFixed(4)} mm`]),
  ]),
  calm: table(['substeps', 'EI, N·m²', ...KERNELS], drift.flatMap((row, i) => row.map((kinds, j) => [[2, 4, 8][i], ['2·10⁻⁸', '10⁻⁷', '10⁻⁶'][j], ...kinds.map((d) => d.toExponential(0))]))),
};
let page = readFileSync('docs/physics.md', 'utf8');
for (const [name, text] of Object.entries(figures)) {
  const [open, close] = [`<!-- ${name} -->`, `<!-- /${name} -->`], a = page.indexOf(open), b = page.indexOf(close);
  if (a < 0 || b < a) throw new Error(`docs/physics.md: no place for ${name}`);
  page = `${page.slice(0, a + open.length)}\n${text}\n${page.slice(b)}`;
}
writeFileSync('docs/physics.md', page);
console.log(`docs/physics.md and ${plots.length} plots`);
