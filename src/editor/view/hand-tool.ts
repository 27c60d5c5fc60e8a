/** Takes hold of the character, or of a joint, while the run goes on: a drag moves it in the plane of the view, or turns it. */
import * as THREE from 'three';
import type { Session } from '../state/session';
import { useEditor } from '../state/store';
import type { Viewport } from './viewport';

/** Radians a pixel. */
const TURN = 0.008;

export class HandTool {
  private at: { x: number; y: number; turn: boolean } | null = null;
  constructor(private readonly canvas: HTMLCanvasElement, private readonly view: Viewport, private readonly session: Session) {
    for (const [name, on] of this.listeners) canvas.addEventListener(name, on, { capture: true });
  }
  dispose(): void { for (const [name, on] of this.listeners) this.canvas.removeEventListener(name, on, { capture: true }); }

  private readonly down = (e: PointerEvent): void => {
    const { swayTool, live, stage } = useEditor.getState();
    if (stage !== 'sway' || !live.on || swayTool.name !== 'hand' || e.button !== 0 || e.altKey) return;
    this.at = { x: e.clientX, y: e.clientY, turn: (swayTool.how === 'turn') !== e.shiftKey };
    this.canvas.setPointerCapture(e.pointerId);
    this.view.controls.enabled = false;
    e.stopPropagation();
  };
  private readonly move = (e: PointerEvent): void => {
    const { at, view } = this;
    if (!at) return;
    const dx = e.clientX - at.x, dy = e.clientY - at.y, up = new THREE.Vector3().setFromMatrixColumn(view.camera.matrixWorld, 1);
    if (at.turn) {
      const q = new THREE.Quaternion().setFromAxisAngle(new THREE.Vector3(0, 1, 0), TURN * dx).premultiply(new THREE.Quaternion().setFromAxisAngle(view.right.normalize(), TURN * dy));
      this.session.hands.move(null, [q.x, q.y, q.z, q.w]);
    } else {
      const m = view.metresPerPixel(view.depthOfTarget()), v = view.right.normalize().multiplyScalar(dx * m).addScaledVector(up, -dy * m);
      this.session.hands.move([v.x, v.y, v.z], null);
    }
    at.x = e.clientX;
    at.y = e.clientY;
    e.stopPropagation();
  };
  private readonly up = (e: PointerEvent): void => {
    if (!this.at) return;
    this.at = null;
    this.view.controls.enabled = true;
    e.stopPropagation();
  };
  private readonly listeners = ([['pointerdown', this.down], ['pointermove', this.move], ['pointerup', this.up], ['pointercancel', this.up]] as const);
}
