import type { Lamp } from "../../api/client";

export const KINDS_OF_LAMP: readonly { value: Lamp["kind"]; label: string }[] = [
  { value: "ball", label: "ball" },
  { value: "panel", label: "panel" },
  { value: "spot", label: "spot" },
  { value: "measured", label: "from a file" },
];

/** A lamp as it is begun: a household bulb. */
export const newLamp = (id: string, name: string): Lamp => ({
  id,
  name,
  photographed: true,
  at: null,
  foot: null,
  position_m: null,
  kind: "ball",
  size_mm: 120,
  deep_mm: 120,
  azimuth_deg: 0,
  tilt_deg: 90,
  beam_deg: 40,
  output: 800,
  output_in: "lm",
  temperature_k: 2700,
  file: null,
  photometry: null,
  strength: 1,
  held: false,
  hidden: false,
});

/** What a lamp gives, in its own words. */
export const outputOf = ({ output, output_in }: Lamp) =>
  output === null ? "as its file says" : `${Math.round(output)} ${output_in === "lm" ? "lm" : "cd/m²"}`;
