/** Where hair grows and how: the plot's faces, its painted maps, and the planting of guides. Part of the session. */
import { bytesOf, floatsOf, packPlanting } from '../../core/document/buffers';
import { plantKey } from '../../core/document/proof';
import { styleWith } from '../../core/document/style';
import { PLOT_MAPS, SWAY_MAPS, type BufferId, type PlotMap, type SwayMap } from '../../core/document/schema';
import { shapesBetween } from '../../core/groom/between';
import { drawnGuide, keepOff, redrawn } from '../../core/groom/draw';
import { flowOf, FLOW_NUMBERS, mirroredFlow, strokesOf, withoutFlow } from '../../core/groom/flow';
import { imageFromMap, mapFromImage, type GreyImage } from '../../core/groom/image-map';
import { FaceTopology, facesOfJoint, facesOfMaterial, mirrorByWay, mirroredFaces } from '../../core/groom/face-choice';
import { restAround } from '../../core/groom/around';
import { plantOrderOf } from '../../core/groom/plant-guides';
import { placeGuides, restFrames, rootMotionsInto, type Planting } from '../../core/groom/planting';
import { blendMaps, blurMap, evenMap, gradientMap, invertMap, MAP_BLENDS, mirrorMap, packMap, paintSmooth, paintToward, readMap, SkinGrid, type Dab, type MapBlend } from '../../core/groom/skin-grid';
import { boxOfPoints } from '../../core/mesh/rest-box';
import type { SurfacePoint } from '../../core/mesh/surface';
import type { FillRequest } from '../../workers/messages';
import type { Session } from './session';
import { useEditor } from './store';
import { many } from './many';

export type MapName = PlotMap | SwayMap;
export const MAP_NAMES: Record<MapName, string> = { ...PLOT_MAPS, ...SWAY_MAPS };
const isPlotMap = (map: MapName): map is PlotMap => map in PLOT_MAPS;

/** A map under the brush, until the stroke ends: f32 a texel, 0 … 1. `faces`: those touched; `beside`: of them those that are not of the plot. */
interface Painting { map: MapName; values: Float32Array; faces: Set<number>; beside: Set<number>; plot: Uint8Array; dabs: number }

export class PlantDesk {
  painting: Painting | null = null;
  private gridNow: SkinGrid | null = null;
  private topologyNow: FaceTopology | null = null;
  private readonly mapsRead = new WeakMap<Uint8Array, Uint8Array>();
  private request = 0;
  private order: { request: number; key: string; pointCount: number; kept: number; combed: boolean } | null = null;

  /** `keep` stores bytes for the document; `send` asks the worker. */
  constructor(private readonly session: Session, private readonly keep: (bytes: Uint8Array) => BufferId, private readonly send: (message: FillRequest) => void) {}

  /** The plot is on another mesh now. */
  forget(): void { this.stopPlanting(); this.gridNow = null; this.topologyNow = null; this.painting = null; }
  get grid(): SkinGrid { return (this.gridNow ??= new SkinGrid(this.session.rest, this.session.mesh.triangles)); }
  private get topology(): FaceTopology { return (this.topologyNow ??= new FaceTopology(this.session.rest, this.session.mesh.triangles)); }

  // ------------------------------------------------------------ faces

