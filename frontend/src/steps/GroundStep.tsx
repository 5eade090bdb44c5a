import { metres, parseMetres, ranged } from "../geometry/measure";
import { useDraft } from "../state/draft";
import { useEditor } from "../state/editor";
import { Button, Field, Figure, Heading, Hint } from "../ui/controls";
import type { StepProps } from "./props";

export function GroundStep({ shot, document, derived }: StepProps) {
  const { tool, take } = useEditor();
  const { change } = useDraft(shot.id);
  const camera = derived.camera;
  const stick = document.yardstick;
  if (!camera) return <Hint>The ground follows from the perspective. Mark edges there first.</Hint>;
  const height = camera.camera_position?.[2];
  return (
    <>
      {height !== undefined && (
        <Figure
          name="Camera height"
          {...ranged(height, camera.sigma.height_m, " m")}
          from={document.camera.kind === "hand" ? "by hand" : "measured"}
        />
      )}
      <Heading>Yardstick</Heading>
      <p className="mb-2 text-xs leading-[1.55] text-ink-500">
        Draw over a length on the ground that you know: a slab, a tile, a doorway’s width.
      </p>
      <Button
        active={tool.kind === "yardstick"}
        onClick={() => take(tool.kind === "yardstick" ? { kind: "none" } : { kind: "yardstick" })}
      >
        {stick ? "Draw it anew" : "Draw a yardstick"}
      </Button>
      {stick && (
        <Field
          label="Its length"
          value={`${stick.metres} m`}
          parse={parseMetres}
          min={0.001}
          hint="such as 1.2 m, 120cm or 3'11&quot;"
          onValue={(value) =>
            void change(
              { yardstick: { ...stick, metres: Math.round(value * 1e5) / 1e5 } },
              "length of the yardstick",
            )
          }
        />
      )}
      {!stick && height === undefined && (
        <Hint>Without a known length, nothing that stands here has a size.</Hint>
      )}
      <Heading>Origin</Heading>
      <p className="mb-2 text-xs leading-[1.55] text-ink-500">
        Where x and y are zero. x runs along run A, y along run B.
      </p>
      <Button
        active={tool.kind === "origin"}
        onClick={() => take(tool.kind === "origin" ? { kind: "none" } : { kind: "origin" })}
      >
        {document.origin ? "Move it: click on the ground" : "Click on the ground"}
      </Button>
      {camera.camera_position && document.origin && (
        <p className="mt-2 text-xs text-ink-500">
          The camera stands{" "}
          {metres(Math.hypot(camera.camera_position[0] ?? 0, camera.camera_position[1] ?? 0))} from it.
        </p>
      )}
    </>
  );
}
