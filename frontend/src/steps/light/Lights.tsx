import type { LightAnswer } from "../../api/client";
import { hexOf } from "../../geometry/colour";
import { brightOf, within } from "../../marks/patch/words";
import type { StepProps } from "../../marks/props";
import { Dome } from "./Dome";

const NAMES: Record<LightAnswer["kind"], string> = {
  sun: "Sun",
  sky: "Sky",
  room: "Walls and ceiling",
  window: "Window",
  lamp: "Lamp",
  about: "Thrown back",
};

/** Where the light comes from, how much of it each light gives where things stand, its colour, and how that is known. */
export function Lights(props: StepProps) {
  const { document, derived } = props;
  const lights = derived.balance?.lights ?? [];
  const nameOf = ({ kind, id }: LightAnswer) => {
    const own = kind === "window" ? document.windows : kind === "lamp" ? document.lamps : [];
    return own.find((one) => one.id === id)?.name || NAMES[kind];
  };
  return (
    <section aria-label="What lights it" className="mt-1 border-t border-lime-200 pt-1">
      <h3 className="py-1 text-xs font-medium">What lights it</h3>
      <div className="flex items-center gap-2">
        <Dome {...props} />
        {lights.length > 0 ? (
          <ul className="min-w-0 grow text-xs">
            {lights.map((light) => (
              <li
                key={`${light.kind} ${light.id}`}
                className="border-b border-dotted border-lime-300 py-1 last:border-0"
              >
                <span className="flex items-baseline gap-1.5">
                  <i
                    className="h-2.5 w-2.5 shrink-0 rounded-full border border-lime-300"
                    style={{ background: hexOf(colourOf(light)) }}
                  />
                  <span className="min-w-0 grow truncate text-ink-700">{nameOf(light)}</span>
                  <b className="font-medium whitespace-nowrap">{Math.round(100 * light.share)} %</b>
                </span>
                <span className="block pl-4 text-[11px] text-ink-500">
                  {light.measured
                    ? within([light.share_sigma])
                    : light.share_sigma < 0.4
                      ? `${within([light.share_sigma])}, a guess`
                      : "a guess"}
                </span>
              </li>
            ))}
          </ul>
        ) : (
          <p className="text-xs leading-[1.5] text-ink-500">Patches tell how much each light gives.</p>
        )}
      </div>
      {lights.length > 0 && (
        <p className="py-1 text-[11px] leading-[1.45] text-ink-500">
          Straight up is the middle, green what the camera looks at. Shares are of the light on level ground
          where things stand
          {lights.every(({ measured }) => measured)
            ? "."
            : "; patches near a light and far from it measure it."}
        </p>
      )}
    </section>
  );
}

/** A light's colour as it falls there, its brightest channel full. */
function colourOf({ colour }: LightAnswer): number[] {
  const top = Math.max(...colour, brightOf(colour), 1e-9);
  return colour.map((v) => v / top);
}