  /** Stores chosen faces as the plot. */
  setPlot(faces: Iterable<number>, name: string): void {
    const sorted = Uint32Array.from(new Set(faces)).sort(), id = sorted.length > 0 ? this.keep(bytesOf(sorted)) : null;
    useEditor.getState().edit(name, (d) => { d.plot.faces = id; });
  }
  /** Faces that the file itself marks for hair. */
  markedFaces(): Uint32Array {
    const { hair, triangles } = this.session.mesh, faces: number[] = [];
    if (hair.length > 0) for (let f = 0; f < triangles.length / 3; f++) if ([0, 1, 2].every((k) => hair[triangles[3 * f + k]] > 0.5)) faces.push(f);
    return Uint32Array.from(faces);
  }
  grow(): void { this.setPlot(this.topology.grown(this.session.plotFaces), 'Grow the plot'); }
  shrink(): void { this.setPlot(this.topology.shrunk(this.session.plotFaces), 'Shrink the plot'); }
  mirror(): void { this.setPlot(mirroredFaces(this.session.restSurface, this.session.plotFaces), 'Mirror the plot'); }
  /** By how the mesh hangs together; false where its two sides are not alike. */
  mirrorByWay(): boolean {
    const twins = mirrorByWay(this.session.rest, this.session.mesh.triangles), now = this.session.plotFaces;
    if (twins) this.setPlot([...now, ...[...now].map((f) => twins[f]).filter((f) => f >= 0)], 'Mirror the plot by its mesh');
    return twins !== null;
  }
  all(): void { this.setPlot(Uint32Array.from({ length: this.session.mesh.triangles.length / 3 }, (_, f) => f), 'Whole mesh as the plot'); }
  addJoint(node: number): void { this.add(facesOfJoint(this.session.character, this.session.mesh, node), `Plot where ${this.session.character.nodes[node].name} moves the skin`); }
  addMaterial(material: number): void { this.add(facesOfMaterial(this.session.mesh, material), `Plot of ${this.session.character.materials[material].name}`); }
  addPart(face: number, take: boolean): void {
    const part = this.topology.partOf(face), now = new Set(this.session.plotFaces);
    for (const f of part) { if (take) now.delete(f); else now.add(f); }
    this.setPlot(now, take ? 'Take a loose part from the plot' : 'Loose part as plot');
  }
  private add(faces: Uint32Array, name: string): void { this.setPlot([...this.session.plotFaces, ...faces], name); }

  // ------------------------------------------------------------ maps

  idOf(map: MapName): BufferId | null { const d = this.session.document; return isPlotMap(map) ? d.plot.maps[map] : d.sway.maps[map]; }
  /** Bytes as stored; null where the map is 1 everywhere. */
  bytesOf(map: MapName): Uint8Array | null { const id = this.idOf(map); return id ? (this.session.buffers.get(id) ?? null) : null; }
  /** Values on the grid, 0 … 255; null where the map is 1 everywhere. */
  map(map: MapName): Uint8Array | null { const bytes = this.bytesOf(map); return bytes && this.readMapBytes(bytes); }
  /** The same of a map that is stored anywhere. */
  readMapBytes(bytes: Uint8Array): Uint8Array {
    let read = this.mapsRead.get(bytes);
    if (!read) this.mapsRead.set(bytes, (read = readMap(bytes, this.grid, this.session.mesh.positions.length / 3) ?? evenMap(this.grid, 1)));
    return read;
  }
  private store(map: MapName, values: Uint8Array, name: string): void {
    const id = values.every((v) => v === 255) ? null : this.keep(packMap(values));
    useEditor.getState().edit(name, (d) => { if (isPlotMap(map)) d.plot.maps[map] = id; else d.sway.maps[map] = id; });
  }

