import type { SolvedCamera } from "../../api/client";
import { metres } from "../../geometry/measure";
import { useChange } from "../../state/changes";
import { toggleTool, usePicked } from "../../state/editor";
import { Button, OneOf } from "../../ui/controls";
import type { StepProps } from "../props";

const X_WAYS: { value: SolvedCamera["x_along"]; label: string }[] = [
  { value: "a", label: "A" },
  { value: "b", label: "B" },
  { value: "-a", label: "A, back" },
  { value: "-b", label: "B, back" },
];

export function Origin({ shot, document, derived }: StepProps) {
  const { tool } = usePicked("tool");
  const { change } = useChange(shot.id);
  const camera = document.camera;
  const position = derived.camera?.camera_position;
  return (
    <>
      <p className="mb-1.5 text-xs leading-[1.5] text-ink-500">
        Where x and y are zero, and which way x runs.
      </p>
      <div className="flex flex-wrap items-center gap-1.5">
        <Button active={tool?.kind === "origin"} onClick={() => toggleTool("origin")}>
          {document.origin ? "Move it: click on the ground" : "Click on the ground"}
        </Button>
      </div>
      {camera.kind === "solved" && (
        <div className="mt-2 flex flex-wrap items-center gap-1.5 text-xs text-ink-700">
          x along
          <OneOf
            label="Direction of x"
            value={camera.x_along}
            options={X_WAYS}
            onValue={(x_along) => void change({ camera: { ...camera, x_along } }, "direction of x")}
          />
        </div>
      )}
      {position && document.origin && (
        <p className="mt-1.5 text-xs text-ink-500">
          The camera stands {metres(Math.hypot(position[0] ?? 0, position[1] ?? 0))} from it.
        </p>
      )}
    </>
  );
}
