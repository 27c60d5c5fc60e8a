'use client';
import { Dialog, DialogBackdrop, DialogPanel, DialogTitle } from '@headlessui/react';
import { toast } from 'sonner';
import { copyGroom } from '../state/api';
import { buffersOf } from '../../core/document/schema';
import { useEditor } from '../state/store';
import { Button } from './controls';
import { useWorkshop } from './context';

export function KeysDialog() {
  const open = useEditor((s) => s.keysOpen), { actions } = useWorkshop();
  const close = (): void => useEditor.setState({ keysOpen: false });
  const mouse: [string, string][] = [['Turn the view', 'drag'], ['Move the view', 'Shift drag, middle drag'], ['Come closer', 'wheel'], ['Brush radius', 'hold R, move'], ['Brush strength', 'hold S, move'], ['Brush falloff', 'hold F, move'], ['Finer number', 'Shift drag its name']];
  return (
    <Dialog open={open} onClose={close} className="relative z-40">
      <DialogBackdrop className="fixed inset-0 bg-black/45" />
      <div className="fixed inset-0 flex items-center justify-center p-8">
        <DialogPanel className="max-h-full w-[640px] overflow-y-auto rounded-lg border border-edge bg-raised p-5 shadow-2xl">
          <DialogTitle className="mb-3 text-[15px] font-semibold">Keys</DialogTitle>
          <dl className="columns-2 gap-8 text-soft">
            {[...actions.filter((a) => a.keys).map((a): [string, string] => [a.name, a.keys!]), ...mouse].map(([name, keys]) => <div key={name} className="flex break-inside-avoid border-b border-line py-1"><dt>{name}</dt><dd className="num ml-auto text-text">{keys}</dd></div>)}
          </dl>
          <div className="mt-4 flex justify-end"><Button onClick={close}>Close</Button></div>
        </DialogPanel>
      </div>
    </Dialog>
  );
}

/** Another window has saved since: nothing is overwritten until the artist says what to do. */
export function BehindDialog() {
  const behind = useEditor((s) => s.save === 'behind'), message = useEditor((s) => s.saveMessage), { session } = useWorkshop();
  const keepCopy = async (): Promise<void> => {
    const { history, groom } = useEditor.getState();
    if (!history || !groom) return;
    try {
      const { putBuffer } = await import('../state/api');
      // what is not here any more the server has
      for (const id of buffersOf(history.document)) { const bytes = session.buffers.get(id); if (bytes) await putBuffer(id, bytes); }
      const id = await copyGroom(groom.id, `${groom.name}, copy`, history.document);
      useEditor.setState({ save: 'saved' });
      location.assign(`/groom/${id}`);
    } catch (cause) { toast.error(cause instanceof Error ? cause.message : String(cause)); }
  };
  return (
    <Dialog open={behind} onClose={() => undefined} role="alertdialog" className="relative z-40">
      <DialogBackdrop className="fixed inset-0 bg-black/45" />
      <div className="fixed inset-0 flex items-center justify-center p-8">
        <DialogPanel className="w-[440px] rounded-lg border border-edge bg-raised p-5 shadow-2xl">
          <DialogTitle className="mb-2 text-[15px] font-semibold">Changed in another window</DialogTitle>
          <p className="text-soft">{message}</p>
          <div className="mt-4 flex justify-end gap-2">
            <Button onClick={() => { useEditor.setState({ save: 'saved' }); location.reload(); }}>Reload, drop this window’s change</Button>
            <Button primary onClick={() => void keepCopy()}>Keep mine as a copy</Button>
          </div>
        </DialogPanel>
      </div>
    </Dialog>
  );
}
