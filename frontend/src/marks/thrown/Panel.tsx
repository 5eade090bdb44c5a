import { useChange } from "../../state/changes";
import { toggleTool, usePicked } from "../../state/editor";
import { Bin, Button } from "../../ui/controls";
import type { StepProps } from "../props";
import { shadesOf } from "./words";

/** What was drawn in Contact, each with the shadow that it throws in the photograph. */
export function Thrown({ shot, document, derived }: StepProps) {
  const { tool } = usePicked("tool");
  const { change } = useChange(shot.id);
  return (
    <>
      <p className="text-xs leading-[1.55] text-ink-500">
        Its form is known from Contact: click along the edge of the shadow that it throws on the ground.
      </p>
      <ul>
        {document.proxies.filter(shadesOf).map((proxy) => {
          const number = derived.thrown.indexOf(proxy.id);
          const off = derived.sun?.boxes[number]?.residual_px;
          const disagrees = number >= 0 && derived.sun?.disagrees === `boxes[${number}]`;
          return (
            <li
              key={proxy.id}
              className="flex items-center gap-2 border-b border-dotted border-lime-300 py-1 text-xs last:border-0"
            >
              <span className="min-w-0 grow truncate text-ink-700">{proxy.name || proxy.kind}</span>
              <span className={disagrees ? "text-oxide" : "text-ink-500"}>
                {off === undefined ? "" : `off by ${off.toFixed(1)} px`}
              </span>
              <Button
                active={tool?.kind === "thrown" && tool.about?.proxy === proxy.id}
                onClick={() => toggleTool("thrown", "along", { proxy: proxy.id })}
              >
                {proxy.shadow.length ? "Mark anew" : "Mark its shadow"}
              </Button>
              {proxy.shadow.length > 0 && (
                <Bin
                  label={`Remove the shadow of ${proxy.name}`}
                  onClick={() =>
                    void change({ proxies: { [proxy.id]: { shadow: [] } } }, `no shadow of ${proxy.name}`)
                  }
                />
              )}
            </li>
          );
        })}
      </ul>
    </>
  );
}
