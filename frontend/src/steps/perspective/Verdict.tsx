import type { StepProps } from "../../marks/props";
import { Hint } from "../../ui/controls";

const TRUST = {
  good: "The grid can be relied on.",
  fair: "Good enough to place things by; more edges would steady it.",
  poor: "Not to be relied on yet.",
};

/** How far the camera can be trusted, why there is none, and what would help most. */
export function Verdict({ document, derived }: StepProps) {
  const camera = derived.camera;
  if (!camera) return <NoCamera document={document} derived={derived} />;
  const poor = camera.trust === "poor";
  // Yardsticks say in the Ground step, each beside its length, how far they are off.
  const warnings = camera.warnings.filter((warning) => !camera.warnings_of_lengths.includes(warning));
  return (
    <>
      {camera.trust && (
        <Hint kind={poor ? "wrong" : "advice"}>
          <b className="font-medium">{TRUST[camera.trust]}</b> {poor && warnings.join(" ")} {camera.advice[0]}
        </Hint>
      )}
      {!poor &&
        warnings.map((warning) => (
          <Hint key={warning} kind="wrong">
            {warning}
          </Hint>
        ))}
    </>
  );
}

function NoCamera({ document, derived }: Pick<StepProps, "document" | "derived">) {
  if (!document.edges.length)
    return <Hint>Two edges of run A and two of run B give the camera. Long edges, far apart, are best.</Hint>;
  const tooFew = derived.camera_lacks === "edges";
  const runs = new Set(document.edges.map((edge) => edge.run)).size;
  return (
    <Hint kind={tooFew ? "advice" : "wrong"}>
      {tooFew && runs < 2
        ? "Now edges of another run, square to these."
        : `${derived.camera_reason?.replace(/^./, (c) => c.toUpperCase())}.`}
    </Hint>
  );
}
