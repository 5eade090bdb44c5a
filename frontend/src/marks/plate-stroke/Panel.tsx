import { parseNumber } from "../../geometry/measure";
import { useChange } from "../../state/changes";
import { toggleTool, useEditor, usePicked } from "../../state/editor";
import { useTake } from "../../take/hooks";
import { WorkButton } from "../../take/Progress";
import { rateOf, useOnShow } from "../../take/state";
import { Brush } from "../../ui/Brush";
import { Bin, Button, Field, Figure, Hint, Pill, Statement } from "../../ui/controls";
import type { StepProps } from "../props";

const STEADY_PX = 0.15;
const FILLED = 0.9995;

/** The place without people: made of the whole take, touched up from single frames. */
export function CleanPlate({ shot, document }: StepProps) {
  const { change } = useChange(shot.id);
  const { tool } = usePicked("tool");
  const { frame, hatched } = useOnShow();
  const told = useTake(shot);
  const { take, plate_strokes } = document;
  if (!take) return null;
  const looked = told?.looked;
  const brushing = tool?.kind === "plate-stroke";
  const seconds = take.frames / rateOf(take);
  return (
    <>
      <Figure
        name="Take"
        value={`${take.frames} frames`}
        from={`${seconds.toFixed(1)} s, ${told?.codec ?? ""}${told?.sound ? ", with sound" : ""}`}
      />
      {told?.numbered && (
        <Field
          label="Frames a second"
          value={`${Number(rateOf(take).toFixed(3))}`}
          parse={parseNumber}
          min={1}
          onValue={(v) =>
            void change({ take: { rate: [Math.round(Math.min(v, 1000) * 1000), 1000] } }, "frames a second")
          }
        />
      )}
      {told?.notes.map((note) => (
        <p key={note} className="text-xs leading-[1.5] text-ink-500">
          {`${note.charAt(0).toUpperCase()}${note.slice(1)}.`}
        </p>
      ))}
      {!take.plate && (
        <p className="mb-1 text-xs leading-[1.55] text-ink-500">
          Everything is matched on the place without people. It is made of all frames: what stays is the
          place, what passes is not.
        </p>
      )}
      <WorkButton
        shot={shot}
        work="plate"
        word={take.plate ? "Make the clean plate again" : "Make the clean plate"}
        look={take.plate ? "plain" : "primary"}
        stale={
          take.plate && told && !told.plate_is_current
            ? "Not as the strokes and ends say now: make it again."
            : null
        }
      />
      {looked && (
        <>
          <Figure
            name="Camera"
            value={looked.moved_px < STEADY_PX ? "still" : `± ${looked.moved_px.toFixed(1)} px`}
            from="trembling, given back"
          />
          <Figure
            name="Grain"
            value={`${(looked.sigma[1] ?? 0).toFixed(1)} codes`}
            from="from frame to frame"
          />
          {looked.empty < FILLED && (
            <Hint kind="wrong">
              {((1 - looked.empty) * 100).toFixed(1)} % of the picture was hardly ever seen empty. Find a
              frame in which it is, and brush over it.
            </Hint>
          )}
          {looked.empty < FILLED && (
            <Pill
              on={hatched && frame === null}
              onClick={() => {
                useOnShow.setState({ hatched: !(hatched && frame === null), frame: null });
                useEditor.getState().show("photo");
              }}
            >
              hatch it in the picture
            </Pill>
          )}
        </>
      )}
      <Statement
        holds={take.steady}
        onChange={(steady) =>
          void change({ take: { steady } }, steady ? "trembling taken out" : "as it lies")
        }
      >
        measure the camera’s trembling
      </Statement>
      {take.plate && (
        <>
          <Button
            active={brushing}
            disabled={frame === null}
            onClick={() => {
              toggleTool("plate-stroke");
              useEditor.getState().show("photo");
            }}
          >
            {frame === null ? "Choose a frame in the time line first" : `Brush from frame ${frame}`}
          </Button>
          {brushing && <Brush />}
          <ul>
            {plate_strokes.map((stroke) => (
              <li
                key={stroke.id}
                className="flex items-center gap-2 border-b border-dotted border-lime-300 py-1 text-xs last:border-0"
              >
                <button
                  type="button"
                  className="grow text-left text-ink-700"
                  onClick={() => useOnShow.setState({ frame: stroke.frame, shown: "take" })}
                >
                  from frame {stroke.frame}
                </button>
                <Bin
                  label={`Remove the stroke from frame ${stroke.frame}`}
                  onClick={() =>
                    void change({ plate_strokes: { [stroke.id]: null } }, "a stroke of the plate removed")
                  }
                />
              </li>
            ))}
          </ul>
        </>
      )}
    </>
  );
}
