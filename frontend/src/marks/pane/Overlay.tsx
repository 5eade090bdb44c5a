import type { Pane } from "../../api/client";
import { type ImagePoint, pair } from "../../geometry/points";
import { RoundGrip } from "../../stage/Grips";
import { Handle } from "../../stage/Handle";
import { Tag } from "../../stage/Tag";
import { useChange } from "../../state/changes";
import { useEditor, usePicked } from "../../state/editor";
import type { MarkProps } from "../props";

const CORNERS = ["top left", "top right", "bottom right", "bottom left"] as const;

/** Each pane's outline; of the chosen one the corners and its foot on the ground, to be pulled. */
export function PaneOverlay(props: MarkProps) {
  const inHand = useEditor((state) => state.tool !== null);
  if (inHand) return null;
  return props.document.panes
    .filter((pane) => !pane.hidden)
    .map((pane) => <Outline key={pane.id} {...props} pane={pane} />);
}

function Outline({ shot, derived, frame, pane }: MarkProps & { pane: Pane }) {
  const { move, keep, change } = useChange(shot.id);
  const { selection, select } = usePicked("selection", "select");
  const chosen = selection?.kind === "pane" && selection.id === pane.id;
  const points = pane.corners.map((p) => frame.toScreen(p));
  const d = `M${points.map((p) => `${p[0].toFixed(1)} ${p[1].toFixed(1)}`).join("L")}Z`;
  const answer = derived.panes.find(({ id }) => id === pane.id);
  if (!chosen)
    return (
      <path
        d={d}
        fill="transparent"
        stroke="#fff"
        strokeOpacity={0.55}
        strokeDasharray="3 4"
        style={{ pointerEvents: "all", cursor: "pointer" }}
        onPointerDown={(event) => {
          event.stopPropagation();
          select({ kind: "pane", id: pane.id });
        }}
      />
    );
  const remove = () => void change({ panes: { [pane.id]: null } }, "take a pane down");
  const put = (corner: number, to: ImagePoint) => {
    const corners = pane.corners.map((p, i) => (i === corner ? pair(to) : p)) as Pane["corners"];
    move({ panes: { [pane.id]: { corners } } });
  };
  const [lower] = points.slice(3);
  const foot = pane.foot && frame.toScreen(pane.foot);
  return (
    <g>
      <path d={d} fill="none" stroke="#fff" strokeOpacity={0.8} strokeWidth={4} />
      <path
        d={d}
        fill="none"
        stroke={answer?.reason ? "var(--color-oxide)" : "var(--color-verdigris)"}
        strokeWidth={1.8}
      />
      {pane.corners.map((corner, i) => {
        const [x, y] = points[i] ?? [0, 0];
        return (
          <Handle
            key={i}
            frame={frame}
            at={corner}
            loupe
            label={`${pane.name}, ${CORNERS[i]} corner`}
            onMove={(to) => put(i, to)}
            onKeep={() => keep(`corner of ${pane.name}`)}
            onDelete={remove}
          >
            <RoundGrip at={[x, y]} filled={i === 0} />
          </Handle>
        );
      })}
      {foot && lower && pane.foot && pane.width_m === null && (
        <>
          <line
            x1={lower[0]}
            y1={lower[1]}
            x2={foot[0]}
            y2={foot[1]}
            stroke="var(--color-verdigris)"
            strokeWidth={1.6}
            strokeDasharray="2 4"
          />
          <Handle
            frame={frame}
            at={pane.foot}
            loupe
            label={`${pane.name}, the ground plumb below its bottom left corner`}
            onMove={(to) => move({ panes: { [pane.id]: { foot: pair(to) } } })}
            onKeep={() => keep(`foot of ${pane.name}`)}
          >
            <circle cx={foot[0]} cy={foot[1]} r={13} fill="transparent" />
            <path
              d={`M${foot[0] - 7} ${foot[1]}H${foot[0] + 7}M${foot[0]} ${foot[1] - 7}V${foot[1]}`}
              stroke="var(--color-verdigris)"
              strokeWidth={2.5}
            />
          </Handle>
        </>
      )}
      {answer?.width_m != null && answer.height_m != null && (
        <Tag
          x={(points[1]?.[0] ?? 0) + 10}
          y={points[1]?.[1] ?? 0}
          text={`${answer.width_m.toFixed(2)} × ${answer.height_m.toFixed(2)} m`}
        />
      )}
    </g>
  );
}
