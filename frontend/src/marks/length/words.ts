import type { Length, LengthAnswer } from "../../api/client";
import { metres, rangedMetres } from "../../geometry/measure";

/** What a length says of itself: given, or measured with its range. */
export function lengthText(length: Length, answer: LengthAnswer | undefined): string {
  if (length.metres !== null) return metres(length.metres, 2);
  if (answer?.metres == null) return "?";
  return rangedMetres(answer.metres, answer.sigma_m);
}

/** Whether a yardstick is off the others by more than their common uncertainty. */
export const disagrees = (answer: LengthAnswer | undefined) =>
  answer?.off_percent != null && Math.abs(answer.off_percent) > Math.max(3 * (answer.sigma_percent ?? 0), 1);
