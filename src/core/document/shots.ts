/** The shots of a character that a groom is set up for: the open one, and the others kept beside it. */
import type { Draft } from 'immer';
import { nameOfShot, type GroomDocument } from './schema';

const taken = (d: GroomDocument | Draft<GroomDocument>): Set<string> => new Set([d.shotName, ...d.otherShots.map((o) => o.shotName)]);

/** The name itself, or with a number after it where it is taken. */
export function freeShotName(d: GroomDocument | Draft<GroomDocument>, wanted: string): string {
  const names = taken(d), base = wanted.trim().slice(0, 50) || 'shot';
  if (!names.has(base)) return base;
  for (let n = 2; ; n++) if (!names.has(`${base} ${n}`)) return `${base} ${n}`;
}
/** Whether the open shot still has the name of its clip, or that with a number. */
export const isNamedByClip = (d: GroomDocument | Draft<GroomDocument>): boolean => { const own = nameOfShot(d.shot); return d.shotName === own || (d.shotName.startsWith(`${own} `) && /^\d+$/.test(d.shotName.slice(own.length + 1))); };
/** All shots by name, in the order they are shown. */
export const shotNames = (d: GroomDocument): string[] => [...taken(d)].sort((a, b) => a.localeCompare(b, 'en', { numeric: true }));

/** Opens another shot; the one that was open is kept beside. */
export function openShot(d: Draft<GroomDocument>, name: string): void {
  const at = d.otherShots.findIndex((o) => o.shotName === name);
  if (at < 0) return;
  const next = d.otherShots[at];
  d.otherShots[at] = { shotName: d.shotName, shot: d.shot, hidden: d.hidden };
  d.shotName = next.shotName;
  d.shot = next.shot;
  d.hidden = next.hidden;
}
/** A shot like the open one, which is opened. */
export function addShot(d: Draft<GroomDocument>, wanted: string): void {
  const name = freeShotName(d, wanted);
  d.otherShots.push({ shotName: d.shotName, shot: { ...d.shot }, hidden: [...d.hidden] });
  d.shotName = name;
}
/** Takes the open shot away and opens the one that follows it; the last one stays. */
export function removeShot(d: Draft<GroomDocument>): void {
  const names = shotNames(d as GroomDocument), at = names.indexOf(d.shotName), next = names[at + 1] ?? names[at - 1], gone = d.shotName;
  if (next === undefined) return;
  openShot(d, next);
  d.otherShots = d.otherShots.filter((o) => o.shotName !== gone);
}