  beginPainting(map: MapName): void {
    const now = this.map(map), values = new Float32Array(this.grid.count), plot = new Uint8Array(this.grid.faceCount);
    for (const f of this.session.plotFaces) plot[f] = 1;
    if (now) for (let t = 0; t < values.length; t++) values[t] = now[t] / 255;
    else if (map !== 'density') values.fill(1);
    // beside the plot nothing grows, whatever the map says there
    if (map === 'density') for (let f = 0; f < plot.length; f++) if (!plot[f] || !now) values.fill(plot[f], this.grid.start[f], this.grid.start[f + 1]);
    this.painting = { map, values, faces: new Set(), beside: new Set(), plot, dabs: 0 };
  }
  dab(dab: Dab, value: number | 'smooth'): void {
    const { painting, session } = this;
    if (!painting) return;
    const touched = value === 'smooth' ? paintSmooth(this.grid, painting.values, session.surfaceNow(), dab) : paintToward(this.grid, painting.values, session.surfaceNow(), dab, value);
    for (const f of touched) { painting.faces.add(f); if (painting.plot[f] === 0) painting.beside.add(f); }
    if (touched.length > 0) painting.dabs++;
    session.changed('map');
  }
  /** Makes the stroke an edit; null takes it back. Density that was painted beside the plot makes the plot larger. */
  endPainting(name: string | null): void {
    const { painting, session } = this;
    this.painting = null;
    if (painting && name !== null && painting.dabs > 0) {
      const values = new Uint8Array(painting.values.length);
      for (let t = 0; t < values.length; t++) values[t] = Math.round(255 * painting.values[t]);
      if (painting.map !== 'density') this.store(painting.map, values, name);
      else {
        const faces = new Set(session.plotFaces), { start } = this.grid;
        for (const f of painting.faces) { let any = false; for (let t = start[f]; t < start[f + 1]; t++) if (values[t] > 0) any = true; if (any) faces.add(f); else faces.delete(f); }
        const sorted = Uint32Array.from(faces).sort(), facesId = sorted.length > 0 ? this.keep(bytesOf(sorted)) : null;
        let full = true;
        for (const f of sorted) for (let t = start[f]; t < start[f + 1]; t++) if (values[t] !== 255) full = false;
        const id = full ? null : this.keep(packMap(values));
        useEditor.getState().edit(name, (d) => { d.plot.faces = facesId; d.plot.maps.density = id; });
      }
    }
    session.changed();
  }
  /** Values as they are now, with the stroke under way, 0 … `full`; null where all are full. */
  shown(map: MapName): { values: ArrayLike<number> | null; full: number } {
    return this.painting?.map === map ? { values: this.painting.values, full: 1 } : { values: this.map(map), full: 255 };
  }

  private change(map: MapName, name: string, to: (now: Uint8Array) => Uint8Array): void { this.store(map, to(this.map(map) ?? evenMap(this.grid, 1)), name); }
  fillMap(map: MapName, value: number, name = `Fill ${MAP_NAMES[map].toLowerCase()} map`): void { this.store(map, evenMap(this.grid, value), name); }
  invert(map: MapName): void { this.change(map, `Invert ${MAP_NAMES[map].toLowerCase()} map`, invertMap); }
  blur(map: MapName, reach: number): void { this.change(map, `Blur ${MAP_NAMES[map].toLowerCase()} map`, (m) => blurMap(this.grid, m, reach)); }
  mirrorMap(map: MapName, fromLeft: boolean): void { this.change(map, `Mirror ${MAP_NAMES[map].toLowerCase()} map`, (m) => mirrorMap(this.grid, m, fromLeft, (p) => this.session.restSurface.nearest(p))); }
  blend(map: MapName, other: MapName, how: MapBlend): void { this.change(map, `${MAP_NAMES[map]} map and ${MAP_NAMES[other].toLowerCase()}: ${MAP_BLENDS[how].label}`, (m) => blendMaps(m, this.map(other) ?? evenMap(this.grid, 1), how)); }
  gradient(map: MapName, from: ArrayLike<number>, to: ArrayLike<number>): void {
    const { plotFaces, skin } = this.session;
    this.change(map, `Gradient on ${MAP_NAMES[map].toLowerCase()} map`, (m) => gradientMap(this.grid, m, plotFaces.length > 0 ? plotFaces : Uint32Array.from({ length: this.grid.faceCount }, (_, f) => f), skin, from, to));
  }

  /** A map from a picture, or as one, by the mesh's texture coordinates; none where it has none. */
  fromImage(map: MapName, image: GreyImage, fileName: string): void {
    const { uvs } = this.session.mesh;
    if (uvs) this.store(map, mapFromImage(this.grid, uvs, image), `${MAP_NAMES[map]} map from ${fileName}`);
  }
  asImage(map: MapName, size: number): GreyImage | null {
    const { uvs } = this.session.mesh;
    return uvs ? imageFromMap(this.grid, uvs, this.map(map), size) : null;
  }

