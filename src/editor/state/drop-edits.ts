/** What drops come from, as edits of the document; the tray and the command box both use them. */
import { freeName } from '../../core/document/free-name';
import { KIND_WORDS, newSource, type DropKind } from '../../core/drops/sources';
import type { Session } from './session';
import { useEditor } from './store';

/** A source of a kind over the hair, within the shot; its id. */
export function addSource(session: Session, kind: DropKind): string {
  const { document } = session, id = `s${Date.now().toString(36)}`, name = freeName(KIND_WORDS[kind].toLowerCase(), (document.sway.drops ?? []).map((s) => s.name));
  const source = newSource(kind, id, name, session.middleOfHair()), { start, end } = document.shot;
  // it begins within the shot
  const placed = { ...source, from: kind === 'rain' ? start - document.bake.preRoll : Math.min(end, start + Math.max(0, source.from)), to: kind === 'rain' ? end : Math.min(Math.max(end, start + 1), start + source.to) };
  useEditor.getState().edit(KIND_WORDS[kind], (d) => { d.sway.drops = [...(d.sway.drops ?? []), placed]; });
  return id;
}
