/** Numbers that an artist sets: what one is called, its unit, range and explanation. */
import { z } from 'zod';

export interface Parameter {
  label: string;
  unit: string;
  min: number;
  max: number;
  step: number;
  fallback: number;
  /** One sentence for the artist. */
  help: string;
  integer?: boolean;
  /** Places after the point at most, where they are not those of the step. */
  digits?: number;
}

export const parameter = (label: string, unit: string, min: number, max: number, step: number, fallback: number, help: string, integer = false): Parameter => ({ label, unit, min, max, step, fallback, help, integer });

export type Values<T> = { -readonly [K in keyof T]: z.ZodNumber };
/** A schema of such numbers, each within its range. */
export function numbers<T extends Record<string, Parameter>>(table: T): z.ZodObject<Values<T>> {
  const shape = Object.fromEntries(Object.entries(table).map(([key, p]) => {
    const n = z.number().min(p.min).max(p.max);
    return [key, p.integer ? n.int() : n];
  }));
  return z.object(shape as Values<T>);
}
/** Every number as it is to begin with. */
export function defaultsOf<T extends Record<string, Parameter>>(table: T): { [K in keyof T]: number } {
  return Object.fromEntries(Object.entries(table).map(([key, p]) => [key, p.fallback])) as { [K in keyof T]: number };
}
