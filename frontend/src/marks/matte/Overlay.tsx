import type { Matte } from "../../api/client";
import { pair } from "../../geometry/points";
import { RoundGrip } from "../../stage/Grips";
import { Handle } from "../../stage/Handle";
import { Tag } from "../../stage/Tag";
import { useChange } from "../../state/changes";
import { useEditor, usePicked } from "../../state/editor";
import type { MarkProps } from "../props";
import { pathOf, ringsOf } from "./shape";

const TONE = "var(--color-ink-900)";

/** Each matte's outline; of the chosen one its points, its strokes and its foot. */
export function MatteOverlay(props: MarkProps) {
  const { view, selection } = usePicked("view", "selection");
  const finished = view === "proof" || view === "master";
  return props.document.mattes
    .filter((matte) => !matte.hidden && (!finished || selection?.id === matte.id))
    .map((matte) => <Drawn key={matte.id} {...props} matte={matte} />);
}

function Drawn({ shot, frame, matte }: MarkProps & { matte: Matte }) {
  const { move, keep, change } = useChange(shot.id);
  const inHand = useEditor((state) => state.tool !== null);
  const { selection, select } = usePicked("selection", "select");
  const chosen = selection?.kind === "matte" && selection.id === matte.id;
  const to = (p: readonly [number, number]) => frame.toScreen(p);
  const outline = ringsOf(matte)
    .map((ring) => pathOf(ring, to))
    .join("");
  const put = (values: Partial<Matte>) => move({ mattes: { [matte.id]: values } });
  const [first = [0, 0]] = matte.points.length ? matte.points : (matte.strokes[0]?.points ?? []);
  return (
    <g clipPath="url(#photograph)">
      {outline && (
        <>
          <path
            d={outline}
            fill={chosen ? TONE : "transparent"}
            fillOpacity={0.18}
            fillRule="evenodd"
            stroke="#fff"
            strokeOpacity={0.8}
            strokeWidth={chosen ? 3.4 : 2.4}
            style={inHand || chosen ? undefined : { pointerEvents: "all", cursor: "pointer" }}
            onPointerDown={(event) => {
              if (inHand || chosen || event.button !== 0) return;
              event.stopPropagation();
              select({ kind: "matte", id: matte.id });
            }}
          />
          <path
            d={outline}
            fill="none"
            stroke={TONE}
            strokeWidth={chosen ? 1.6 : 1.1}
            strokeDasharray="9 3 2 3"
            className="pointer-events-none"
          />
          {chosen && matte.fringe_px > 0 && (
            <path
              d={outline}
              data-testid="fringe"
              fill="none"
              stroke="#fff"
              strokeOpacity={0.35}
              strokeWidth={2 * matte.fringe_px * frame.zoom.scale}
              strokeLinejoin="round"
              className="pointer-events-none"
            />
          )}
        </>
      )}
      {(chosen || matte.kind === "brush") &&
        matte.strokes.map((stroke, i) => (
          <path
            key={i}
            d={pathOf(stroke.points, to, false)}
            fill="none"
            stroke={stroke.adds ? "var(--color-verdigris)" : TONE}
            strokeOpacity={chosen ? 0.4 : 0.25}
            strokeWidth={2 * stroke.radius_px * frame.zoom.scale}
            strokeDasharray={stroke.adds ? undefined : "3 5"}
            strokeLinecap={stroke.adds ? "round" : "butt"}
            strokeLinejoin="round"
          />
        ))}
      {chosen && !inHand && (
        <>
          {matte.kind === "outline" &&
            matte.points.map((point, i) => (
              <Handle
                key={i}
                frame={frame}
                at={point}
                loupe
                label={`${matte.name}, point ${i + 1}`}
                onMove={(p) => put({ points: matte.points.map((one, j) => (j === i ? pair(p) : one)) })}
                onKeep={() => keep(`move a point of ${matte.name}`)}
                onAdd={() => {
                  const next = matte.points[(i + 1) % matte.points.length] ?? point;
                  const middle = pair([(point[0] + next[0]) / 2, (point[1] + next[1]) / 2]);
                  void change(
                    {
                      mattes: {
                        [matte.id]: {
                          points: [...matte.points.slice(0, i + 1), middle, ...matte.points.slice(i + 1)],
                        },
                      },
                    },
                    `a point more of ${matte.name}`,
                  );
                }}
                onDelete={() =>
                  matte.points.length > 3 &&
                  void change(
                    { mattes: { [matte.id]: { points: matte.points.filter((_, j) => j !== i) } } },
                    `a point less of ${matte.name}`,
                  )
                }
              >
                <RoundGrip at={to(point)} tone={TONE} />
              </Handle>
            ))}
          {matte.foot && (
            <Handle
              frame={frame}
              at={matte.foot}
              loupe
              label={`${matte.name}, the ground below it`}
              onMove={(p) => put({ foot: pair(p) })}
              onKeep={() => keep(`where ${matte.name} stands`)}
            >
              <Foot at={to(matte.foot)} />
            </Handle>
          )}
          <Tag x={to(first)[0] + 12} y={to(first)[1] - 8} text={matte.name} />
        </>
      )}
    </g>
  );
}

function Foot({ at: [x, y] }: { at: readonly [number, number] }) {
  return (
    <>
      <circle cx={x} cy={y} r={13} fill="transparent" />
      <path d={`M${x - 8} ${y}H${x + 8}M${x} ${y - 6}V${y + 6}`} stroke="#fff" strokeWidth={5} />
      <path d={`M${x - 8} ${y}H${x + 8}M${x} ${y - 6}V${y + 6}`} stroke={TONE} strokeWidth={2.4} />
    </>
  );
}
