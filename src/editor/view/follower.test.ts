import { beforeEach, describe, expect, it } from 'vitest';
import { PerspectiveCamera, Vector3 } from 'three';
import type { OrbitControls } from 'three/addons/controls/OrbitControls.js';
import type { Session } from '../state/session';
import { useEditor } from '../state/store';
import { Follower } from './follower';

/** A view 2 m before a character that can be put anywhere. */
function view(goesAway: boolean): { follower: Follower; camera: PerspectiveCamera; target: Vector3; stand: (x: number, z: number) => void; moves: boolean[] } {
  const place = new Float64Array(2), camera = new PerspectiveCamera(), target = new Vector3(0, 1.5, 0), moves: boolean[] = [];
  camera.position.set(0, 1.5, 2);
  const controls = { target, update: () => { moves.push(follower.moving); return true; } } as unknown as OrbitControls, follower: Follower = new Follower({ travel: { place, middleInto: (pose: Float64Array, out: Float64Array) => { out.set(pose.subarray(0, 2)); } }, get followed() { return useEditor.getState().follow ?? goesAway; } } as unknown as Session, camera, controls);
  return { follower, camera, target, moves, stand: (x, z) => { place[0] = x; place[1] = z; } };
}

beforeEach(() => { useEditor.setState({ follow: null }); });

describe('the view', () => {
  it('goes along with a character that walks off, and comes back with it; nobody has turned it meanwhile', () => {
    const { follower, camera, target, stand, moves } = view(true);
    stand(3, -1);
    follower.go();
    expect([camera.position.toArray(), target.toArray()]).toEqual([[3, 1.5, 1], [3, 1.5, -1]]);
    expect(moves).toEqual([true]);
    expect(follower.moving).toBe(false);
    stand(0, 0);
    follower.go();
    expect([camera.position.toArray(), target.toArray()]).toEqual([[0, 1.5, 2], [0, 1.5, 0]]);
    // a picture of another frame is looked at as the view would
    expect(follower.wayTo(Float64Array.of(1, 4))).toEqual([1, 4]);
    // one that stands still asks for nothing
    follower.go();
    expect(moves).toHaveLength(2);
  });
  it('stays where the character stays on the spot, unless it is asked to', () => {
    const { follower, camera, stand } = view(false);
    stand(0.1, 0);
    follower.go();
    expect(camera.position.x).toBe(0);
    useEditor.setState({ follow: true });
    follower.go();
    expect(camera.position.x).toBeCloseTo(0.1, 12);
  });
  it('that was told to stay catches up when it is told to go along again; one that was turned to something else does not', () => {
    const { follower, camera, stand } = view(true);
    useEditor.setState({ follow: false });
    stand(2, 0);
    follower.go();
    expect(camera.position.x).toBe(0);
    useEditor.setState({ follow: null });
    follower.go();
    expect(camera.position.x).toBe(2);
    useEditor.setState({ follow: false });
    stand(5, 0);
    follower.stay();
    useEditor.setState({ follow: null });
    follower.go();
    expect([camera.position.x, ...follower.place]).toEqual([2, 5, 0]);
  });
});
