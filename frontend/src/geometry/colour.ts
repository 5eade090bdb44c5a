/** Colours between linear light, as documents keep them, and the codes of a screen (IEC 61966-2-1). */

const encode = (v: number) => (v <= 0.0031308 ? 12.92 * v : 1.055 * v ** (1 / 2.4) - 0.055);
const decode = (v: number) => (v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4);

/** `#rrggbb` of a linear colour. */
export const hexOf = (linear: readonly number[] | null | undefined): string =>
  `#${(linear ?? [0.5, 0.5, 0.5])
    .map((v) =>
      Math.round(encode(Math.min(Math.max(v, 0), 1)) * 255)
        .toString(16)
        .padStart(2, "0"),
    )
    .join("")}`;

/** The linear colour of `#rrggbb`. */
export const linearOf = (hex: string): [number, number, number] => {
  const code = (at: number) => decode(Number.parseInt(hex.slice(at, at + 2), 16) / 255);
  return [code(1), code(3), code(5)];
};
