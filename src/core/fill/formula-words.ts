/** What formulas of drivers may name; apart from formula.ts, so that a page that only lists them need not carry the expression library. */
export const FORMULA_INPUTS = {
  t: 'place along the strand: 0 at the root, 1 at the tip',
  random: 'the strand’s own number, 0 … 1; another in each treatment',
  length: 'length of the strand before the treatments, cm',
  up: 'how far the skin at the root faces up: 1 up, −1 down',
  left: 'how far it faces the character’s left',
  front: 'how far it faces the front',
  height: 'height of the root in the rest pose, cm',
  side: 'how far to the character’s left the root is, cm',
  depth: 'how far to the front the root is, cm',
} as const;
/** Functions of our own beside those of arithmetic, with what they do. */
export const FORMULA_FUNCTIONS = {
  mix: 'mix(a, b, x): a where x is 0, b where it is 1',
  ramp: 'ramp(from, to, x): 0 up to from, 1 beyond to, smooth between',
  within: 'within(x, low, high): x, held between the two',
  step: 'step(at, x): 0 below at, 1 from there on',
} as const;
/** A map's name in a formula: that of the lengths would say the strand's. */
export const mapWord = (map: string): string => (map === 'length' ? 'lengthMap' : map);
