import { parseMetres } from "../geometry/measure";
import { type Check, useEditor, usePicked } from "../state/editor";
import { Field, Pill, Slider } from "../ui/controls";

const CHECKS: { name: Check; label: string }[] = [
  { name: "grid", label: "Grid" },
  { name: "wall_a", label: "Wall along A" },
  { name: "wall_b", label: "Wall along B" },
  { name: "plumb", label: "Plumb line" },
  { name: "staff", label: "Staff" },
  { name: "box", label: "Test box" },
  { name: "points", label: "Vanishing points" },
  { name: "grey", label: "Greys" },
];
const SIDES = ["along x", "along y", "high"];

/** What to lay over the photograph to judge the perspective by; each can be dragged there. */
export function Checks() {
  const { checks, toggle, box, faded } = usePicked("checks", "toggle", "box", "faded");
  return (
    <>
      <div className="flex flex-wrap gap-1.5">
        {CHECKS.map(({ name, label }) => (
          <Pill key={name} on={checks[name]} onClick={() => toggle(name)}>
            {label}
          </Pill>
        ))}
      </div>
      <Slider
        label="Fade the photograph"
        value={faded}
        min={0}
        max={0.85}
        step={0.05}
        show={(v) => (v ? `${Math.round(v * 100)} %` : "not faded")}
        onMove={(v) => useEditor.setState({ faded: v })}
        onKeep={() => undefined}
      />
      {checks.box && (
        <div className="mt-1.5">
          {SIDES.map((side, index) => (
            <Field
              key={side}
              label={`Box, ${side}`}
              value={`${box[index]} m`}
              parse={(text) => parseMetres(text)}
              min={0.001}
              onValue={(value) =>
                useEditor.setState({ box: box.map((old, i) => (i === index ? value : old)) as typeof box })
              }
            />
          ))}
        </div>
      )}
    </>
  );
}
