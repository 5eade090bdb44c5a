import type { Kind } from "../kind";
import { repliesTo } from "./numbered";
import { ReplyOverlay } from "./Overlay";
import { ReplyPanel } from "./Panel";

/** What clients said of a hand-over page. */
export const kind: Kind = {
  name: "reply",
  rank: 90,
  on: ["deliver"],
  Overlay: ReplyOverlay,
  section: {
    step: "deliver",
    title: "Replies",
    fact: (props) => {
      const replies = repliesTo(props);
      const yes = replies.filter(({ verdict }) => verdict === "yes").length;
      const no = replies.filter(({ verdict }) => verdict === "no").length;
      return [yes && `${yes} yes`, no && `${no} no`].filter(Boolean).join(", ") || `${replies.length} told`;
    },
    Panel: ReplyPanel,
    open: true,
    when: (props) => repliesTo(props).length > 0,
  },
};
