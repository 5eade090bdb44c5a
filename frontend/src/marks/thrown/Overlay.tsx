import type { ProxyMark } from "../../api/client";
import { pair } from "../../geometry/points";
import { Handle } from "../../stage/Handle";
import { Tag } from "../../stage/Tag";
import { useChange } from "../../state/changes";
import type { MarkProps } from "../props";

/** The points along each drawn thing's shadow. */
export function ThrownOverlay(props: MarkProps) {
  return props.document.proxies
    .filter(({ shadow, hidden }) => shadow.length > 0 && !hidden)
    .map((proxy) => <Shadow key={proxy.id} {...props} proxy={proxy} />);
}

function Shadow({ shot, frame, proxy }: MarkProps & { proxy: ProxyMark }) {
  const { move, keep, change } = useChange(shot.id);
  const label = `shadow of ${proxy.name}`;
  const put = (shadow: ProxyMark["shadow"]) => ({ proxies: { [proxy.id]: { shadow } } });
  const [first = [0, 0]] = proxy.shadow;
  const [tagX, tagY] = frame.toScreen(first);
  return (
    <g>
      {proxy.shadow.map((at, number) => {
        const [x, y] = frame.toScreen(at);
        return (
          <Handle
            key={number}
            frame={frame}
            at={at}
            loupe
            label={`Point ${number + 1} of the ${label}`}
            onMove={(to) => move(put(proxy.shadow.map((one, n) => (n === number ? pair(to) : one))))}
            onKeep={() => keep(`move the ${label}`)}
            onDelete={() => void change(put(proxy.shadow.filter((_, n) => n !== number)), label)}
          >
            <circle cx={x} cy={y} r={11} fill="transparent" />
            <path d={`M${x} ${y - 6}L${x + 6} ${y}L${x} ${y + 6}L${x - 6} ${y}Z`} fill="#fff" />
            <path
              d={`M${x} ${y - 5}L${x + 5} ${y}L${x} ${y + 5}L${x - 5} ${y}Z`}
              fill="#fff"
              stroke="var(--color-oxide)"
              strokeWidth={2}
            />
          </Handle>
        );
      })}
      <Tag x={tagX + 12} y={tagY + 4} text={label} tone="var(--color-oxide)" />
    </g>
  );
}
