import type { Kind } from "../kind";
import { LightOverTime } from "./Light";

/** What changes while the take runs. */
export const kind: Kind = {
  name: "key",
  rank: 20,
  section: {
    step: "light",
    title: "Light over the take",
    fact: ({ document }) => {
      const count = document.keys.filter(({ path }) => !path.startsWith("models/")).length;
      return count ? `${count} keys` : "the same throughout";
    },
    Panel: LightOverTime,
    when: ({ document }) => document.take !== null,
  },
};
