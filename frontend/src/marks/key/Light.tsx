import { parseNumber } from "../../geometry/measure";
import type { StepProps } from "../props";
import { type Track, Tracks } from "./Tracks";

const times = (v: number | number[]) => `${(v as number).toFixed(2)} ×`;
const degrees = (v: number | number[]) => `${(v as number).toFixed(1)}°`;

/** Sun, sky, exposure and lamps while the take runs. */
export function LightOverTime({ shot, document }: StepProps) {
  const { sun, sky, exposure, lamps } = document;
  const number = { parse: parseNumber, min: 0 };
  const tracks: Track[] = [
    {
      path: "exposure/stops",
      label: "Exposure",
      now: exposure.stops,
      show: (v) => `${(v as number).toFixed(2)} stops`,
      parse: parseNumber,
    },
    ...lamps.map(
      (lamp): Track => ({
        path: `lamps/${lamp.id}/strength`,
        label: lamp.name || "Lamp",
        now: lamp.strength,
        show: times,
        ...number,
      }),
    ),
    { path: "sun/strength", label: "Sun", now: sun.strength, show: times, ...number },
    { path: "sky/strength", label: "Sky", now: sky.strength, show: times, ...number },
  ];
  // A sun that is measured stands still: only one that is set by hand can move.
  if (sun.kind === "hand")
    tracks.push(
      {
        path: "sun/azimuth_deg",
        label: "Sun’s azimuth",
        now: sun.azimuth_deg,
        show: degrees,
        parse: parseNumber,
      },
      { path: "sun/elevation_deg", label: "Sun’s height", now: sun.elevation_deg, show: degrees, ...number },
    );
  return <Tracks shot={shot} tracks={tracks} />;
}
