import type { ProxyAnswer, ProxyMark } from "../../api/client";
import { type Camera, projectSegment } from "../../geometry/camera";
import type { Frame } from "../../geometry/frame";
import { metres } from "../../geometry/measure";
import { type ImagePoint, pair, type World } from "../../geometry/points";
import { RoundGrip, SquareGrip } from "../../stage/Grips";
import { Handle } from "../../stage/Handle";
import { Tag, tagWithin } from "../../stage/Tag";
import { useChange } from "../../state/changes";
import { useEditor, usePicked } from "../../state/editor";
import type { MarkProps, MatchedProps } from "../props";
import { pulledAt, pulledUp, pullsOf, topOf, withoutPull } from "./shape";
import { nameOf } from "./words";

const TONE = "var(--color-verdigris)";

/** Each proxy's outline over the photograph, hatched by what it does; of the chosen one what can be pulled. */
export function ProxyOverlay({ camera, ...props }: MarkProps) {
  const inHand = useEditor((state) => state.tool !== null);
  const { view, selection } = usePicked("view", "selection");
  if (!camera) return null;
  // A finished picture is looked at without lines but those of what is worked on.
  const finished = view === "proof" || view === "master";
  return (
    <>
      <Hatches />
      {props.document.proxies
        .filter((proxy) => !proxy.hidden && (!finished || selection?.id === proxy.id))
        .map((proxy) => (
          <Drawn key={proxy.id} {...props} camera={camera} proxy={proxy} still={inHand} hatched={!finished} />
        ))}
    </>
  );
}

/** Receiving is hatched one way, hiding the other, both crosswise, shade from outside upright: not by colour alone. */
function Hatches() {
  const lines = { receives: "M0 8L8 0", hides: "M0 0L8 8", both: "M0 8L8 0M0 0L8 8", shade: "M4 0L4 8" };
  return (
    <defs>
      {Object.entries(lines).map(([name, d]) => (
        <pattern key={name} id={`hatch-${name}`} width={8} height={8} patternUnits="userSpaceOnUse">
          <path d={d} stroke="#fff" strokeOpacity={0.5} strokeWidth={1.6} />
          <path d={d} stroke={TONE} strokeOpacity={0.65} strokeWidth={0.8} />
        </pattern>
      ))}
    </defs>
  );
}

function hatchOf({ kind, receives, hides }: ProxyMark) {
  if (kind === "shade") return "shade";
  if (receives && hides) return "both";
  return receives ? "receives" : "hides";
}

type DrawnProps = MatchedProps & { proxy: ProxyMark; still: boolean; hatched: boolean };

