import type { Reply } from "../../api/client";
import type { StepProps } from "../props";

/** What was said of a shot itself, or of an option of it; what is left of options that are gone is the shot's. */
export const repliesTo = ({ shot, document }: Pick<StepProps, "shot" | "document">) =>
  document.replies.filter(({ option }) =>
    shot.option ? option === shot.option : !document.options.some(({ id }) => id === option),
  );

/** Every pin of every reply, numbered through. */
export const numbered = (replies: readonly Reply[]) =>
  replies
    .flatMap((reply) => reply.pins.map((pin) => ({ reply, pin })))
    .map((one, n) => ({ ...one, number: n + 1 }));
