import type { Gnomon } from "../../api/client";
import { useChange } from "../../state/changes";
import { toggleTool, usePicked } from "../../state/editor";
import { Button, OneOf } from "../../ui/controls";
import { MarkRow } from "../../ui/MarkRow";
import type { StepProps } from "../props";

const ON: { value: Gnomon["on"]; label: string }[] = [
  { value: "level", label: "the ground, a level" },
  { value: "wall_a", label: "a wall along A" },
  { value: "wall_b", label: "a wall along B" },
];

export function Gnomons({ shot, document, derived }: StepProps) {
  const { tool, selection, select } = usePicked("tool", "selection", "select");
  const { change } = useChange(shot.id);
  const measured = derived.sun;
  const holds = (sort?: string) => tool?.kind === "gnomon" && tool.sort === sort;
  return (
    <>
      <div className="flex flex-wrap gap-1.5">
        <Button active={holds()} onClick={() => toggleTool("gnomon")}>
          Mark a gnomon
        </Button>
        <Button active={holds("point")} onClick={() => toggleTool("gnomon", "point")}>
          A point and its shadow
        </Button>
      </div>
      {document.gnomons.length === 0 && (
        <p className="mt-1.5 text-xs leading-[1.55] text-ink-500">
          A thing in the photograph that throws a shadow on the ground, such as a post: click its foot, its
          top, and the tip of its shadow. Where the foot is hidden, mark two points with their shadows.
        </p>
      )}
      <ul>
        {document.gnomons.map((gnomon, index) => {
          const chosen = selection?.kind === "gnomon" && selection.id === gnomon.id;
          const set = (values: Partial<Gnomon>, label: string) =>
            void change({ gnomons: { [gnomon.id]: values } }, label);
          return (
            <MarkRow
              key={gnomon.id}
              number={index + 1}
              title={gnomon.foot ? "foot, top and tip" : "point and its shadow"}
              name="gnomon"
              residual_px={measured?.gnomons[index]?.residual_px}
              disagrees={measured?.disagrees === `gnomons[${index}]`}
              chosen={chosen}
              onChoose={(on) => select(on ? { kind: "gnomon", id: gnomon.id } : null)}
              onRemove={() => void change({ gnomons: { [gnomon.id]: null } }, `remove gnomon ${index + 1}`)}
              sharp={gnomon.shadow ? !gnomon.by_hand : undefined}
              onSharp={(on) => set({ by_hand: !on }, on ? "shadow as refined" : "shadow as drawn")}
            >
              <p className="pb-1 text-ink-500">It stands on, or sticks out of</p>
              <OneOf
                label={`What carries gnomon ${index + 1}`}
                value={gnomon.on}
                options={ON}
                onValue={(on) => set({ on }, `what carries gnomon ${index + 1}`)}
              />
            </MarkRow>
          );
        })}
      </ul>
    </>
  );
}
