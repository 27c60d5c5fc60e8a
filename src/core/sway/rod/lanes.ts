/**
 * The small language the rod step is written in, so that one source is both the float64 reference and, translated by
 * `scripts/kernel/translate.mjs`, the fast kernel that moves four strands side by side in float32.
 *
 * Rules: values are `f`, whole numbers are declared `: i32`; a choice that depends on a value is made with `select`, never
 * with `if`; `if` and loops may ask whole numbers, or `any(…)`; fields of the rod (`k`) and of the options (`o`) are taken
 * out by destructuring; of `Math` only sqrt, abs, min and max. Whatever one strand does must not depend on the strands
 * beside it.
 */

/** A value of one strand; in the fast kernel of four strands at once. */
export type f = number;
/** A whole number, the same for all strands that are moved together. */
export type i32 = number;

/** `yes` where the condition is above zero, else `no` (also where it is no number). */
export function select(condition: f, yes: f, no: f): f { return condition > 0 ? yes : no; }

/** Whether the value is above zero for any of the strands moved together. */
export function any(value: f): boolean { return value > 0; }

/** 1 for a finite number, 0 for infinities and what is no number. */
export function finite(value: f): f { return value - value === 0 ? 1 : 0; }
