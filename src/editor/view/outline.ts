/** Whether (x, y) is inside a closed outline, pixels: by how often a ray crosses it. */
export function insideOutline(outline: readonly (readonly [number, number])[], x: number, y: number): boolean {
  let inside = false;
  for (let i = 0, j = outline.length - 1; i < outline.length; j = i++) {
    const [px, py] = outline[i], [qx, qy] = outline[j];
    if (py > y !== qy > y && x < ((qx - px) * (y - py)) / (qy - py) + px) inside = !inside;
  }
  return inside;
}
