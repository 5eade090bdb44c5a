import { pair } from "../../geometry/points";
import { Handle } from "../../stage/Handle";
import { Tag } from "../../stage/Tag";
import { useChange } from "../../state/changes";
import type { Kind } from "../kind";
import type { MarkProps } from "../props";

/** The sun itself, where it stands in the picture. */
export const kind: Kind = {
  name: "pointed",
  rank: 78,
  tool: {
    grasp: "clicks",
    prompts: ["click on the sun"],
    make([at = [0, 0]]) {
      return { patch: { sun: { at: pair(at), kind: "gnomons" } }, label: "the sun in the picture" };
    },
  },
  on: ["light"],
  Overlay: SunInPicture,
};

function SunInPicture({ shot, document, frame }: MarkProps) {
  const { move, keep, change } = useChange(shot.id);
  const at = document.sun.at;
  if (!at) return null;
  const [x, y] = frame.toScreen(at);
  return (
    <Handle
      frame={frame}
      at={at}
      loupe
      label="The sun in the picture"
      onMove={(to) => move({ sun: { at: pair(to) } })}
      onKeep={() => keep("move the sun in the picture")}
      onDelete={() => void change({ sun: { at: null } }, "no sun in the picture")}
    >
      <circle cx={x} cy={y} r={14} fill="transparent" />
      <circle cx={x} cy={y} r={8} fill="none" stroke="#fff" strokeWidth={4.5} />
      <circle cx={x} cy={y} r={8} fill="none" stroke="var(--color-sun)" strokeWidth={2.4} />
      <Tag x={x + 14} y={y + 4} text="the sun" />
    </Handle>
  );
}
