/** What can be done with the things of a shot, as changes. */
import {
  asked,
  client,
  type FileOut,
  type Placed,
  type RestAnswer,
  type RestQuestion,
  type Shot,
} from "../api/client";
import { newId, type World } from "../geometry/points";
import { footOf, rootOf, rowOf } from "../geometry/standing";
import { say } from "./notices";
import type { Patch } from "./patch";

/** A file's name as a thing's. */
function nameOf(file: FileOut, others: readonly Placed[]): string {
  const plain = file.name.replace(/\.\w+$/, "").replace(/[-_]+/g, " ");
  const name = (plain.charAt(0).toUpperCase() + plain.slice(1)).slice(0, 190);
  const alike = others.filter((one) => one.name === name || one.name.startsWith(`${name} `)).length;
  return alike ? `${name} ${alike + 1}` : name;
}

/** A model as it is stood first. */
export const newThing = (file: FileOut, at: World, others: readonly Placed[]): Placed => ({
  id: newId("m"),
  file: `sha256:${file.sha256}`,
  name: nameOf(file, others),
  position_m: [at[0], at[1], at[2]],
  turn_deg: 0,
  level: null,
  on: null,
  pose: null,
  lean_deg: 0,
  lean_toward_deg: 0,
  size: 1,
  unit: null,
  up: null,
  row: null,
  hidden: false,
  locked: false,
  surfaces: {},
  prints: {},
});

/** A thing taken away; what it carried stays where it is. */
export function without(document: Shot, id: string): Patch {
  const carried = document.models
    .filter((one) => one.on === id)
    .map((one) => [one.id, putDown(one, document.models, rootOf(one, document.models).level)]);
  return { models: { ...Object.fromEntries(carried), [id]: null } };
}

/** A thing that is carried no more, where it is, over a level or the ground (null). */
export function putDown(placed: Placed, things: readonly Placed[], level: string | null): Partial<Placed> {
  const { foot, turn_deg } = footOf(placed, things);
  return { on: null, level, position_m: [...foot], turn_deg };
}

/** What a thing may stand on without standing on itself. */
export function carriersFor(placed: Placed, things: readonly Placed[]): Placed[] {
  const rests = (one: Placed): boolean =>
    one.id === placed.id || (one.on ? rests(by(one.on, things)) : false);
  return things.filter((one) => !rests(one));
}

const by = (id: string, things: readonly Placed[]): Placed =>
  things.find((one) => one.id === id) ?? (things[0] as Placed);

/** A row's copies as things of their own. */
export function loosened(placed: Placed): Patch {
  const copies = rowOf(placed).slice(1);
  const made = copies.map((one, i) => {
    const id = newId("m");
    return [id, { ...one, id, row: null, name: `${placed.name} ${i + 2}` }];
  });
  return { models: { [placed.id]: { row: null }, ...Object.fromEntries(made) } };
}

/** A thing moved up or down among the others. */
export function reordered(things: readonly Placed[], id: string, by: -1 | 1): Patch {
  const at = things.findIndex((one) => one.id === id);
  const order = [...things];
  const [thing] = order.splice(at, 1);
  if (thing) order.splice(Math.min(Math.max(at + by, 0), order.length), 0, thing);
  return { models: order };
}

/** Ask how a thing comes to rest, with a change under way; says why where there is no answer. */
export async function askRest(
  shotId: string,
  question: Partial<RestQuestion>,
  patch: Patch = {},
): Promise<RestAnswer | null> {
  try {
    const answer = await asked<RestAnswer>(
      client.POST("/api/v1/shots/{shot_id}/rest", {
        params: { path: { shot_id: shotId } },
        body: {
          patch: patch as Record<string, unknown>,
          question: { side: null, other: null, ...question } as RestQuestion,
        },
      }),
    );
    if (answer.values) return answer;
    say(`It stays as it is: ${answer.reason}.`);
  } catch (error) {
    say((error as Error).message, "wrong");
  }
  return null;
}
