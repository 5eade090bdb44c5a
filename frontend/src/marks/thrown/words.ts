import type { ProxyMark } from "../../api/client";

const SHADED: readonly ProxyMark["kind"][] = ["wall", "box", "ramp", "cylinder", "outline"];

/** Whether its shadow on the ground can tell the sun. */
export const shadesOf = ({ kind, level, hidden, points }: ProxyMark) =>
  SHADED.includes(kind) && !level && !hidden && !(kind === "wall" && points.length > 2);