function Drawn({ shot, derived, frame, camera, proxy, still, hatched }: DrawnProps) {
  const { move, keep, change } = useChange(shot.id);
  const { selection, select } = usePicked("selection", "select");
  const answer = derived.proxies.find(({ id }) => id === proxy.id);
  const chosen = !still && selection?.kind === "proxy" && selection.id === proxy.id;
  const put = (values: Partial<ProxyMark>) => move({ proxies: { [proxy.id]: values } });
  const remove = () => void change({ proxies: { [proxy.id]: null } }, `remove ${nameOf(proxy)}`);
  const choose = () => select({ kind: "proxy", id: proxy.id });
  const every = (answer?.faces ?? []).map((corners) => ringOf(corners, camera, frame));
  // Of what is round its top and its border are drawn, not its facets.
  const shade = proxy.kind === "shade";
  const fine = proxy.kind === "mesh" || proxy.kind === "rise"; // many small sides
  const round = proxy.kind === "cylinder" ? [borderOf(every), ...every.slice(0, 1)] : every;
  // What throws a shade is not in the picture: the shade is.
  const sides = shade ? [flatRing(proxy.points, frame)] : round;
  const outline = joined(sides.filter(({ front }) => front));
  const behind = joined(sides.filter(({ front }) => !front));
  const does = hatchOf(proxy);
  const shadow = answer?.shadow.length ? ringOf(answer.shadow, camera, frame).path : null;
  const top = answer && topOf(proxy, answer, camera);
  const pulls = answer?.foot.length ? pullsOf(proxy, answer, camera) : [];
  const dropPoint = (i: number) => {
    const rest = withoutPull(proxy, i);
    if (rest) void change({ proxies: { [proxy.id]: rest } }, `leave out a point of ${nameOf(proxy)}`);
    else remove();
  };
  return (
    <g clipPath="url(#photograph)">
      {chosen && shadow && (
        <path d={shadow} fill="none" stroke="var(--color-sun)" strokeWidth={1.8} strokeDasharray="7 4">
          <title>where its shadow falls by the sun in force</title>
        </path>
      )}
      <path
        d={outline}
        fill={chosen && hatched && proxy.kind !== "rise" ? `url(#hatch-${does})` : "transparent"}
        stroke="#fff"
        strokeOpacity={fine ? 0 : chosen ? 0.85 : 0.4}
        strokeWidth={chosen ? 3.6 : 2.6}
        strokeLinejoin="round"
        style={still || chosen ? undefined : { pointerEvents: "all", cursor: "pointer" }}
        onPointerDown={(event) => {
          if (still || chosen || event.button !== 0) return;
          event.stopPropagation();
          choose();
        }}
      />
      {chosen && !fine && (
        <path d={behind} fill="none" stroke={TONE} strokeOpacity={0.7} strokeDasharray="2 4" />
      )}
      <path
        d={outline}
        fill="none"
        stroke={TONE}
        strokeOpacity={chosen ? 1 : 0.8}
        strokeWidth={fine ? 0.7 : chosen ? 1.7 : 1.1}
        strokeDasharray={chosen || fine ? undefined : "5 3"}
        strokeLinejoin="round"
        className="pointer-events-none"
      />
      {chosen && (
        <>
          {answer?.reason && !shade && <Foot points={proxy.points} frame={frame} />}
          {proxy.points.map((point, i) => (
            <Handle
              key={i}
              frame={frame}
              at={point}
              loupe
              label={`${nameOf(proxy)}, point ${i + 1} of its ${shade ? "outline" : proxy.kind === "rise" ? "pulls" : "foot"}`}
              onMove={(to) => put({ points: moved(proxy.points, i, to) })}
              onKeep={() => keep(`move a corner of ${nameOf(proxy)}`)}
              onDelete={() => dropPoint(i)}
            >
              <RoundGrip at={frame.toScreen(point)} tone={TONE} filled={i === 0} />
            </Handle>
          ))}
          {pulls.map((at, i) => {
            const point = proxy.points[i];
            if (!at || !point) return null;
            const [foot, head] = [frame.toScreen(point), frame.toScreen(at)];
            return (
              <g key={`pull-${i}`}>
                <path
                  d={`M${foot.join(" ")}L${head.join(" ")}`}
                  stroke={TONE}
                  strokeWidth={1.7}
                  className="pointer-events-none"
                />
                <Handle
                  frame={frame}
                  at={at}
                  loupe
                  label={`${nameOf(proxy)}, how high it is at point ${i + 1}`}
                  cursor="ns-resize"
                  onMove={(to) => answer && put(pulledAt(proxy, answer, camera, i, to))}
                  onKeep={() => keep(`height of ${nameOf(proxy)}`)}
                >
                  <SquareGrip at={head} tone={TONE} />
                </Handle>
              </g>
            );
          })}
          {top && (
            <Handle
              frame={frame}
              at={top}
              loupe
              label={`${nameOf(proxy)}, its top`}
              cursor="ns-resize"
              onMove={(to) => answer && put(pulledUp(proxy, answer, camera, to))}
              onKeep={() => keep(`height of ${nameOf(proxy)}`)}
            >
              <SquareGrip at={frame.toScreen(top)} tone={TONE} />
            </Handle>
          )}
          <Measures
            proxy={proxy}
            answer={answer}
            wide={frame.width}
            at={frame.toScreen(top ?? proxy.points[0] ?? [0, 0])}
          />
        </>
      )}
    </g>
  );
}

