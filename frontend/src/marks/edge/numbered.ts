import type { Edge } from "../../api/client";

/** Edges with their number within their run: A1, A2, B1 … */
export function numbered(edges: Edge[]): { edge: Edge; number: number; index: number }[] {
  const count: Record<string, number> = {};
  return edges.map((edge, index) => {
    const number = (count[edge.run] ?? 0) + 1;
    count[edge.run] = number;
    return { edge, number, index };
  });
}
