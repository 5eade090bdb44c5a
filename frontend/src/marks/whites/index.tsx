import { Tag } from "../../stage/Tag";
import { usePicked } from "../../state/editor";
import type { Kind } from "../kind";
import type { MarkProps } from "../props";
import { useWhites } from "./newest";
import { WhitesPanel } from "./Panel";

/** Whether white is as white: two patches of the newest picture, and where they lie. */
export const kind: Kind = {
  name: "whites",
  rank: 8,
  on: ["place"],
  Overlay: WhitesOverlay,
  section: { step: "place", title: "White as white", fact: () => "", Panel: WhitesPanel },
};

function WhitesOverlay({ shot, document, frame }: MarkProps) {
  const { view, folded } = usePicked("view", "folded");
  const whites = useWhites(shot);
  const photograph = document.photograph;
  if (!whites || !photograph || folded.whites !== false || (view !== "proof" && view !== "master"))
    return null;
  const found = [
    { white: whites.rendered, text: "placed" },
    { white: whites.photographed, text: "photographed" },
  ];
  return found.map(({ white, text }) => {
    if (!white) return null;
    const [x, y] = frame.toScreen([white.at[0] * photograph.width, white.at[1] * photograph.height]);
    return (
      <g key={text}>
        <circle cx={x} cy={y} r={9} fill="none" stroke="#22262b" strokeWidth={3.5} strokeOpacity={0.6} />
        <circle cx={x} cy={y} r={9} fill="none" stroke="#fff" strokeWidth={1.5} />
        <Tag x={x + 13} y={y + 4} text={text} />
      </g>
    );
  });
}
