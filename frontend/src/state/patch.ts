/**
 * Changes by what they mean, as the server evaluates them (`core/shot/change.py`; both hold the same fixtures):
 * the things of a list are addressed by their ids, null strikes one out, a new one goes to the end.
 */
import type { Edge, Gnomon, Length, Level, Placed, Shot } from "../api/client";

type Things<T> = T[] | Record<string, Partial<T> | null>;

export type Patch = {
  edges?: Things<Edge>;
  lengths?: Things<Length>;
  levels?: Things<Level>;
  models?: Things<Placed>;
  gnomons?: Things<Gnomon>;
  origin?: Shot["origin"];
  name?: string;
  /** Replaced as one: its fields only make sense together. */
  camera?: Shot["camera"];
  sun?: Partial<Shot["sun"]>;
  sky?: Partial<Shot["sky"]>;
  ground?: Partial<Shot["ground"]>;
  output?: Partial<Shot["output"]>;
};

const LISTS = new Set(["edges", "lengths", "levels", "models", "gnomons"]);
type Plain = Record<string, unknown>;
const isPlain = (value: unknown): value is Plain =>
  typeof value === "object" && value !== null && !Array.isArray(value);

/** The document with a change on top. */
export function patched(document: Shot, patch: Patch): Shot {
  const result: Plain = { ...document };
  for (const [name, value] of Object.entries(patch)) {
    const now = result[name];
    if (LISTS.has(name) && isPlain(value)) result[name] = things(now as { id: string }[], value);
    else if (isPlain(value) && isPlain(now) && !("kind" in value && name === "camera"))
      result[name] = { ...now, ...value };
    else result[name] = value;
  }
  return result as Shot;
}

function things(list: { id: string }[], patch: Plain): { id: string }[] {
  const known = new Map(list.map((thing) => [thing.id, thing]));
  for (const [id, value] of Object.entries(patch)) {
    if (value === null) known.delete(id);
    else known.set(id, { ...(known.get(id) ?? { id }), ...(value as object) });
  }
  return [...known.values()];
}
