import type { SolvedCamera } from "../../api/client";
import { parseNumber } from "../../geometry/measure";
import type { StepProps } from "../../marks/props";
import { useChange } from "../../state/changes";
import { Field, Hint, Statement } from "../../ui/controls";

/** What is known of camera and picture besides the edges. */
export function Known({ shot, document }: StepProps) {
  const { change } = useChange(shot.id);
  const camera = document.camera;
  if (camera.kind !== "solved") return null;
  const notes = document.photograph?.notes;
  const set = (values: Partial<SolvedCamera>, label: string) =>
    void change({ camera: { ...camera, ...values } }, label);
  return (
    <>
      <Field
        label="Focal length (35 mm eq.)"
        value={camera.focal_35mm ? `${camera.focal_35mm} mm` : ""}
        parse={parseNumber}
        min={1}
        placeholder="not known"
        hint="such as 28 mm"
        onValue={(value) => set({ focal_35mm: value }, "known focal length")}
        onClear={() => set({ focal_35mm: null }, "focal length not known")}
      />
      {notes?.focal_35mm != null && (
        <Statement
          holds={camera.focal_prior !== null}
          onChange={(holds) =>
            set(
              { focal_prior: holds ? { focal_35mm: notes.focal_35mm ?? 0, width: 0.03 } : null },
              "focal length of the file",
            )
          }
        >
          About {notes.focal_35mm.toFixed(1)} mm, as the file says (± 3 %)
        </Statement>
      )}
      {notes?.cropped && <Hint kind="wrong">The file’s focal length is left out: {notes.cropped}.</Hint>}
      <Statement
        holds={camera.principal_point === "free"}
        onChange={(holds) => set({ principal_point: holds ? "free" : "centre" }, "cropped picture")}
      >
        The picture was cropped: find the lens’s centre
      </Statement>
      <Statement
        holds={camera.distortion === "solve"}
        onChange={(holds) => set({ distortion: holds ? "solve" : "none" }, "bend of the lens")}
      >
        The lens bends lines: find by how much
      </Statement>
      <Statement holds={camera.robust} onChange={(robust) => set({ robust }, "edges that contradict")}>
        Set aside edges that contradict all others
      </Statement>
    </>
  );
}
