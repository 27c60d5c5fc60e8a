'use client';
import { Command } from 'cmdk';
import { CARD_PARAMETERS, FILL_PARAMETERS, PLANT_PARAMETERS, PLANTED_PARAMETERS, SWAY_PARAMETERS, type Parameter } from '../../core/document/schema';
import { useEditor, type Stage } from '../state/store';
import { useWorkshop } from './context';
import { unfold } from './controls';
import type { Group } from './panel-parts';

/** Ctrl K: every action and every setting by name. */
export function CommandBox() {
  const open = useEditor((s) => s.commandOpen), { actions, session } = useWorkshop();
  const close = (): void => useEditor.setState({ commandOpen: false });
  const groups = [...new Set(actions.map((a) => a.group))];
  const settings = ([['plant', 'plant', PLANT_PARAMETERS], ['fill', 'fill', FILL_PARAMETERS], ['fill', 'cards', CARD_PARAMETERS], ['fill', 'planted', PLANTED_PARAMETERS], ['sway', 'sway', SWAY_PARAMETERS]] as [Stage, Group, Record<string, Parameter>][]).flatMap(([stage, group, table]) => Object.entries(table).map(([name, p]) => ({ stage, group, name, p })));
  const focusSetting = (stage: Stage, group: Group, name: string, label: string): void => {
    close();
    useEditor.setState({ stage });
    unfold();
    setTimeout(() => {
      const field = document.querySelector<HTMLInputElement>(`[data-testid="${group}-${name}"]`);
      if (field) field.focus(); else session.onTold?.(`“${label}” counts for nothing as things are set now, so it is not shown.`);
    }, 60);
  };
  return (
    <Command.Dialog open={open} onOpenChange={(v) => useEditor.setState({ commandOpen: v })} label="Find an action or a setting" overlayClassName="fixed inset-0 z-40 bg-black/45" contentClassName="fixed top-24 left-1/2 z-50 w-[480px] -translate-x-1/2 overflow-hidden rounded-lg border border-edge bg-raised shadow-2xl">
      <Command.Input autoFocus placeholder="Find an action or a setting" className="w-full border-b border-line bg-transparent px-4 py-3 text-[14px] outline-none placeholder:text-faint" />
      <Command.List className="max-h-[380px] overflow-y-auto p-1.5">
        <Command.Empty className="px-3 py-6 text-center text-faint">Nothing of that name.</Command.Empty>
        {groups.map((g) => (
          <Command.Group key={g} heading={g} className="[&_[cmdk-group-heading]]:px-2.5 [&_[cmdk-group-heading]]:pt-2 [&_[cmdk-group-heading]]:pb-0.5 [&_[cmdk-group-heading]]:text-[11px] [&_[cmdk-group-heading]]:text-faint">
            {actions.filter((a) => a.group === g).map((a) => (
              <Command.Item key={a.id} value={a.name} disabled={!a.enabled()} onSelect={() => { close(); a.run(); }} className="flex items-center rounded px-2.5 py-1.5 data-[disabled=true]:opacity-40 data-[selected=true]:bg-lifted">{a.name}{a.keys && <kbd className="num ml-auto text-faint">{a.keys}</kbd>}</Command.Item>
            ))}
          </Command.Group>
        ))}
        <Command.Group heading="Settings" className="[&_[cmdk-group-heading]]:px-2.5 [&_[cmdk-group-heading]]:pt-2 [&_[cmdk-group-heading]]:pb-0.5 [&_[cmdk-group-heading]]:text-[11px] [&_[cmdk-group-heading]]:text-faint">
          {settings.map(({ stage, group, name, p }) => <Command.Item key={`${group}.${name}`} value={`${p.label} ${group}`} onSelect={() => focusSetting(stage, group, name, p.label)} className="flex items-center gap-2 rounded px-2.5 py-1.5 data-[selected=true]:bg-lifted"><span className="shrink-0">{p.label}</span><span className="truncate text-[12px] text-faint">{p.help}</span></Command.Item>)}
        </Command.Group>
      </Command.List>
    </Command.Dialog>
  );
}
