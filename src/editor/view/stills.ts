/** Pictures of what the view shows, drawn over and over until they are fine: saved as one still, or taken frame by frame for a movie. */
import * as THREE from 'three';
import type { OrbitControls } from 'three/addons/controls/OrbitControls.js';
import { fileNameOf, saveFile } from '../state/save-file';
import type { Session } from '../state/session';
import { useEditor } from '../state/store';
import { target, type HairRenderer } from './hair-renderer';
import { ACCUMULATE_FRAGMENT, OUTPUT_FRAGMENT, SCREEN_VERTEX } from './hair-shaders';

/** Frames of a still that is saved. */
const FINE_FRAMES = 32;
/** What a scene is drawn into. */
export const SCENE_TARGET: THREE.RenderTargetOptions = { type: THREE.HalfFloatType, depthBuffer: true };
export const BACKDROP = new THREE.Color(0.185, 0.18, 0.175);

/** Offset of the n-th frame within a pixel. Source: Halton sequence, bases 2 and 3. */
export function jitter(n: number): [number, number] {
  const radical = (i: number, b: number): number => { let f = 1, r = 0; for (; i > 0; i = Math.floor(i / b)) { f /= b; r += f * (i % b); } return r; };
  return [radical(n + 1, 2) - 0.5, radical(n + 1, 3) - 0.5];
}

/** Said by work that somebody stopped. */
const STOPPED = 'stopped';
/** Pixels as they are read (the last row first) on a canvas. */
export function canvasOf(pixels: Uint8Array, width: number, height: number): HTMLCanvasElement {
  const canvas = document.createElement('canvas'), image = new ImageData(width, height);
  canvas.width = width;
  canvas.height = height;
  for (let y = 0; y < height; y++) image.data.set(pixels.subarray(4 * width * (height - 1 - y), 4 * width * (height - y)), 4 * width * y);
  canvas.getContext('2d')!.putImageData(image, 0, 0);
  return canvas;
}

/** What stills ask of the view. */
interface StillView { size: () => [number, number]; mirrored: () => boolean; hairShown: () => boolean; floor: () => THREE.Object3D; controls: () => OrbitControls; session: Session; refresh: () => void; lift: () => void; again: () => void }

