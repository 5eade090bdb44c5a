import { useEffect, useRef } from "react";
import type { HandCamera } from "../../api/client";
import { cameraOf, onPlane } from "../../geometry/camera";
import { parseMetres, parseNumber } from "../../geometry/measure";
import { handCamera } from "../../state/camera";
import { useChange } from "../../state/changes";
import { Button, Field, Heading, Pill } from "../../ui/controls";
import type { StepProps } from "../props";

/** The way to the camera by hand. */
export function ToHand({ shot, document, derived }: StepProps) {
  const { change } = useChange(shot.id);
  const begin = () => {
    const now = derived.camera;
    const solved = now && {
      focal_35mm: now.focal_35mm,
      tilt_deg: now.tilt_deg,
      roll_deg: now.roll_deg,
      heading_deg: now.heading_deg,
      ...(now.camera_position && { height_m: now.camera_position[2] }),
    };
    const { width, height } = document.photograph ?? { width: 1, height: 1 };
    // The square to drag stands on the origin: one below the horizon is needed.
    const below = now && onPlane(cameraOf(now), [width / 2, height * 0.8], 0) === null ? 0.97 : 0.8;
    const patch = {
      camera: handCamera(document, solved),
      ...(!document.origin && { origin: [width / 2, height * below] as [number, number] }),
    };
    void change(patch, "camera by hand");
  };
  return (
    <button
      type="button"
      className="mt-2 text-xs text-verdigris underline underline-offset-2"
      onClick={begin}
    >
      Set the camera by hand instead
    </button>
  );
}

const HELD: { name: HandCamera["held"][number]; label: string }[] = [
  { name: "focal length", label: "Focal length" },
  { name: "height", label: "Height" },
  { name: "horizon", label: "Horizon" },
  { name: "edges", label: "Marked edges" },
];

const ANGLES = [
  { name: "tilt_deg", label: "Tilt (up is +)", min: -89 },
  { name: "roll_deg", label: "Roll", min: -180 },
  { name: "heading_deg", label: "Heading from x", min: -360 },
] as const;

/** The camera by hand: by dragging on the photograph, or by figures; what is known can be held. */
export function ByHand({ shot, document }: StepProps) {
  const { change, drag, keepDrag } = useChange(shot.id);
  const camera = document.camera;
  const top = useRef<HTMLParagraphElement>(null);
  useEffect(() => {
    top.current?.closest("section")?.scrollIntoView({ block: "start" });
  }, []);
  if (camera.kind !== "hand") return null;
  const set = (values: Partial<HandCamera>, label = "camera by figure") =>
    void change({ camera: { ...camera, ...values } }, label);
  const hold = (name: HandCamera["held"][number]) =>
    set(
      {
        held: camera.held.includes(name) ? camera.held.filter((one) => one !== name) : [...camera.held, name],
      },
      `hold the ${name}`,
    );
  return (
    <>
      <p ref={top} className="mb-1.5 text-xs leading-[1.55] text-ink-500">
        Lay the spirit level on the horizon: lift it by its body, tilt it by an end. Then pull the slab’s
        corners onto something square on the ground, or turn it by its arm.
      </p>
      <Field
        label="Focal length (35 mm eq.)"
        value={`${camera.focal_35mm.toFixed(1)} mm`}
        parse={parseNumber}
        min={1}
        onValue={(focal_35mm) => {
          drag({ kind: "focal", focal_35mm });
          void keepDrag("focal length by figure");
        }}
      />
      <Field
        label="Height above ground"
        value={`${camera.height_m.toFixed(2)} m`}
        parse={(text) => parseMetres(text)}
        min={0.01}
        onValue={(height_m) => set({ height_m })}
      />
      {ANGLES.map(({ name, label, min }) => (
        <Field
          key={name}
          label={label}
          value={`${camera[name].toFixed(1)}°`}
          parse={parseNumber}
          min={min}
          onValue={(value) => set({ [name]: value })}
        />
      ))}
      <Heading>Hold while dragging</Heading>
      <div className="flex flex-wrap gap-1.5">
        {HELD.filter(({ name }) => name !== "edges" || document.edges.length > 0).map(({ name, label }) => (
          <Pill key={name} on={camera.held.includes(name)} onClick={() => hold(name)}>
            {label}
          </Pill>
        ))}
      </div>
      <Button
        className="mt-3"
        onClick={() => void change({ camera: shot.solved_camera }, "camera from edges")}
      >
        Solve from edges {document.edges.length ? "again" : "instead"}
      </Button>
    </>
  );
}
