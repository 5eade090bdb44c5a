import type { White } from "../../api/client";

const SEEN = 2; // of lightness or colour (CIE Lab, ΔE2000): less nobody sees

/** How one white differs from another in plain words; differences that nobody sees are none. */
export function difference(of: White, from: White, delta_e: number): string {
  if (delta_e < SEEN) return "They are alike to the eye.";
  const [l = 0, a = 0, b = 0] = of.lab.map((v, axis) => v - (from.lab[axis] ?? 0));
  const words = [
    Math.abs(l) >= SEEN && `${Math.abs(l).toFixed(0)} ${l > 0 ? "lighter" : "darker"}`,
    Math.abs(b) >= SEEN && (b > 0 ? "yellower" : "bluer"),
    Math.abs(a) >= SEEN && (a > 0 ? "pinker" : "greener"),
  ].filter(Boolean);
  const list = words.length > 1 ? `${words.slice(0, -1).join(", ")} and ${words.at(-1)}` : words[0];
  return `What you placed is ${list || "a little different"}. Is it the same paint in the same light? Then the light’s balance is off.`;
}
