import type { Blend, Grade } from "../../api/client";

/** A grade that changes nothing. */
export const PLAIN: Grade = {
  exposure_stops: 0,
  warmth: 0,
  tint: 0,
  contrast: 0,
  curve: [],
  saturation: 1,
  lift: [0, 0, 0],
  gamma: [0, 0, 0],
  gain: [0, 0, 0],
  lut: null,
  lut_strength: 1,
};

export const isPlain = (grade: Grade) =>
  Object.entries(PLAIN).every(
    ([name, value]) => JSON.stringify(grade[name as keyof Grade]) === JSON.stringify(value),
  );

/** Whether anything of a blend is other than measured. */
export const blendedByHand = ({ model, place, whole, ...rest }: Blend) =>
  ![model, place, whole].every(isPlain) ||
  rest.grain !== 1 ||
  rest.fringes !== 1 ||
  rest.halos !== 1 ||
  rest.softness_px !== null ||
  rest.black !== 0 ||
  rest.haze !== null ||
  rest.lens !== null;
