/**
 * Draws the scene into the canvas, finer with every frame it rests. What the picture is of (character, hair, floor) is kept, as fine
 * as it has become, as long as neither it nor the camera changes; helpers (brush, lines, grips, maps) are drawn over it, so that they
 * move without the rest being drawn again.
 */
import * as THREE from 'three';
import { target, type HairRenderer } from './hair-renderer';
import { ACCUMULATE_FRAGMENT, KEPT_FRAGMENT, OUTPUT_FRAGMENT, SCREEN_VERTEX } from './hair-shaders';
import { BACKDROP, jitter, SCENE_TARGET } from './stills';

const HELPERS = 1;
/** Has an object, and all that is in it, drawn over the rest. */
export const asHelper = (object: THREE.Object3D): void => { object.traverse((o) => { o.layers.set(HELPERS); }); };

type Target = THREE.WebGLRenderTarget;
/** `kept`: the first frame without helpers, and its depth; `own`: the mean of such frames; `all`: of those with helpers; two each, read and written in turn. */
interface Targets { kept: Target; main: Target; own: [Target, Target]; all: [Target, Target] }
/** What a picture is to show. `wipe`: share of the width from the left at which the other hair begins. */
export interface Shown { hair: boolean; other: HairRenderer | null; otherHair: boolean; wipe: number | null; mirrored: boolean }

export class Picture {
  /** px: the view's size, and what is drawn of it. */
  width = 1;
  height = 1;
  private across = 1;
  private down = 1;
  private targets: Targets | null = null;
  private kept = '';
  /** Frames that are in what is kept. */
  private frames = 0;
  private version = 0;

  constructor(private readonly renderer: THREE.WebGLRenderer, private readonly scene: THREE.Scene, private readonly camera: THREE.PerspectiveCamera, private readonly hair: HairRenderer) { camera.layers.enable(HELPERS); }
  get ready(): boolean { return this.targets !== null; }

  /** One of `grain` × `grain` pixels is drawn. False where it has that size. */
  resize(width: number, height: number, grain: number): boolean {
    const across = Math.round(width / grain), down = Math.round(height / grain);
    if (across < 2 || down < 2 || (width === this.width && height === this.height && across === this.across)) return false;
    Object.assign(this, { width, height, across, down });
    this.renderer.setSize(across, down, false);
    this.dispose();
    const scene = (): Target => target(across, down, SCENE_TARGET), sum = (): Target => target(across, down), kept = scene();
    kept.depthTexture = new THREE.DepthTexture(across, down);
    this.targets = { kept, main: scene(), own: [sum(), sum()], all: [sum(), sum()] };
    this.forget();
    return true;
  }
  dispose(): void { this.targets?.kept.depthTexture?.dispose(); for (const t of Object.values(this.targets ?? {}).flat() as Target[]) t.dispose(); }

  /** What it is of has changed. */
  forget(): void { this.version++; }
  /** Whether helpers alone have to be drawn. */
  keeps(shown: Shown): boolean { return this.kept === this.keyOf(shown); }
  private keyOf({ wipe, hair, otherHair }: Shown): string {
    this.camera.clearViewOffset();
    this.camera.updateMatrixWorld();
    return [this.version, wipe, hair, otherHair, ...this.camera.matrixWorld.elements, ...this.camera.projectionMatrix.elements].join(' ');
  }

  /** Its n-th frame (0: something has just changed), blended with those before; the number of the next. `most`: frames that are fine enough. */
  draw(frame: number, shown: Shown, most: number): number {
    const { targets, camera, hair } = this;
    if (!targets) return 0;
    const key = this.keyOf(shown);
    if (key !== this.kept) { this.kept = key; this.frames = 0; }
    const own = this.frames, grows = own === 0 || (frame > 0 && own < most), together = grows && frame === own;
    if (grows) {
      this.sample(own === 0 ? targets.kept : targets.main, own, shown);
      this.blend(targets.own, own === 0 ? targets.kept : targets.main, own);
      this.frames++;
    }
    if (!together || frame === 0) hair.pass(hair.setUniforms(hair.material('kept', SCREEN_VERTEX, KEPT_FRAGMENT, { depthTest: true, depthWrite: true, depthFunc: THREE.AlwaysDepth }), { tColour: targets.own[0].texture, tDepth: targets.kept.depthTexture }), targets.main);
    const fine = together || this.frames >= most;
    this.shift(fine ? frame : 0);
    this.renderer.setRenderTarget(targets.main);
    camera.layers.set(HELPERS);
    this.renderer.render(this.scene, camera);
    camera.layers.enable(0);
    camera.clearViewOffset();
    this.blend(targets.all, targets.main, fine ? frame : 0);
    hair.pass(hair.setUniforms(hair.material('output', SCREEN_VERTEX, OUTPUT_FRAGMENT), { tLinear: targets.all[0].texture, uMirrored: shown.mirrored ? 1 : 0 }), null);
    return fine ? frame + 1 : 1;
  }
  private shift(frame: number): void {
    const { width, height } = this, [x, y] = jitter(frame);
    // in pixels of the view, whose aspect is the camera's
    if (frame > 0) this.camera.setViewOffset(width, height, (x * width) / this.across, (y * height) / this.down, width, height);
    else this.camera.clearViewOffset();
    this.camera.updateMatrixWorld();
  }
  /** What it is of, without helpers. */
  private sample(target: Target, frame: number, { hair, other, otherHair, wipe }: Shown): void {
    this.shift(frame);
    this.hair.prepare(this.camera, this.down, frame, hair);
    other?.prepare(this.camera, this.down, frame, otherHair);
    this.camera.layers.disable(HELPERS);
    this.render(target, other, wipe);
    this.camera.layers.enable(HELPERS);
  }
  /** Makes one more frame part of a mean of so many. */
  private blend(mean: [Target, Target], one: Target, frames: number): void {
    const { hair } = this;
    hair.pass(hair.setUniforms(hair.material('accumulate', SCREEN_VERTEX, ACCUMULATE_FRAGMENT), { tOld: mean[0].texture, tNew: one.texture, uShare: 1 / (frames + 1) }), mean[1]);
    mean.reverse();
  }

  /** The scene into a target; with a wipe the other hair to the right of it. */
  render(target: Target, other: HairRenderer | null, wipe: number | null): void {
    const { renderer, scene, camera, hair } = this;
    const at = Math.round(target.width * (wipe ?? 1));
    renderer.setClearColor(BACKDROP, 1);
    for (const [from, to, left] of wipe === null || !other ? [[0, target.width, null]] as const : [[0, at, true], [at, target.width, false]] as const) {
      if (to <= from) continue;
      target.scissorTest = left !== null;
      target.scissor.set(from, 0, to - from, target.height);
      renderer.setRenderTarget(target);
      renderer.clear();
      const own = hair.mesh.visible;
      if (other && left !== null) { hair.mesh.visible = own && left; other.mesh.visible = !left; }
      renderer.render(scene, camera);
      hair.mesh.visible = own;
    }
    target.scissorTest = false;
  }
}
