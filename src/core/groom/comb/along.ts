/** How the parts of a strand take a brush, root → tip. */
export const ALONG = {
  whole: [[0, 1], [1, 1]], tips: [[0, 0], [0.35, 0.15], [1, 1]], roots: [[0, 1], [0.5, 0.35], [1, 0]], middle: [[0, 0.1], [0.5, 1], [1, 0.1]],
} as const satisfies Record<string, [number, number][]>;
export type AlongName = keyof typeof ALONG;
