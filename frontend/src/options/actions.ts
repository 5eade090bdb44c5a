import { useQueryClient } from "@tanstack/react-query";
import { asked, client, type OptionNew, type Renders, type ShotOut } from "../api/client";
import { noteAccepted } from "../api/fresh";
import { go, shotPath } from "../state/address";
import { useChange } from "../state/changes";
import { say } from "../state/notices";

/** What can be done with a shot's options. */
export function useOptionActions(shot: ShotOut) {
  const queries = useQueryClient();
  const { change } = useChange(shot.base);
  const path = { params: { path: { shot_id: shot.base } } };
  const tell = (error: Error) => say(error.message, "wrong");
  const nameOf = (id: string) => shot.options.find((one) => one.id === id)?.name ?? "option";
  return {
    /** Make options; those whose differences they take are named. Gives the shot with them. */
    add: (options: OptionNew[]) =>
      asked<ShotOut>(
        client.POST("/api/v1/shots/{shot_id}/options", {
          ...path,
          body: { options },
        }),
      )
        .then(async (made) => {
          noteAccepted(shot.base);
          queries.setQueryData(["shot", shot.base], made);
          await queries.invalidateQueries({ queryKey: ["shot"] });
          return made;
        })
        .catch((error: Error) => {
          tell(error);
          return null;
        }),
    rename: (id: string, name: string) => void change({ options: { [id]: { name } } }, `option ${name}`),
    /** What differs there is the shot's again. */
    giveBack: (id: string, differs: string) =>
      void change(
        { options: { [id]: { difference: { [differs]: null } as never } } },
        `${nameOf(id)} as the shot`,
      ),
    strikeOut: (id: string) => {
      if (shot.option === id) go(shotPath(shot.project_id, shot.base));
      void change({ options: { [id]: null } }, `strike out option ${nameOf(id)}`);
    },
    /** Proofs or masters of the shot and of all options that have none of how they are now. */
    renderAll: (quality: "proof" | "master") =>
      asked<Renders>(client.POST("/api/v1/shots/{shot_id}/options/renders", { ...path, body: { quality } }))
        .then(({ renders }) => {
          if (!renders.length) say(`All have a ${quality} of how they are now.`);
        })
        .catch(tell)
        .finally(() => queries.invalidateQueries({ queryKey: ["renders"] })),
  };
}
