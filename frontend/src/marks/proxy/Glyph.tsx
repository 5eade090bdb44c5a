import { useRef } from "react";
import type { ProxyAnswer, ProxyMark } from "../../api/client";
import { useChange } from "../../state/changes";
import { useEditor } from "../../state/editor";
import type { PlanProps } from "../props";
import { slid } from "./shape";
import { nameOf } from "./words";

/** Proxies' feet in the plan, to be slid over it. */
export function ProxyGlyphs(props: PlanProps) {
  return props.document.proxies
    .filter((proxy) => !proxy.hidden)
    .map((proxy) => <Glyph key={proxy.id} {...props} proxy={proxy} />);
}

function Glyph({ shot, derived, plan, camera, proxy }: PlanProps & { proxy: ProxyMark }) {
  const { move } = useChange(shot.id);
  const chosen = useEditor(({ selection }) => selection?.kind === "proxy" && selection.id === proxy.id);
  const held = useRef<{ proxy: ProxyMark; answer: ProxyAnswer; at: readonly [number, number] } | null>(null);
  const answer = derived.proxies.find(({ id }) => id === proxy.id);
  const foot = answer?.foot ?? [];
  if (!answer || !foot.length) return null;
  const line = foot.map(([x, y]) => plan.to(x, y));
  const d = `M${line.map((p) => p.map((v) => v.toFixed(1)).join(" ")).join("L")}${foot.length > 2 && proxy.kind !== "wall" ? "Z" : ""}`;
  const put = (x: number, y: number) => {
    useEditor.getState().select({ kind: "proxy", id: proxy.id });
    held.current ??= { proxy, answer, at: [x, y] };
    const { at, ...from } = held.current;
    const values = slid(from.proxy, from.answer, camera, [x - at[0], y - at[1]]);
    if (values) move({ proxies: { [proxy.id]: values } });
  };
  const dragging = plan.dragging(put, `slide ${nameOf(proxy)}`);
  return (
    <g
      {...dragging}
      onPointerDown={(event) => {
        held.current = null;
        dragging.onPointerDown?.(event);
      }}
      className="cursor-grab"
      data-testid={`plan-${proxy.id}`}
    >
      <path d={d} fill="none" stroke="transparent" strokeWidth={11} />
      <path
        d={d}
        fill={proxy.kind === "wall" || proxy.kind === "quad" ? "none" : "#0e7a6b"}
        fillOpacity={0.12}
        stroke="var(--color-verdigris-deep)"
        strokeWidth={chosen ? 2.6 : 1.5}
        strokeLinejoin="round"
      />
      <title>{nameOf(proxy)}</title>
    </g>
  );
}
