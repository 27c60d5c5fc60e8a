/**
 * How one strand throws light: three lobes, as weights and as ways through the strand, over which colour is absorbed. The only definition there
 * is: the shaders are made from these lines (scripts/treatments.mjs). Light from direction L seen from V, tangent T: `sl` = T·L, `sv` = T·V, `cp` = cosine
 * of the angle about the strand between them.
 *
 * **Source:** the lobes of Marschner, Jensen, Cammarano, Worley & Hanrahan 2003, Light Scattering from Human Hair Fibers, in the analytic fits
 * of course notes of 2016 (Karis, Physically Based Hair Shading), both *from memory*. `shift`: where a strand's scales tilt its highlights, radians.
 */

/** Widths of the lobes: first reflection, through, inner reflection, in sines. */
export function widthOf(): number { return 0.15; }
export function gaussian(width: number, x: number): number { return Math.exp((-0.5 * x * x) / (width * width)) / (width * 2.5066283); }
/** Schlick's fit of Fresnel's reflectance for keratin's index 1.55. */
export function fresnel(c: number): number { const d = 1 - Math.max(0, Math.min(1, c)), q = d * d; return 0.0465 + 0.9535 * q * q * d; }
/** Cosine of half the angle between the inclinations of light and eye. */
export function halfCos(sl: number, sv: number): number { return Math.cos(0.5 * Math.abs(Math.asin(Math.max(-1, Math.min(1, sv))) - Math.asin(Math.max(-1, Math.min(1, sl))))); }

/** Light thrown back at the surface. `vl` = V·L. */
export function mirrored(sl: number, sv: number, cp: number, vl: number, shift: number): number {
  const ch = Math.sqrt(Math.max(0, Math.min(1, 0.5 + 0.5 * cp))), a = -0.07 + shift, s = 2 * Math.sin(a) * (Math.cos(a) * ch * Math.sqrt(Math.max(0, 1 - sv * sv)) + Math.sin(a) * sv);
  return gaussian(widthOf() * 1.414 * Math.max(ch, 0.2), sl + sv - s) * 0.25 * ch * fresnel(Math.sqrt(Math.max(0, Math.min(1, 0.5 + 0.5 * vl))));
}
/** Light that goes through: weight, and twice the half way through the strand in radii. */
export function through(sl: number, sv: number, cp: number, shift: number): number {
  const cd = halfCos(sl, sv), ch = Math.sqrt(Math.max(0, Math.min(1, 0.5 + 0.5 * cp))), a = 1 / (1.19 / cd + 0.36 * cd), h = ch * (1 + a * (0.6 - 0.8 * cp)), f = 1 - fresnel(cd * Math.sqrt(Math.max(0, Math.min(1, 1 - h * h))));
  return gaussian(widthOf() * 0.6, sl + sv - 0.035 - 0.5 * shift) * f * f * Math.exp(-3.65 * cp - 3.98);
}
export function throughWay(sl: number, sv: number, cp: number): number {
  const cd = halfCos(sl, sv), ch = Math.sqrt(Math.max(0, Math.min(1, 0.5 + 0.5 * cp))), a = 1 / (1.19 / cd + 0.36 * cd), h = ch * (1 + a * (0.6 - 0.8 * cp));
  return (2 * Math.sqrt(Math.max(0, 1 - h * h * a * a))) / cd;
}
/** Light thrown back once inside. */
export function inner(sl: number, sv: number, cp: number, shift: number): number {
  const f = fresnel(0.5 * halfCos(sl, sv));
  return gaussian(widthOf() * 1.8, sl + sv - 0.105 - shift) * (1 - f) * (1 - f) * f * Math.exp(17 * cp - 16.78);
}
export function innerWay(sl: number, sv: number): number { return 3.3 / halfCos(sl, sv); }

/**
 * How much of each lobe is drawn for a gloss (1: smooth hair). Strands that lie alike mirror more together than the mean of single ones; what they
 * mirror does not go through. Common practice, no source; no more light comes back than came (the tests go round the whole sphere).
 */
export function mirrorGain(gloss: number): number { return 3.1 * gloss; }
export function innerGain(gloss: number): number { return 1.55 * gloss; }
export function throughGain(gloss: number): number { return 0.97 - 0.465 * gloss; }
