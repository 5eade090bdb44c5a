import type { Crop } from "../../api/client";
import { parseNumber } from "../../geometry/measure";
import { useChange } from "../../state/changes";
import { useEditor } from "../../state/editor";
import { Button, Field, Hint, OneOf, Slider } from "../../ui/controls";
import type { StepProps } from "../props";
import { reachesBeyond, wholeFrame } from "./shape";

const SHAPES: { value: string; label: string; aspect: Crop["aspect"] }[] = [
  { value: "free", label: "free", aspect: null },
  { value: "3:2", label: "3 : 2", aspect: [3, 2] },
  { value: "4:3", label: "4 : 3", aspect: [4, 3] },
  { value: "16:9", label: "16 : 9", aspect: [16, 9] },
  { value: "1:1", label: "1 : 1", aspect: [1, 1] },
  { value: "4:5", label: "4 : 5", aspect: [4, 5] },
];

/** The part of the photograph that is delivered: its shape, its size, straightened. */
export function FramePanel({ shot, document }: StepProps) {
  const { change, move, keep } = useChange(shot.id);
  const guides = useEditor((state) => state.guides);
  const { photograph, frame } = document;
  if (!photograph) return null;
  const set = (values: Partial<Crop>, label: string) =>
    void change({ frame: { ...(frame ?? wholeFrame(photograph)), ...values } }, label);
  const shaped = (name: string) => {
    const aspect = SHAPES.find(({ value }) => value === name)?.aspect ?? null;
    if (!aspect) return set({ aspect }, "shape of the frame: free");
    const { turn_deg, beyond } = frame ?? wholeFrame(photograph);
    set({ ...wholeFrame(photograph, aspect), turn_deg, beyond }, `shape of the frame: ${name}`);
  };
  return (
    <>
      <OneOf
        label="Shape of the frame"
        value={frame ? (frame.aspect?.join(":") ?? "free") : null}
        options={SHAPES}
        onValue={shaped}
      />
      {!frame && (
        <p className="pt-1.5 text-xs leading-[1.5] text-ink-500">
          The whole photograph is delivered. Choose a shape, then pull the frame’s corners; nothing is marked
          anew for it.
        </p>
      )}
      {frame && (
        <>
          <Field
            label="Width"
            value={`${Math.round(frame.width)} px`}
            parse={parseNumber}
            min={16}
            onValue={(v) => set(sized(frame, Math.round(v), null), "width of the frame")}
          />
          <Field
            label="Height"
            value={`${Math.round(frame.height)} px`}
            parse={parseNumber}
            min={16}
            onValue={(v) => set(sized(frame, null, Math.round(v)), "height of the frame")}
          />
          <Slider
            label="Straightened"
            value={frame.turn_deg}
            min={-8}
            max={8}
            step={0.1}
            show={(v) => (v === 0 ? "not turned" : `${v.toFixed(1)}°`)}
            onMove={(turn_deg) => move({ frame: { ...frame, turn_deg } })}
            onKeep={() => keep("straighten the frame")}
            onZero={() => set({ turn_deg: 0 }, "the frame: not turned")}
          />
          {frame.turn_deg !== 0 && (
            <p className="text-xs text-ink-500">
              Turned, the photograph’s pixels are drawn anew from between.
            </p>
          )}
          <div className="flex items-center justify-between gap-2 pt-1">
            <span className="text-ink-700">Lines</span>
            <OneOf
              label="Lines to compose by"
              value={guides}
              options={[
                { value: "none", label: "none" },
                { value: "thirds", label: "thirds" },
                { value: "diagonals", label: "diagonals" },
              ]}
              onValue={(value) => useEditor.setState({ guides: value })}
            />
          </div>
          {reachesBeyond(frame, photograph) && (
            <>
              <Hint>
                It reaches beyond the photograph: what is there is invented, and no model is rendered there.
              </Hint>
              <div className="pt-1.5">
                <OneOf
                  label="What lies beyond"
                  value={frame.beyond}
                  options={[
                    { value: "mirrored", label: "mirrored" },
                    { value: "plain", label: "plain" },
                    { value: "filled", label: "made up" },
                  ]}
                  onValue={(beyond) => set({ beyond }, "what lies beyond the photograph")}
                />
              </div>
            </>
          )}
          <Button className="mt-2" onClick={() => void change({ frame: null }, "the whole photograph")}>
            Show the whole photograph
          </Button>
        </>
      )}
    </>
  );
}

/** The frame about its middle with a typed side; where its shape is held the other follows. */
function sized(frame: Crop, wide: number | null, high: number | null): Partial<Crop> {
  const shape = frame.aspect ? frame.aspect[0] / frame.aspect[1] : null;
  const width = wide ?? (shape && high ? Math.round(high * shape) : frame.width);
  const height = high ?? (shape && wide ? Math.round(wide / shape) : frame.height);
  const middle = [frame.x + frame.width / 2, frame.y + frame.height / 2] as const;
  return { width, height, x: Math.round(middle[0] - width / 2), y: Math.round(middle[1] - height / 2) };
}
