import type { White } from "../../api/client";
import { hexOf } from "../../geometry/colour";
import type { StepProps } from "../props";
import { useWhites } from "./newest";
import { difference } from "./words";

/** The lightest neutral of what was rendered beside the photograph's own. */
export function WhitesPanel({ shot }: StepProps) {
  const whites = useWhites(shot);
  if (!whites)
    return (
      <p className="text-xs leading-[1.5] text-ink-500">
        Make a proof: then the lightest neutral of what you placed is laid beside the photograph’s own.
      </p>
    );
  const { rendered, photographed, delta_e } = whites;
  return (
    <>
      <Row name="of what you placed" white={rendered} />
      <Row name="of the photograph" white={photographed} />
      <p className="pt-1 text-xs leading-[1.5] text-ink-700">
        {rendered && photographed && delta_e !== null
          ? difference(rendered, photographed, delta_e)
          : "Nothing neutral is large enough there to be compared."}
      </p>
    </>
  );
}

function Row({ name, white }: { name: string; white: White | null }) {
  return (
    <div className="flex items-center gap-2 py-1 text-xs">
      <i
        className="h-7 w-10 rounded border border-lime-300"
        style={white ? { background: hexOf(white.colour) } : undefined}
      />
      <span className="grow text-ink-700">{name}</span>
      <span className="text-ink-500">{white ? `lightness ${white.lab[0].toFixed(0)} of 100` : "none"}</span>
    </div>
  );
}
