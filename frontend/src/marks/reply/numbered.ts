import type { Reply } from "../../api/client";

/** Every pin of every reply, numbered through. */
export const numbered = (replies: readonly Reply[]) =>
  replies
    .flatMap((reply) => reply.pins.map((pin) => ({ reply, pin })))
    .map((one, n) => ({ ...one, number: n + 1 }));
