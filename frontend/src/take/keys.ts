/**
 * What keys set at a frame, for the eye alone: what is rendered is decided by `core/footage/states.py`, and both hold
 * the same fixtures.
 */
import type { Shot } from "../api/client";
import type { Patch } from "../state/patch";

export type Key = Shot["keys"][number];
type Value = number | number[];

const between = (a: number, b: number, along: number) => a + along * (b - a);
const eased = (along: number, easing: Key["easing"]) =>
  easing === "hold" ? 0 : easing === "soft" ? along * along * (3 - 2 * along) : along;

/** What keys of one thing set at a frame. */
export function valueAt(keys: readonly Key[], frame: number): Value {
  const inOrder = [...keys].sort((a, b) => a.frame - b.frame);
  const after = inOrder.findIndex((key) => key.frame > frame);
  const left = inOrder[after === -1 ? inOrder.length - 1 : Math.max(after - 1, 0)];
  const right = inOrder[after];
  if (!left) return 0;
  if (!right || after === 0) return left.value as Value;
  const along = eased((frame - left.frame) / (right.frame - left.frame), left.easing);
  const [a, b] = [left.value as Value, right.value as Value];
  return Array.isArray(a) && Array.isArray(b)
    ? a.map((one, i) => between(one, b[i] ?? one, along))
    : between(a as number, b as number, along);
}

/** The keys of each thing that is set. */
export function tracksOf(document: Shot): Map<string, Key[]> {
  const found = new Map<string, Key[]>();
  for (const key of document.keys) found.set(key.path, [...(found.get(key.path) ?? []), key]);
  return found;
}

type Plain = Record<string, unknown>;

/** The document as it is at a frame; null is the document itself. */
export function shownAt(document: Shot, frame: number | null): Shot {
  if (frame === null || !document.keys.length) return document;
  let shown = document as unknown as Plain;
  for (const [path, keys] of tracksOf(document)) {
    const [list = "", id = "", field = ""] = path.split("/");
    const value = valueAt(keys, frame);
    const part = shown[list];
    if (Array.isArray(part) && field !== "fade") {
      const things = part as { id: string }[];
      shown = { ...shown, [list]: things.map((one) => (one.id === id ? { ...one, [field]: value } : one)) };
    } else if (!Array.isArray(part)) shown = { ...shown, [list]: { ...(part as Plain), [id]: value } };
  }
  return shown as unknown as Shot;
}

const idOf = (path: string, frame: number) => `k-${path.replaceAll("/", "-")}-${frame}`.slice(-40);

/** A new key of a thing at a frame, in place of one that is there. */
export function keyAt(document: Shot, path: string, frame: number, value: Value): Key {
  const old = document.keys.find((key) => key.path === path && key.frame === frame);
  return old ? { ...old, value } : { id: idOf(path, frame), frame, path, value, easing: "soft" };
}

/** A change while a frame is on show: what has keys is set by one at that frame, not for the whole take. */
export function keyedPatch(document: Shot, patch: Patch, frame: number | null): Patch {
  if (frame === null || !document.keys.length) return patch;
  const keys: Record<string, Key> = {};
  const rest = structuredClone(patch) as Record<string, Plain>;
  for (const path of tracksOf(document).keys()) {
    const [list = "", id = "", field = ""] = path.split("/");
    const part = rest[list];
    const holder = field ? (part?.[id] as Plain | null | undefined) : part;
    const name = field || id;
    if (!holder || Array.isArray(part) || !(name in holder)) continue;
    const key = keyAt(document, path, frame, holder[name] as Value);
    keys[key.id] = key;
    delete holder[name];
  }
  return Object.keys(keys).length ? ({ ...rest, keys } as Patch) : patch;
}
