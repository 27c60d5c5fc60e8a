/** A click on filled hair in Sway, Proof and Bake: the guide that the strand under it follows most is marked, and its numbers are told. */
import { leadOf } from '../../core/fill/weights';
import { useEditor } from '../state/store';
import type { Session } from '../state/session';
import type { Viewport } from './viewport';

/** px: a pointer that goes farther is not clicking. */
const STILL_PX = 4;

export class PickTool {
  private at: { x: number; y: number } | null = null;
  constructor(private readonly canvas: HTMLCanvasElement, private readonly view: Viewport, private readonly session: Session) {
    canvas.addEventListener('pointerdown', this.down);
    canvas.addEventListener('pointerup', this.up);
  }
  dispose(): void {
    this.canvas.removeEventListener('pointerdown', this.down);
    this.canvas.removeEventListener('pointerup', this.up);
  }
  private readonly down = (e: PointerEvent): void => {
    const { stage, swayTool } = useEditor.getState();
    this.at = e.button === 0 && !e.shiftKey && (stage === 'proof' || stage === 'bake' || (stage === 'sway' && swayTool.name === 'look')) ? { x: e.clientX, y: e.clientY } : null;
  };
  private readonly up = (e: PointerEvent): void => {
    const { at, session } = this;
    this.at = null;
    if (!at || Math.hypot(e.clientX - at.x, e.clientY - at.y) > STILL_PX) return;
    const box = this.canvas.getBoundingClientRect(), hit = this.view.strandAt(e.clientX - box.left, e.clientY - box.top), follow = session.filled?.strands.follow;
    const guide = hit && follow ? leadOf(follow, hit.strand) : -1;
    if (guide !== useEditor.getState().marked) useEditor.setState({ marked: guide });
  };
}