  // ------------------------------------------------------------ flow

  private flowRead: { id: BufferId | null; flow: Float32Array; seats: { face: number; at: Float64Array; ahead: Float64Array }[] } | null = null;
  private readFlow(): NonNullable<PlantDesk['flowRead']> {
    const { session } = this, id = session.document.plot.flow;
    if (this.flowRead?.id === id) return this.flowRead;
    const bytes = id ? session.buffers.get(id) : undefined, flow = bytes ? floatsOf(bytes) : new Float32Array(0), seats: NonNullable<PlantDesk['flowRead']>['seats'] = [];
    const { low, high } = boxOfPoints(session.rest), size = Math.min(0.04, Math.max(0.006, Math.hypot(...high.map((v, c) => v - low[c])) / 50));
    let last: ArrayLike<number> | null = null, stroke = -1;
    for (let o = 0; o < flow.length; o += FLOW_NUMBERS) {
      // arrows one after the other
      if (last && stroke === flow[o] && Math.hypot(flow[o + 1] - last[0], flow[o + 2] - last[1], flow[o + 3] - last[2]) < size) continue;
      last = flow.subarray(o + 1, o + 4);
      stroke = flow[o];
      const hit = session.restSurface.nearest(flow.subarray(o + 1, o + 4));
      if (!hit) continue;
      // weights of the place, and of one a little ahead in the plane of the same face
      const [a, b, c] = session.restSurface.corners(hit.face), u = b.map((v, k) => v - a[k]), v = c.map((w, k) => w - a[k]), d = [flow[o + 4], flow[o + 5], flow[o + 6]].map((w) => 0.85 * size * w), dot = (p: number[], q: number[]): number => p[0] * q[0] + p[1] * q[1] + p[2] * q[2];
      const uu = dot(u, u), uv = dot(u, v), vv = dot(v, v), D = uu * vv - uv * uv || 1, du = dot(d, u), dv = dot(d, v), db = (vv * du - uv * dv) / D, dc = (uu * dv - uv * du) / D, [wa, wb, wc] = hit.barycentric;
      seats.push({ face: hit.face, at: Float64Array.of(wa, wb, wc), ahead: Float64Array.of(wa - db - dc, wb + db, wc + dc) });
    }
    return (this.flowRead = { id, flow, seats });
  }
  get flow(): Float32Array { return this.readFlow().flow; }
  get flowStrokes(): number { return strokesOf(this.flow); }
  /** Ends of the little lines that show it in the present pose, 6 numbers each, m. */
  flowLines(): Float32Array {
    const { seats } = this.readFlow(), surface = this.session.surfaceNow(), out = new Float32Array(6 * seats.length);
    seats.forEach(({ face, at, ahead }, k) => { out.set(surface.place(face, at), 6 * k); out.set(surface.place(face, ahead), 6 * k + 3); });
    return out;
  }
  private setFlow(rows: ArrayLike<number>, name: string): void {
    const id = rows.length > 0 ? this.keep(bytesOf(Float32Array.from(rows))) : null;
    useEditor.getState().edit(name, (d) => { d.plot.flow = id; if (id && d.plant.lie === 'standing') d.plant.lie = 'lying'; });
  }
  /** A stroke over the skin in the present pose becomes flow on the rest mesh. */
  addFlow(places: readonly SurfacePoint[]): boolean {
    const { restSurface } = this.session, rows = flowOf(this.flowStrokes, places.map((p) => ({ point: restSurface.place(p.face, p.barycentric), normal: restSurface.normal(p.face) })));
    if (rows.length === 0) return false;
    this.setFlow([...this.flow, ...rows], 'Stroke of flow');
    return true;
  }
  takeFlow(place: SurfacePoint, radius: number): void {
    const rows = withoutFlow(this.flow, this.session.restSurface.place(place.face, place.barycentric), radius);
    if (rows.length < this.flow.length) this.setFlow(rows, 'Take a stroke of flow away');
  }
  mirrorFlow(fromLeft: boolean): void { this.setFlow(mirroredFlow(this.flow, fromLeft), 'Mirror the flow'); }
  clearFlow(): void { this.setFlow([], 'Clear the flow'); }