/** What was drawn of a proxy that can't stand. */
function Foot({ points, frame }: { points: ProxyMark["points"]; frame: Frame }) {
  const d = points.map((p, i) => `${i ? "L" : "M"}${frame.toScreen(p).join(" ")}`).join("");
  return <path d={d} fill="none" stroke="var(--color-oxide)" strokeWidth={2} strokeDasharray="5 4" />;
}

type MeasuresProps = {
  proxy: ProxyMark;
  answer: ProxyAnswer | undefined;
  at: readonly [number, number];
  /** Of the stage, within which its words stay [px]. */
  wide: number;
};

function Measures({ proxy, answer, at, wide }: MeasuresProps) {
  const height = answer?.height_m;
  if (height == null) return null;
  const [along = 0, deep = 0] = answer?.size_m ?? [];
  const across = proxy.kind === "wall" ? "" : deep ? `${along.toFixed(2)} × ${deep.toFixed(2)} × ` : "";
  const size =
    proxy.kind === "shade"
      ? `thrown from ${metres(height)} up`
      : proxy.kind === "rise"
        ? proxy.heights_m.map((pulled) => `${pulled > 0 ? "+" : ""}${metres(pulled)}`).join(", ")
        : `${across}${metres(height)}`;
  const words = `${nameOf(proxy)}, ${size}`;
  return <Tag x={tagWithin(at[0], words, wide)} y={at[1] - 8} text={words} />;
}

const moved = (points: ProxyMark["points"], index: number, to: ImagePoint): ProxyMark["points"] =>
  points.map((point, i) => (i === index ? pair(to) : point)) as ProxyMark["points"];

type Side = { path: string; front: boolean; points: readonly (readonly [number, number])[] };

const joined = (sides: readonly Side[]) => sides.map(({ path }) => path).join("");

/** What was drawn on the ground, as a path on the screen. */
function flatRing(points: ProxyMark["points"], frame: Frame): Side {
  const seen = points.map((point) => frame.toScreen(point));
  const path = seen.map(([x, y], i) => `${i ? "L" : "M"}${x.toFixed(1)} ${y.toFixed(1)}`);
  return { path: `${path.join("")}Z`, front: true, points: seen };
}

/** A ring of world points as a path on the screen, cut off behind the camera; whether its outside is seen. */
function ringOf(corners: readonly (readonly number[])[], camera: Camera, frame: Frame): Side {
  const points = corners.flatMap((corner, i) => {
    const next = corners[(i + 1) % corners.length] ?? corner;
    return projectSegment(camera, corner as unknown as World, next as unknown as World) ?? [];
  });
  const seen = points.map((p) => frame.toScreen(p));
  // Counter-clockwise from outside is clockwise where y runs down.
  const area = seen.reduce((sum, [x, y], i) => {
    const [u, v] = seen[(i + 1) % seen.length] ?? [x, y];
    return sum + x * v - u * y;
  }, 0);
  const path = seen.map(([x, y], i) => `${i ? "L" : "M"}${x.toFixed(1)} ${y.toFixed(1)}`);
  return { path: path.length ? `${path.join("")}Z` : "", front: area < 0, points: seen };
}

/** The border of all sides together, as one of a convex body: Andrew 1979, by a monotone chain. */
function borderOf(sides: readonly Side[]): Side {
  const points = sides.flatMap((side) => side.points).sort((a, b) => a[0] - b[0] || a[1] - b[1]);
  const half = (list: readonly (readonly [number, number])[]) =>
    list.reduce<(readonly [number, number])[]>((chain, p) => {
      const turn = (a: readonly [number, number], b: readonly [number, number]) =>
        (b[0] - a[0]) * (p[1] - a[1]) - (b[1] - a[1]) * (p[0] - a[0]);
      while (chain.length > 1 && turn(chain.at(-2) ?? p, chain.at(-1) ?? p) <= 0) chain.pop();
      chain.push(p);
      return chain;
    }, []);
  const ring = [...half(points).slice(0, -1), ...half([...points].reverse()).slice(0, -1)];
  const path = ring.map(([x, y], i) => `${i ? "L" : "M"}${x.toFixed(1)} ${y.toFixed(1)}`).join("");
  return { path: path && `${path}Z`, front: true, points: ring };
}
