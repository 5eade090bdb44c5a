import type { Balance, LightPatch, PatchAnswer } from "../../api/client";

const SHARE = 1 / 160;
const LUMINANCE = [0.2126, 0.7152, 0.0722];

/** How large a patch is when it is marked [px]. */
export const radiusOf = (width = 1600) => Math.max(3, Math.round(width * SHARE));

/** Luminance of a linear colour. */
export const brightOf = (linear: readonly number[]) =>
  linear.reduce((sum, v, channel) => sum + v * (LUMINANCE[channel] ?? 0), 0);

/** A patch's own line in the fit. */
export function standing(answer: PatchAnswer | undefined): string {
  if (!answer) return "";
  if (answer.least) return "clipped: at least so strong";
  if (answer.reason) return answer.reason;
  const off = Math.round(100 * (answer.residual ?? 0));
  if (answer.wrong) return `disagrees: ${Math.abs(off)} % ${off > 0 ? "too bright" : "too dark"}`;
  return off === 0 ? "agrees" : `${Math.abs(off)} % ${off > 0 ? "brighter" : "darker"}`;
}

/** What is left of the light where the sun does not reach, by channel. */
export const shadeOf = (balance: Balance): number[] =>
  balance.shade.map((v, channel) => v / (balance.white[channel] ?? 1));

/** Relative standard deviation of a figure by channel, as ± at 95 %. */
export const within = (sigma: readonly number[]) =>
  `± ${Math.round((200 * sigma.reduce((sum, v) => sum + v, 0)) / Math.max(sigma.length, 1))} %`;

/** Tones that somebody may know; reflectances of common things, rounded. */
export const TONES: readonly { value: string; label: string }[] = [
  { value: "", label: "not known" },
  { value: "0.8", label: "white paint" },
  { value: "0.35", label: "light concrete" },
  { value: "0.18", label: "grey card" },
];

export const facingWords: Record<LightPatch["facing"], string> = {
  level: "lies level",
  "along run A": "wall along A",
  "along run B": "wall along B",
  "towards the camera": "stands, facing me",
};
