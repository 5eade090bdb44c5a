import type { Placed } from "../../api/client";
import { project } from "../../geometry/camera";
import { metres } from "../../geometry/measure";
import { footOf } from "../../geometry/standing";
import { Tag } from "../../stage/Tag";
import { useChanges } from "../../state/changes";
import type { MatchedProps } from "../props";
import { distancesOf } from "./distances";

const MOST_SHOWN = 2;

/** While a thing is dragged: how far it is from its neighbours and from marked edges. */
export function Distances({ document, derived, frame, camera, placed }: MatchedProps & { placed: Placed }) {
  const dragged = useChanges(({ draft }) => {
    const models = draft?.patch.models;
    return !!models && !Array.isArray(models) && placed.id in models;
  });
  if (!dragged) return null;
  const height = footOf(placed, document.models).foot[2];
  return distancesOf(placed, document, derived)
    .slice(0, MOST_SHOWN)
    .map(({ from, to, metres: far, id }) => {
      const ends = [from, to].map(([x, y]) => project(camera, [x, y, height]));
      const [a, b] = ends.map((p) => p && frame.toScreen(p));
      if (!a || !b || far <= 0) return null;
      return (
        <g key={id}>
          <line x1={a[0]} y1={a[1]} x2={b[0]} y2={b[1]} stroke="#fff" strokeOpacity={0.7} strokeWidth={4} />
          <line x1={a[0]} y1={a[1]} x2={b[0]} y2={b[1]} stroke="var(--color-ink-900)" strokeWidth={1.5} />
          <Tag x={(a[0] + b[0]) / 2 + 6} y={(a[1] + b[1]) / 2 + 4} text={metres(far)} />
        </g>
      );
    });
}
