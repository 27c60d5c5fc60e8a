'use client';
/** A small curve root → tip in the tray: points are dragged, added by a double click, removed by Delete. */
import { scaleLinear } from 'd3-scale';
import { curveMonotoneX, line } from 'd3-shape';
import { useState } from 'react';
import { profileAt } from '../../core/math/profile';
import { follow, helpProps } from './controls';

export function ProfileField({ label, value, onChange, onCommit }: { label: string; value: readonly (readonly [number, number])[]; onChange: (v: [number, number][]) => void; onCommit: () => void }) {
  const [knot, setKnot] = useState(0), W = 262, H = 66, x = scaleLinear([0, 1], [10, W - 10]), y = scaleLinear([0, 1], [H - 12, 8]), draw = line<readonly [number, number]>((k) => x(k[0]), (k) => y(k[1])).curve(curveMonotoneX);
  const set = (i: number, u: number, v: number): void => {
    const low = i === 0 ? 0 : value[i - 1][0] + 0.01, high = i === value.length - 1 ? 1 : value[i + 1][0] - 0.01, ends = i === 0 ? 0 : i === value.length - 1 ? 1 : Math.max(low, Math.min(high, u));
    onChange(value.map((k, j) => (j === i ? [Math.round(ends * 1000) / 1000, Math.round(Math.max(0, Math.min(1, v)) * 1000) / 1000] : [k[0], k[1]])));
  };
  const add = (u: number): void => { if (value.length < 16 && u > 0.01 && u < 0.99 && value.every((k) => Math.abs(k[0] - u) > 0.01)) { onChange([...value, [Math.round(u * 1000) / 1000, Math.round(profileAt(value, u) * 1000) / 1000] as const].sort((a, b) => a[0] - b[0]).map((k) => [k[0], k[1]])); onCommit(); } };
  const remove = (i: number): void => { if (i > 0 && i < value.length - 1) { onChange(value.filter((_, j) => j !== i).map((k) => [k[0], k[1]])); onCommit(); setKnot(0); } };
  const place = (e: { clientX: number; clientY: number }, svg: Element): [number, number] => { const r = svg.getBoundingClientRect(); return [x.invert(((e.clientX - r.left) * W) / r.width), y.invert(((e.clientY - r.top) * H) / r.height)]; };
  return (
    <svg viewBox={`0 0 ${W} ${H}`} role="group" aria-label={label} className="w-full touch-none rounded bg-ground select-none" {...helpProps('How much of it there is from root (left) to tip. Drag a point; double-click adds one, Delete takes it away.')} onDoubleClick={(e) => add(place(e, e.currentTarget)[0])}>
      {[0, 0.25, 0.5, 0.75, 1].map((t) => <path key={t} d={`M${x(t)} 8V${H - 12}`} className="stroke-edge" opacity="0.6" />)}
      <path d={`M${x(0)} ${y(0)}H${x(1)}`} className="stroke-edge" />
      <path d={`${draw(value) ?? ''}L${x(1)} ${y(0)}L${x(0)} ${y(0)}Z`} className="fill-copper" opacity="0.14" />
      <path d={draw(value) ?? ''} fill="none" strokeWidth="1.6" className="stroke-copper" />
      <text x={x(0)} y={H - 2} className="num fill-faint text-[9px]">root</text><text x={x(1)} y={H - 2} textAnchor="end" className="num fill-faint text-[9px]">tip</text>
      {value.map(([u, v], i) => (
        <circle key={i} cx={x(u)} cy={y(v)} r={i === knot ? 5 : 4} tabIndex={0} role="slider" aria-label={`${label} at ${Math.round(100 * u)} %`} aria-valuemin={0} aria-valuemax={1} aria-valuenow={v} strokeWidth="1.6" className={`cursor-move stroke-copper ${i === knot ? 'fill-lifted' : 'fill-raised'}`} onFocus={() => setKnot(i)}
          onPointerDown={(e) => { e.stopPropagation(); const svg = e.currentTarget.ownerSVGElement!; setKnot(i); follow(e, (m) => { const [a, b] = place(m, svg); set(i, a, b); }, onCommit); }}
          onKeyDown={(e) => { const by = { ArrowRight: [0.02, 0], ArrowLeft: [-0.02, 0], ArrowUp: [0, 0.02], ArrowDown: [0, -0.02] }[e.key]; if (by) { set(i, u + by[0], v + by[1]); onCommit(); } else if (e.key === 'Delete' || e.key === 'Backspace') remove(i); else return; e.preventDefault(); e.stopPropagation(); }}><title>{`${v} at ${Math.round(100 * u)} %`}</title></circle>
      ))}
    </svg>
  );
}