export class Stills {
  constructor(private readonly renderer: THREE.WebGLRenderer, private readonly hair: HairRenderer, private readonly scene: THREE.Scene, private readonly camera: THREE.PerspectiveCamera, private readonly view: StillView) {}
  get busy(): boolean { return this.job !== null; }
  private job: { width: number; height: number; clear: boolean; frame: number; frames: number; main: THREE.WebGLRenderTarget; a: THREE.WebGLRenderTarget; b: THREE.WebGLRenderTarget; /** Reached once the graphics card has drawn what it was last asked for. */ drawn: WebGLSync | null; done: (pixels: Uint8Array | null) => void; failed: (cause: Error) => void } | null = null;
  /** Draws what is seen at another size, frame by frame until it is fine, and saves it as a PNG; what was saved in words, or '' where it was stopped. */
  async save({ clear, scale, strands }: { clear: boolean; scale: number; strands: number | null }, name: string): Promise<string> {
    const most = this.renderer.capabilities.maxTextureSize, [w, h] = this.view.size(), fit = Math.min(scale, most / w, most / h), width = Math.round(w * fit), height = Math.round(h * fit);
    const told = await this.withStrands(strands, async () => {
      this.view.refresh();
      const canvas = await this.fineCanvas(width, height, clear, FINE_FRAMES);
      if (!canvas) return STOPPED;
      const blob = await new Promise<Blob | null>((r) => { canvas.toBlob(r, 'image/png'); });
      if (!blob) throw new Error('The picture could not be written: it may be too large for this browser. Choose a smaller one.');
      saveFile(blob, `${fileNameOf(name)}.png`);
      return `${width} × ${height} pixels, ${this.hair.strandCount.toLocaleString('en')} strands, ${(blob.size / 1e6).toFixed(1)} MB${fit < scale ? '; as large as this graphics card draws' : ''}.`;
    });
    return told === STOPPED ? '' : told;
  }
  /** What is seen in frame after frame, turned round once over all of them where that is wanted; `take` gets each. False where it was stopped. */
  async film({ frames, width, height, strands, fine, turntable }: { frames: readonly number[]; width: number; height: number; strands: number | null; fine: number; turntable: boolean }, take: (canvas: HTMLCanvasElement, frame: number, k: number) => Promise<void>): Promise<boolean> {
    const { frame: before } = useEditor.getState(), { position } = this.camera, { target: middle } = this.view.controls(), away = position.clone().sub(middle);
    const whole = await this.withStrands(strands, async () => {
      for (const [k, frame] of frames.entries()) {
        useEditor.setState({ frame, movie: { share: k / frames.length, frame } });
        if (turntable) { position.copy(middle).add(away.clone().applyAxisAngle(new THREE.Vector3(0, 1, 0), (2 * Math.PI * k) / frames.length)); this.view.controls().update(); }
        this.view.session.setFrame(frame);
        this.view.refresh();
        // filled strands are lifted out of what they would pierce, as the view does where it rests
        await this.until(() => !this.view.session.pushing || useEditor.getState().still === null);
        this.view.lift();
        const canvas = await this.fineCanvas(width, height, false, fine);
        if (!canvas) return STOPPED;
        await take(canvas, frame, k);
      }
      return '';
    }, () => { position.copy(middle).add(away); this.view.controls().update(); useEditor.setState({ frame: before, movie: null }); });
    return whole === '';
  }
  /** Holds the view while something is drawn of it with so many strands. */
  private async withStrands(wanted: number | null, work: () => Promise<string>, after: () => void = () => undefined): Promise<string> {
    if (useEditor.getState().still !== null) throw new Error('A still or a movie is being drawn already.');
    // of chains there are no strands to wait for
    const strands = this.view.session.plotFaces.length > 0 ? wanted : null;
    useEditor.setState({ still: 0, stillStrands: strands, light: { ...useEditor.getState().light, turning: false }, playing: false });
    try {
      await this.until(() => !useEditor.getState().filling && (strands === null || useEditor.getState().still === null || (this.view.session.filled?.strands.count ?? 0) > 0));
      return useEditor.getState().still === null ? STOPPED : await work();
    } finally {
      this.job = null;
      useEditor.setState({ still: null, stillStrands: null });
      after();
      this.view.again();
    }
  }
  /** What is seen now, drawn so many times over; null where it was stopped. */
  private async fineCanvas(width: number, height: number, clear: boolean, frames: number): Promise<HTMLCanvasElement | null> {
    if (useEditor.getState().still === null) return null;
    const targets = { main: target(width, height, SCENE_TARGET), a: target(width, height), b: target(width, height) }, aspect = this.camera.aspect;
    this.camera.aspect = width / height;
    this.camera.updateProjectionMatrix();
    const pixels = await new Promise<Uint8Array | null>((done, failed) => { this.job = { width, height, clear, frame: 0, frames, ...targets, drawn: null, done, failed }; }).finally(() => {
      for (const t of Object.values(targets)) t.dispose();
      this.camera.aspect = aspect;
      this.camera.updateProjectionMatrix();
    });
    return pixels && canvasOf(pixels, width, height);
  }
  stop(): void { const job = this.job; this.job = null; useEditor.setState({ still: null, stillStrands: null }); job?.done(null); }
  private async until(there: () => boolean): Promise<void> { do await new Promise((r) => { setTimeout(r, 60); }); while (!there()); }
  /** Draws once more what is being drawn; false where nothing is. */
  draw(): boolean {
    const { job } = this;
    if (job && this.isDrawn(job)) this.drawOnce(job);
    return job !== null;
  }
  /** Whether the card waits for more: what is asked of it sooner piles up, and keeps the page waiting when it is read. */
  private isDrawn(job: NonNullable<Stills['job']>): boolean {
    const gl = this.renderer.getContext() as WebGL2RenderingContext, { drawn } = job;
    if (job.frame >= job.frames || (drawn && gl.getSyncParameter(drawn, gl.SYNC_STATUS) !== gl.SIGNALED)) return false;
    gl.deleteSync(drawn);
    job.drawn = null;
    return true;
  }
  private drawOnce(job: NonNullable<Stills['job']>): void {
    const { camera, renderer } = this, [jx, jy] = job.frame === 0 ? [0, 0] : jitter(job.frame), ground = this.view.floor(), floor = ground.visible;
    camera.setViewOffset(job.width, job.height, jx, jy, job.width, job.height);
    camera.updateMatrixWorld();
    this.hair.prepare(camera, job.height, job.frame, this.view.hairShown());
    ground.visible = floor && !job.clear;
    renderer.setRenderTarget(job.main);
    renderer.setClearColor(job.clear ? 0 : BACKDROP, job.clear ? 0 : 1);
    renderer.clear();
    renderer.render(this.scene, camera);
    ground.visible = floor;
    this.hair.pass(this.hair.setUniforms(this.hair.material('accumulate', SCREEN_VERTEX, ACCUMULATE_FRAGMENT), { tOld: job.a.texture, tNew: job.main.texture, uShare: 1 / (job.frame + 1) }), job.b);
    [job.a, job.b] = [job.b, job.a];
    job.frame++;
    useEditor.setState({ still: job.frame / job.frames });
    const gl = renderer.getContext() as WebGL2RenderingContext;
    camera.clearViewOffset();
    if (job.frame < job.frames) { job.drawn = gl.fenceSync(gl.SYNC_GPU_COMMANDS_COMPLETE, 0); gl.flush(); return; }
    const out = new THREE.WebGLRenderTarget(job.width, job.height, { depthBuffer: false }), pixels = new Uint8Array(4 * job.width * job.height);
    this.hair.pass(this.hair.setUniforms(this.hair.material('output', SCREEN_VERTEX, OUTPUT_FRAGMENT), { tLinear: job.a.texture, uMirrored: this.view.mirrored() ? 1 : 0 }), out);
    renderer.readRenderTargetPixelsAsync(out, 0, 0, job.width, job.height, pixels).then(() => job.done(pixels), () => job.failed(new Error('The graphics card did not give the picture back. Choose a smaller one.'))).finally(() => { out.dispose(); if (this.job === job) this.job = null; });
  }
}
