/**
 * Changes by what they mean, as the server evaluates them (`core/shot/change.py`; both hold the same fixtures):
 * the things of a list are addressed by their ids, null strikes one out, a new one goes to the end.
 */
import type { Shot } from "../api/client";

type Things<T> = T[] | Record<string, Partial<T> | null>;

/** The camera is replaced as one: its fields only make sense together. */
export type Patch = {
  panorama?: Partial<NonNullable<Shot["panorama"]>> | null;
  frame?: Shot["frame"];
} & {
  [Name in Exclude<keyof Shot, "panorama" | "frame">]?: Shot[Name] extends (infer T extends { id: string })[]
    ? Things<T>
    : Shot[Name] extends string | unknown[] | null | Shot["camera"]
      ? Shot[Name]
      : Partial<Shot[Name]>;
};

type Plain = Record<string, unknown>;
const isPlain = (value: unknown): value is Plain =>
  typeof value === "object" && value !== null && !Array.isArray(value);

/** The document with a change on top. */
export function patched(document: Shot, patch: Patch): Shot {
  const result: Plain = { ...document };
  for (const [name, value] of Object.entries(patch)) {
    const now = result[name];
    if (Array.isArray(now) && isPlain(value)) result[name] = things(now as { id: string }[], value);
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
    else known.set(id, changed(known.get(id) ?? { id }, value as Plain));
  }
  return [...known.values()];
}

/** A thing with other values: a field that is set to null is null, as the server's documents have it. */
function changed(thing: { id: string }, values: Plain): { id: string } {
  const result: Plain & { id: string } = { ...thing };
  for (const [key, value] of Object.entries(values))
    result[key] = isPlain(value) ? merged(result[key], value) : value;
  return result;
}

/** RFC 7396, section 2. */
function merged(target: unknown, patch: unknown): unknown {
  if (!isPlain(patch)) return patch;
  const result: Plain = isPlain(target) ? { ...target } : {};
  for (const [key, value] of Object.entries(patch))
    if (value === null) delete result[key];
    else result[key] = merged(result[key], value);
  return result;
}
