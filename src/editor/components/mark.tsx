/** The comb of the product's name. */
export function Mark({ size = 22 }: { size?: number }) {
  return (
    <svg width={size} height={(size * 18) / 22} viewBox="0 0 22 18" aria-hidden>
      <rect x="0" y="0" width="22" height="4" rx="1.5" className="fill-copper" />
      <g className="fill-text">{[0, 1, 2, 3, 4, 5].map((i) => <rect key={i} x={1 + 3.4 * i} y="5" width="1.6" height={i % 2 && i < 5 ? 9 : 12} />)}</g>
    </svg>
  );
}
