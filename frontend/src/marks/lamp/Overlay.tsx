import type { Lamp } from "../../api/client";
import { metres } from "../../geometry/measure";
import type { ImagePoint } from "../../geometry/points";
import { Handle } from "../../stage/Handle";
import { Tag } from "../../stage/Tag";
import { useChange } from "../../state/changes";
import { useEditor, usePicked } from "../../state/editor";
import type { MarkProps, MatchedProps } from "../props";
import { pulled, seenAt } from "./place";

/** Each lamp over the ground below it, both to be pulled. */
export function LampOverlay({ camera, ...props }: MarkProps) {
  const inHand = useEditor((state) => state.tool !== null);
  if (!camera || inHand) return null;
  return props.document.lamps
    .filter((lamp) => !lamp.hidden)
    .map((lamp) => <Hung key={lamp.id} {...props} camera={camera} lamp={lamp} />);
}

function Hung({ shot, derived, frame, camera, lamp }: MatchedProps & { lamp: Lamp }) {
  const { move, keep, change } = useChange(shot.id);
  const { selection, select } = usePicked("selection", "select");
  const position = derived.lamps.find(({ id }) => id === lamp.id)?.position_m;
  const seen = position
    ? seenAt(lamp, position, camera)
    : lamp.at && lamp.foot
      ? { at: lamp.at, foot: lamp.foot }
      : null;
  if (!seen) return null;
  const chosen = selection?.kind === "lamp" && selection.id === lamp.id;
  const [at, foot] = [frame.toScreen(seen.at as ImagePoint), frame.toScreen(seen.foot as ImagePoint)];
  const put = (end: "at" | "foot", to: ImagePoint) =>
    move({ lamps: { [lamp.id]: pulled(lamp, position ?? [0, 0, 0], camera, end, to) } });
  const choose = () => select({ kind: "lamp", id: lamp.id });
  const remove = () => void change({ lamps: { [lamp.id]: null } }, "remove a lamp");
  return (
    <g opacity={chosen ? 1 : 0.75}>
      <path d={`M${at}L${foot}`} stroke="#fff" strokeOpacity={0.7} strokeWidth={chosen ? 4 : 3} />
      <path d={`M${at}L${foot}`} stroke="var(--color-sun)" strokeWidth={1.6} strokeDasharray="2 4" />
      <Handle
        frame={frame}
        at={seen.foot as ImagePoint}
        loupe
        label={`${lamp.name}, the ground below it`}
        onGrab={choose}
        onMove={(to) => put("foot", to)}
        onKeep={() => keep(`move ${lamp.name}`)}
        onDelete={remove}
      >
        <circle cx={foot[0]} cy={foot[1]} r={13} fill="transparent" />
        <path
          d={`M${foot[0] - 7} ${foot[1]}H${foot[0] + 7}M${foot[0]} ${foot[1] - 5}V${foot[1] + 5}`}
          stroke="var(--color-sun)"
          strokeWidth={2.5}
        />
      </Handle>
      <Handle
        frame={frame}
        at={seen.at as ImagePoint}
        loupe
        label={`${lamp.name}, the lamp itself`}
        onGrab={choose}
        onMove={(to) => put("at", to)}
        onKeep={() => keep(`height of ${lamp.name}`)}
        onDelete={remove}
      >
        <circle cx={at[0]} cy={at[1]} r={14} fill="transparent" />
        <path
          d={`M${at[0] - 5} ${at[1] - 9}H${at[0] + 5}L${at[0] + 9} ${at[1] + 5}H${at[0] - 9}Z`}
          fill={lamp.photographed ? "#fff" : "var(--color-sun)"}
          stroke={lamp.photographed ? "var(--color-sun)" : "#fff"}
          strokeWidth={2}
        />
      </Handle>
      {chosen && position && (
        <Tag x={at[0] + 16} y={at[1] + 5} text={`${lamp.name}, ${metres(position[2])} up`} tone="#7a5800" />
      )}
    </g>
  );
}
