import { useChange } from "../../state/changes";
import { toggleTool, usePicked } from "../../state/editor";
import { Bin, Button, Hint } from "../../ui/controls";
import type { StepProps } from "../props";

export function Gnomons({ shot, document, derived }: StepProps) {
  const { tool } = usePicked("tool");
  const { change } = useChange(shot.id);
  const measured = derived.sun;
  return (
    <>
      <Button active={tool?.kind === "gnomon"} onClick={() => toggleTool("gnomon")}>
        Mark a gnomon
      </Button>
      {document.gnomons.length === 0 && (
        <p className="mt-1.5 text-xs leading-[1.55] text-ink-500">
          A thing in the photograph that throws a shadow on the ground, such as a post: click its foot, its
          top, and the tip of its shadow.
        </p>
      )}
      <ul>
        {document.gnomons.map((gnomon, index) => (
          <li key={gnomon.id} className="flex items-center gap-2 py-[3px] text-xs">
            <span className="w-4 text-oxide">{index + 1}</span>
            <span className="grow text-ink-700">
              {gnomon.foot ? "foot, top and tip" : "point and its shadow"}
            </span>
            {gnomon.shadow && (
              <button
                type="button"
                aria-pressed={!gnomon.by_hand}
                title="The shadow’s line refined on the picture, or as it was drawn"
                className={gnomon.by_hand ? "text-ink-500 line-through" : "text-verdigris"}
                onClick={() =>
                  void change(
                    { gnomons: { [gnomon.id]: { by_hand: !gnomon.by_hand } } },
                    gnomon.by_hand ? "shadow as refined" : "shadow as drawn",
                  )
                }
              >
                sharp
              </button>
            )}
            <span className="text-ink-500">
              {measured?.gnomons[index] ? `off by ${measured.gnomons[index].residual_px.toFixed(1)} px` : ""}
            </span>
            <Bin
              label={`Remove gnomon ${index + 1}`}
              onClick={() => void change({ gnomons: { [gnomon.id]: null } }, `remove gnomon ${index + 1}`)}
            />
          </li>
        ))}
      </ul>
      {derived.sun_reason && document.gnomons.length > 0 && <Hint kind="wrong">{derived.sun_reason}</Hint>}
      {measured?.warnings.map((warning) => (
        <Hint key={warning}>{warning}</Hint>
      ))}
    </>
  );
}
