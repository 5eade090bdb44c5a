import { baseOf } from "../state/address";
import { asked, client, type ShotOut } from "./client";

/** How many changes were accepted, by the shot; its options share them. */
const accepted = new Map<string, number>();
const soFar = (id: string) => accepted.get(baseOf(id)) ?? 0;

/** A change was accepted: what was asked before that is of an earlier revision. */
export const noteAccepted = (id: string) => void accepted.set(baseOf(id), soFar(id) + 1);

/** A shot as it stands; asked for again where a change was accepted meanwhile, which the answer may not know. */
export async function shotNow(id: string): Promise<ShotOut> {
  for (;;) {
    const before = soFar(id);
    const shot = await asked<ShotOut>(
      client.GET("/api/v1/shots/{shot_id}", { params: { path: { shot_id: id } } }),
    );
    if (soFar(id) === before) return shot;
  }
}
