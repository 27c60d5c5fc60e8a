'use client';
/** How many strands have how much of something: a small histogram, or a line of text where all have the same. */
import { bin, max } from 'd3-array';
import { scaleLinear } from 'd3-scale';
import { helpProps } from './controls';

export function Spread({ values, testId, label }: { values: ArrayLike<number>; testId: string; label: string }) {
  const all = Array.from(values);
  if (all.length === 0) return null;
  const W = 262, H = 34, low = all.reduce((a, b) => Math.min(a, b), Infinity), high = all.reduce((a, b) => Math.max(a, b), -Infinity);
  if (high - low < 1e-6) return <p className="num mt-1 text-[11px] text-faint">the same for all strands: {high.toFixed(2)}</p>;
  const bins = bin().domain([low, high]).thresholds(30)(all), x = scaleLinear([low, high], [2, W - 2]), y = scaleLinear([0, max(bins, (b) => b.length) ?? 1], [H - 10, 2]);
  return (
    <svg viewBox={`0 0 ${W} ${H}`} role="img" aria-label={`${label}, from ${low.toFixed(2)} to ${high.toFixed(2)}`} data-testid={`${testId}-spread`} className="mt-1 w-full" {...helpProps('How many strands have how much of it.')}>
      {bins.map((b, i) => <rect key={i} x={x(b.x0!) + 0.5} width={Math.max(0.5, x(b.x1!) - x(b.x0!) - 1)} y={y(b.length)} height={H - 10 - y(b.length)} className="fill-copper" opacity="0.8" />)}
      <path d={`M2 ${H - 10}H${W - 2}`} className="stroke-edge" />
      <text x={2} y={H - 1} className="num fill-faint text-[9px]">{low.toFixed(2)}</text><text x={W - 2} y={H - 1} textAnchor="end" className="num fill-faint text-[9px]">{high.toFixed(2)}</text>
    </svg>
  );
}