  // ------------------------------------------------------------ planting

  /** Plants guides by the settings in the document. `more`: those that are there stay as they are; else they are replaced, one undo away. */
  plant(more = false): void {
    const { session } = this, { document, guides } = session, { plant } = document, kept = more && guides ? { planting: guides.planting, offsets: this.blended() } : null;
    if (session.plotFaces.length === 0) return;
    useEditor.setState({ planting: true, plantingShare: 0 });
    const pointCount = kept ? guides!.pointCount : plant.pointCount;
    this.order = { request: ++this.request, key: plantKey(document), pointCount, kept: kept ? kept.planting.faces.length : 0, combed: !!kept && !!document.guides?.combed };
    this.send({
      kind: 'plant', request: this.request,
      order: { ...plantOrderOf(plant, session.plotFaces), pointCount, density: this.bytesOf('density'), lengths: this.bytesOf('length'), flow: this.flow, around: plant.lie === 'falling' && !kept ? restAround(session.character, session.mesh, document.hidden, document.sway) : null, kept },
    });
  }
  /** Puts guides beside those that are there; `shapes`: 3 × points × guides, rest orientation, of the point count that is there or is set. */
  private addGuides(planting: Planting, shapes: Float32Array, name: string): void {
    const { session } = this, { guides, document } = session, n = guides?.planting.faces.length ?? 0, m = planting.faces.length, all: Planting = { faces: new Uint32Array(n + m), weights: new Float32Array(2 * (n + m)) }, offsets = new Float32Array((guides?.offsets.length ?? 0) + shapes.length);
    if (guides) { all.faces.set(guides.planting.faces); all.weights.set(guides.planting.weights); offsets.set(this.blended()); }
    all.faces.set(planting.faces, n);
    all.weights.set(planting.weights, 2 * n);
    offsets.set(shapes, guides?.offsets.length ?? 0);
    const plantingId = this.keep(packPlanting(all)), offsetsId = this.keep(bytesOf(offsets)), brought = this.broughtWith(shapes), style = this.styleWith(shapes), pointCount = this.pointCount, key = document.guides?.plantKey ?? plantKey(document);
    const plot = new Set(session.plotFaces), grown = [...planting.faces].some((f) => !plot.has(f));
    for (const f of planting.faces) plot.add(f);
    // hair grows where a guide was put
    const facesId = grown ? this.keep(bytesOf(Uint32Array.from(plot).sort())) : document.plot.faces;
    useEditor.getState().edit(name, (d) => { d.plot.faces = facesId; d.guides = { count: n + m, pointCount, planting: plantingId, offsets: offsetsId, plantKey: key, combed: true, brought, style }; });
  }
  /** Shapes of the guides with all layers, as they are stored. */
  private blended(): Float32Array { const { session } = this; return floatsOf(session.buffers.get(session.document.guides!.offsets)!); }
  private styleWith(added: Float32Array): NonNullable<typeof this.session.document.guides>['style'] { return styleWith((id) => this.session.buffers.get(id), this.keep, this.session.document.guides?.style, added); }
  /** What was brought in, with guides that were added to it since as they were added. */
  private broughtWith(added: Float32Array): BufferId | undefined {
    const { session } = this, id = session.document.guides?.brought, was = id ? session.buffers.get(id) : undefined;
    if (!was) return undefined;
    const before = floatsOf(was), all = new Float32Array(before.length + added.length);
    all.set(before);
    all.set(added, before.length);
    return this.keep(bytesOf(all));
  }
  get pointCount(): number { return this.session.guides?.pointCount ?? this.session.document.plant.pointCount; }

