import { useEffect, useState } from "react";
import { pieceUrl } from "../../api/client";
import { usePieces } from "../../api/hooks";
import type { StepProps } from "../../marks/props";
import { Hint } from "../../ui/controls";

const WORDS =
  "Grey gives back 18 %, white 80 %, the mirror 90 %. Do they look as photographed things beside them would: their " +
  "shades as dark and as blue, their shadows as long, their white no whiter than paint there?";

/** Check pieces in the photograph, in this light, where the first thing stands. */
export function LightCard({ shot, derived }: StepProps) {
  const { card } = usePieces(shot, { card: derived.metric });
  const [shown, setShown] = useState<string | null>(null);
  const ready = card?.ready ? card.name : null;
  useEffect(() => {
    if (ready) setShown(ready);
  }, [ready]);
  if (!derived.metric)
    return <p className="text-xs leading-[1.55] text-ink-500">It needs a camera and a yardstick first.</p>;
  if (card?.reason) return <Hint kind="wrong">{card.reason}</Hint>;
  return (
    <figure aria-busy={!ready}>
      {shown ? (
        <img
          src={pieceUrl(shown)}
          alt="A grey ball, a mirror ball, a white cube and a colour chart in the photograph"
          className={`w-full rounded ${ready ? "" : "animate-pulse opacity-60"}`}
        />
      ) : (
        <div className="flex h-24 animate-pulse items-center justify-center rounded bg-lime-200 text-xs text-ink-700">
          being traced …
        </div>
      )}
      <figcaption className="mt-1.5 text-xs leading-[1.55] text-ink-500">{WORDS}</figcaption>
    </figure>
  );
}
