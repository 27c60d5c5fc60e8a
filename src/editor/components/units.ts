/** Numbers with units, and other things, for people. */
import type { JobState } from '../state/api';

export const JOB_WORDS: Record<JobState, string> = { queued: 'waits', running: 'running', done: 'done', failed: 'failed', cancelled: 'cancelled', paused: 'paused' };
export const significant = (v: number): string => (v === 0 ? '0' : Math.abs(v) >= 100 ? v.toFixed(0) : String(Number(v.toPrecision(3))));
export const length = (m: number): string => (m < 1e-3 ? `${significant(m * 1e6)} µm` : `${significant(m * 1e3)} mm`);
/** How tall something is, m. */
export const tall = (m: number): string => (m >= 100 ? `${m.toFixed(0)} m` : m >= 0.1 ? `${m.toFixed(2)} m` : m >= 0.01 ? `${significant(100 * m)} cm` : length(m));
export const pascals = (pa: number): string => (pa < 1e8 ? `${significant(pa / 1e6)} MPa` : `${significant(pa / 1e9)} GPa`);
export const scientific = (v: number): string => { const [m, e] = v.toExponential(2).split('e'); return `${m}·10${[...String(Number(e))].map((c) => (c === '-' ? '⁻' : '⁰¹²³⁴⁵⁶⁷⁸⁹'[Number(c)])).join('')}`; };
