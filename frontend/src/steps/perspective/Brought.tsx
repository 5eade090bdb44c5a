import { useRef } from "react";
import type { KnownCamera } from "../../api/client";
import type { StepProps } from "../../marks/props";
import { useChange } from "../../state/changes";
import { say } from "../../state/notices";
import { Button, Figure } from "../../ui/controls";

const FIELDS = [
  "image",
  "focal_px",
  "principal_point",
  "rotation",
  "camera_position",
  "distortion_k1",
] as const;

/** A camera that was matched elsewhere, as it came. */
export function Brought({ shot, document, derived }: StepProps) {
  const { change } = useChange(shot.id);
  const camera = document.camera;
  if (camera.kind !== "known") return null;
  return (
    <>
      <p className="py-1.5 text-ink-700">
        The camera is as <b className="font-medium">{camera.name || "it was brought"}</b> tells it. Edges and
        lengths show how far off they are; nothing is solved from them.
      </p>
      {derived.camera && (
        <>
          <Figure name="Focal length" value={`${derived.camera.focal_35mm.toFixed(2)} mm`} from="brought" />
          <Figure name="Tilt" value={`${derived.camera.tilt_deg.toFixed(2)}°`} from="brought" />
          <Figure name="Roll" value={`${derived.camera.roll_deg.toFixed(2)}°`} from="brought" />
        </>
      )}
      <Button
        className="mt-2"
        onClick={() => void change({ camera: shot.solved_camera }, "camera from edges")}
      >
        Solve it from edges instead
      </Button>
    </>
  );
}

/** The way to bring one. */
export function BringCamera({ shot }: Pick<StepProps, "shot">) {
  const { change } = useChange(shot.id);
  const input = useRef<HTMLInputElement>(null);
  const read = async (file: File) => {
    const camera = cameraIn(await file.text(), file.name);
    if (camera) void change({ camera }, "a camera from elsewhere");
    else
      say(`${file.name} holds no camera: it has no focal_px, rotation, camera_position and image.`, "wrong");
  };
  return (
    <>
      <button
        type="button"
        className="mt-2 ml-3 text-xs text-verdigris underline underline-offset-2"
        onClick={() => input.current?.click()}
      >
        Bring a camera (JSON)
      </button>
      <input
        ref={input}
        type="file"
        accept=".json"
        aria-label="A file with a camera"
        className="hidden"
        onChange={({ target }) => {
          const file = target.files?.[0];
          target.value = "";
          if (file) void read(file);
        }}
      />
    </>
  );
}

/** The camera of a file as the Deliver step and the command line write it; null if it has none. */
function cameraIn(text: string, name: string): KnownCamera | null {
  try {
    const told = JSON.parse(text) as Record<string, unknown>;
    if (!told.image || !told.focal_px || !told.rotation || !told.camera_position) return null;
    const known = Object.fromEntries(
      FIELDS.filter((field) => field in told).map((field) => [field, told[field]]),
    );
    return { kind: "known", name, ...known } as unknown as KnownCamera;
  } catch {
    return null;
  }
}
