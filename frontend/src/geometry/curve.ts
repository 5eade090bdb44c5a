/** A curve of tones as the renderer computes it: monotone between its points (Fritsch & Butland 1984). */

export type Point = [number, number];

/** The points with black and white, where none lies at an end. */
export function withEnds(points: readonly Point[]): Point[] {
  const first = points[0];
  const last = points.at(-1);
  return [
    ...(!first || first[0] > 0 ? [[0, 0] as Point] : []),
    ...points,
    ...(!last || last[0] < 1 ? [[1, 1] as Point] : []),
  ];
}

/** How steep the curve is in each of its points. */
export function slopesOf(points: readonly Point[]): number[] {
  const h = points.slice(1).map((one, n) => one[0] - (points[n]?.[0] ?? 0));
  const d = points.slice(1).map((one, n) => (one[1] - (points[n]?.[1] ?? 0)) / (h[n] ?? 1));
  const end = (h0: number, h1: number, d0: number, d1: number) => {
    const slope = ((2 * h0 + h1) * d0 - h0 * d1) / (h0 + h1);
    if (Math.sign(slope) !== Math.sign(d0)) return 0;
    return Math.sign(d0) !== Math.sign(d1) && Math.abs(slope) > 3 * Math.abs(d0) ? 3 * d0 : slope;
  };
  return points.map((_, n) => {
    const [before, after] = [d[n - 1], d[n]];
    if (d.length === 1) return d[0] ?? 1;
    if (before === undefined) return end(h[0] ?? 1, h[1] ?? 1, d[0] ?? 0, d[1] ?? 0);
    if (after === undefined) return end(h.at(-1) ?? 1, h.at(-2) ?? 1, d.at(-1) ?? 0, d.at(-2) ?? 0);
    if (before * after <= 0) return 0;
    const [w1, w2] = [2 * (h[n] ?? 1) + (h[n - 1] ?? 1), (h[n] ?? 1) + 2 * (h[n - 1] ?? 1)];
    return (w1 + w2) / (w1 / before + w2 / after);
  });
}
