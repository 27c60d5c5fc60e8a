import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';

/** Colour variables of a theme as they stand in the style sheet. */
function variables(selector: string): Record<string, [number, number, number]> {
  const css = readFileSync('src/app/globals.css', 'utf8'), start = css.indexOf(selector), block = css.slice(css.indexOf('{', start) + 1, css.indexOf('}', start));
  return Object.fromEntries([...block.matchAll(/--([\w-]+):\s*#([0-9a-f]{6})/g)].map(([, name, hex]) => [name, [0, 2, 4].map((k) => parseInt(hex.slice(k, k + 2), 16) / 255) as [number, number, number]]));
}
/** Source: WCAG 2.2, relative luminance and contrast ratio. */
const luminance = (c: number[]): number => { const [r, g, b] = c.map((v) => (v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4)); return 0.2126 * r + 0.7152 * g + 0.0722 * b; };
const contrast = (a: number[], b: number[]): number => { const [x, y] = [luminance(a), luminance(b)].sort((p, q) => q - p); return (x + 0.05) / (y + 0.05); };

for (const [theme, selector] of [['peat', ':root'], ['linen', "[data-theme='linen']"]] as const) describe(`the ${theme} theme`, () => {
  const v = variables(selector);
  it('text is readable on every ground it stands on (4.5 : 1)', () => {
    for (const text of ['text', 'soft', 'faint']) for (const ground of ['ground', 'panel', 'raised'])
      expect(contrast(v[text], v[ground]), `${text} on ${ground}`).toBeGreaterThanOrEqual(4.5);
    expect(contrast(v['copper-ink'], v.copper)).toBeGreaterThanOrEqual(4.5);
    expect(contrast(v['tooth-ink'], v.tooth)).toBeGreaterThanOrEqual(4.5);
    expect(contrast(v.copper, v.panel)).toBeGreaterThanOrEqual(4.5);
  });
  it('marks and focus rings stand out (3 : 1)', () => {
    for (const mark of ['copper', 'good', 'trouble', 'cool']) for (const ground of ['panel', 'raised'])
      expect(contrast(v[mark], v[ground]), `${mark} on ${ground}`).toBeGreaterThanOrEqual(3);
  });
});
