import type { LightAnswer } from "../../api/client";
import { hexOf } from "../../geometry/colour";
import { brightOf, within } from "../../marks/patch/words";
import type { StepProps } from "../../marks/props";

const NAMES: Record<LightAnswer["kind"], string> = {
  sun: "Sun",
  sky: "Sky",
  room: "Walls and ceiling",
  window: "Window",
  lamp: "Lamp",
};

/** How much of the light each one gives where things stand, its colour, and how that is known. */
export function Lights({ document, derived: { balance } }: StepProps) {
  const lights = balance?.lights ?? [];
  if (!balance || lights.length < 2) return null;
  const nameOf = ({ kind, id }: LightAnswer) => {
    const own = kind === "window" ? document.windows : kind === "lamp" ? document.lamps : [];
    return own.find((one) => one.id === id)?.name || NAMES[kind];
  };
  return (
    <section aria-label="What lights it" className="mt-1 border-t border-lime-200 pt-1">
      <h3 className="py-1 text-xs font-medium">What lights it</h3>
      <ul>
        {lights.map((light) => (
          <li
            key={`${light.kind} ${light.id}`}
            className="flex items-center gap-2 border-b border-dotted border-lime-300 py-1 last:border-0"
          >
            <i
              className="h-4 w-4 shrink-0 rounded-full border border-lime-300"
              style={{ background: hexOf(colourOf(light)) }}
            />
            <span className="min-w-0 grow truncate text-ink-700">{nameOf(light)}</span>
            <span className="shrink-0">
              <b className="font-medium">{Math.round(100 * light.share)} %</b>{" "}
              <span className="text-xs text-ink-500">
                {within([light.sigma])}
                {!light.measured && ", a guess"}
              </span>
            </span>
          </li>
        ))}
      </ul>
      <p className="py-1 text-[11px] leading-[1.45] text-ink-500">
        Of the light on level ground where things stand
        {lights.every(({ measured }) => measured)
          ? "."
          : "; patches near a light and far from it measure it."}
      </p>
    </section>
  );
}

/** A light's colour as it falls there, its brightest channel full. */
function colourOf({ colour }: LightAnswer): number[] {
  const top = Math.max(...colour, brightOf(colour), 1e-9);
  return colour.map((v) => v / top);
}
