import type { Placed } from "../../api/client";
import { parseNumber } from "../../geometry/measure";
import { type Track, Tracks } from "../../marks/key/Tracks";
import type { StepProps } from "../../marks/props";
import { Section } from "../Section";

/** How a thing moves, turns and fades while the take runs. */
export function OverTime({ shot, document, placed }: StepProps & { placed: Placed }) {
  if (!document.take) return null;
  const of = `models/${placed.id}`;
  const count = document.keys.filter(({ path }) => path.startsWith(`${of}/`)).length;
  const tracks: Track[] = [
    {
      path: `${of}/position_m`,
      label: "Where it stands",
      now: placed.position_m,
      show: (v) =>
        (v as number[])
          .slice(0, 2)
          .map((one) => one.toFixed(2))
          .join(", "),
    },
    {
      path: `${of}/turn_deg`,
      label: "Turn",
      now: placed.turn_deg,
      show: (v) => `${(v as number).toFixed(0)}°`,
      parse: parseNumber,
    },
    {
      path: `${of}/fade`,
      label: "There",
      now: 1,
      show: (v) => `${Math.round(100 * (v as number))} %`,
      parse: (text) => {
        const told = parseNumber(text);
        return told === null ? null : Math.min(Math.max(told, 0), 100) / 100;
      },
      min: 0,
    },
  ];
  return (
    <Section name={`over-time-${placed.id}`} title="Over the take" fact={count ? `${count} keys` : "still"}>
      <Tracks shot={shot} tracks={tracks} />
      <p className="pt-1 text-xs leading-[1.5] text-ink-500">
        Once it is set at a frame, moving it in the picture sets it at the frame on show.
      </p>
    </Section>
  );
}
