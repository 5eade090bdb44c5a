import type { ShotOut, Whites } from "../../api/client";
import { useRenders } from "../../api/hooks";

/** The whites of the newest finished picture that has them. */
export function useWhites(shot: ShotOut): Whites | null {
  const { data } = useRenders(shot.id);
  return data?.renders.find(({ state, whites }) => state === "done" && whites)?.whites ?? null;
}
