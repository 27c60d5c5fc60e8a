/** The shots of a character that a groom is set up for: the open one, and the others kept beside it. */
import { isDraft, produce, current as currentOf, type Draft } from 'immer';
import { nameOfShot, noSwayMaps, type GroomDocument, type SwaySettings } from './schema';

/** A draft as it stands, or the value itself. */
const plain = <T>(value: T): T => (isDraft(value) ? (currentOf(value as Draft<T>) as T) : value);

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

/** Opens another shot; the one that was open is kept beside, with the settings it alone has so. */
export function openShot(d: Draft<GroomDocument>, name: string): void {
  const at = d.otherShots.findIndex((o) => o.shotName === name);
  if (at < 0) return;
  const next = d.otherShots[at], sway = d.sway as Record<string, unknown>, aside = d.setAside as Record<string, unknown>, own: Record<string, unknown> = {};
  for (const key of Object.keys(aside)) { own[key] = plain(sway[key]); sway[key] = plain(aside[key]); }
  d.otherShots[at] = { shotName: d.shotName, shot: d.shot, hidden: d.hidden, own };
  d.shotName = next.shotName;
  d.shot = next.shot;
  d.hidden = next.hidden;
  d.setAside = {};
  for (const [key, value] of Object.entries(next.own)) { (d.setAside as Record<string, unknown>)[key] = plain(sway[key]); sway[key] = plain(value); }
}
/** A shot like the open one, which is opened. */
export function addShot(d: Draft<GroomDocument>, wanted: string): void {
  const name = freeShotName(d, wanted), own = Object.fromEntries(Object.keys(d.setAside).map((key) => [key, structuredClone(plain(d.sway[key as keyof SwaySettings]))]));
  d.otherShots.push({ shotName: d.shotName, shot: { ...d.shot }, hidden: [...d.hidden], own });
  d.shotName = name;
}
/** Takes the open shot away and opens the one that follows it; the last one stays. */
export function removeShot(d: Draft<GroomDocument>): void {
  const names = shotNames(d as GroomDocument), at = names.indexOf(d.shotName), next = names[at + 1] ?? names[at - 1], gone = d.shotName;
  if (next === undefined) return;
  openShot(d, next);
  d.otherShots = d.otherShots.filter((o) => o.shotName !== gone);
}

/** Movement settings that the open shot has otherwise than the others. */
export const ownSettings = (d: Pick<GroomDocument, 'setAside'>): (keyof SwaySettings)[] => Object.keys(d.setAside) as (keyof SwaySettings)[];
/** What was changed since `before` is this shot's own from now on. */
export function keepOwn(d: Draft<GroomDocument>, before: GroomDocument): void {
  const aside = d.setAside as Record<string, unknown>;
  for (const key of Object.keys(before.sway) as (keyof SwaySettings)[]) {
    if (key in aside || JSON.stringify(d.sway[key]) === JSON.stringify(before.sway[key])) continue;
    aside[key] = before.sway[key];
  }
}
/** Whether hair moves in the open shot; the other shots keep what they have. */
export function moveHere(d: Draft<GroomDocument>, on: boolean): void {
  const shared = d.setAside.on ?? d.sway.on;
  d.sway.on = on;
  if (d.otherShots.length === 0) return;
  if (on === shared) delete d.setAside.on;
  else d.setAside.on = shared;
}
/** A setting is as in the other shots again. */
export function shareAgain(d: Draft<GroomDocument>, key: keyof SwaySettings): void {
  if (!(key in d.setAside)) return;
  (d.sway as Record<string, unknown>)[key] = d.setAside[key];
  delete d.setAside[key];
}
/** Maps of movement go with the mesh they were painted on, in every shot. */
export function clearSwayMaps(d: Draft<GroomDocument>): void {
  d.sway.maps = noSwayMaps();
  for (const own of [d.setAside, ...d.otherShots.map((o) => o.own)]) if (own.maps) own.maps = noSwayMaps();
}
/** The document as it is with another shot open. */
export const withShot = (d: GroomDocument, name: string): GroomDocument => (d.shotName === name ? d : produce(d, (draft) => { openShot(draft, name); }));
