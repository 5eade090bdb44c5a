/** Points carry their frame in their type, so that a pixel of the photograph is never taken for one of the screen. */
export type ImagePoint = readonly [number, number] & { readonly frame?: "image" };
export type ScreenPoint = readonly [number, number] & { readonly frame?: "screen" };
export type World = readonly [number, number, number];

export const image = (x: number, y: number): ImagePoint => [x, y];
export const apart = (a: readonly [number, number], b: readonly [number, number]) =>
  Math.hypot(a[0] - b[0], a[1] - b[1]);
export const middle = (a: ScreenPoint, b: ScreenPoint): ScreenPoint => [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2];
export const newId = (letter: string) => `${letter}${Math.random().toString(36).slice(2, 9)}`;
export const pair = (p: readonly number[]): [number, number] => [p[0] ?? 0, p[1] ?? 0];