  /** A guide from a stroke in the present pose: its places (3 × n, m), and where on the skin it begins. */
  draw(path: ArrayLike<number>, root: SurfacePoint): boolean {
    const { session } = this, { drawing } = useEditor.getState(), planting: Planting = { faces: Uint32Array.of(root.face), weights: Float32Array.of(root.barycentric[1], root.barycentric[2]) };
    const drawn = drawnGuide(path, { pointCount: this.pointCount, smoothing: drawing.smoothing, longest: drawing.longestCm / 100 });
    if (!drawn) return false;
    const motion = new Float64Array(7), world = new Float32Array(drawn.length), shape = new Float32Array(drawn.length);
    rootMotionsInto(motion, planting, restFrames(planting, session.rest, session.mesh.triangles), session.skin, session.mesh.triangles);
    for (let i = 0; i < drawn.length; i++) world[i] = drawn[i] + motion[4 + (i % 3)];
    keepOff(session.surfaceNow(), world, session.document.sway.skinGapMm / 1000);
    placeGuides(world, motion, this.pointCount, shape, true);
    shape.fill(0, 0, 3);
    this.addGuides(planting, shape, 'Draw a guide');
    return true;
  }
  /** A guide drawn anew from one of its points, as it is seen now, up to another or to its end. */
  redraw(guide: number, from: number, to: number | null, stroke: ArrayLike<number>): boolean {
    const { session } = this, { guides } = session, shown = session.shownGuides();
    if (!guides || !shown) return false;
    const n = guides.pointCount, o = 3 * n * guide, world = redrawn(shown.points.slice(o, o + 3 * n), from, to, stroke, useEditor.getState().drawing.smoothing), shape = new Float32Array(3 * n);
    if (!world) return false;
    keepOff(session.surfaceNow(), world, session.document.sway.skinGapMm / 1000);
    placeGuides(world, session.motions.subarray(7 * guide, 7 * guide + 7), n, shape, true);
    const offsets = guides.offsets.slice();
    shape.fill(0, 0, 3);
    offsets.set(shape, o);
    session.combDesk.setShapes('Redraw a guide', offsets, [guide]);
    return true;
  }
  /** Guides at places on the skin that take after their neighbours. */
  between(places: readonly SurfacePoint[]): void {
    const { guides, restSurface } = this.session, planting: Planting = { faces: Uint32Array.from(places, (p) => p.face), weights: Float32Array.from(places.flatMap((p) => [p.barycentric[1], p.barycentric[2]])) };
    if (!guides || places.length === 0) return;
    this.addGuides(planting, shapesBetween(restSurface, guides.planting, this.blended(), guides.pointCount, planting), places.length === 1 ? 'Add a guide' : `Add ${many(places.length, 'guide')}`);
  }

  /** Leaves off; what is there stays as it is. */
  stopPlanting(): void {
    if (!this.order) return;
    this.order = null;
    this.send({ kind: 'stopPlanting' });
    useEditor.setState({ planting: false });
  }
  onPlanting(request: number, share: number): void { if (this.order?.request === request) useEditor.setState({ plantingShare: share }); }
  onPlanted(request: number, planting: Planting, offsets: Float32Array): void {
    const { order } = this;
    if (order?.request !== request) return;
    this.order = null;
    const count = planting.faces.length, plantingId = this.keep(packPlanting(planting)), offsetsId = this.keep(bytesOf(offsets)), { key, pointCount, kept, combed } = order;
    const brought = kept > 0 ? this.broughtWith(offsets.slice(3 * pointCount * kept)) : undefined;
    const style = kept > 0 ? this.styleWith(offsets.slice(3 * pointCount * kept)) : undefined;
    useEditor.setState({ planting: false });
    if (kept === 0) this.session.layersGo();
    useEditor.getState().edit(kept > 0 ? `Plant ${count - kept} more guides` : `Plant ${many(count, 'guide')}`, (d) => { d.guides = { count, pointCount, planting: plantingId, offsets: offsetsId, plantKey: key, combed, brought, style }; });
  }
}
