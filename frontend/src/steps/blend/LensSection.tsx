import { parseMetres, parseMillimetres } from "../../geometry/measure";
import type { StepProps } from "../../marks/props";
import { useChange } from "../../state/changes";
import { toggleTool, useEditor } from "../../state/editor";
import { Button, Field, Tip } from "../../ui/controls";
import { Section } from "../Section";

/** What a lens begins with that is opened by hand [m, mm]. */
const BEGIN = { focus_m: 5, aperture_mm: 10, softness_px: 0 };

/** Depth of field: told from two spots of the ground, or by hand. */
export function LensSection({ shot, document, derived }: StepProps) {
  const { change } = useChange(shot.id);
  const inHand = useEditor(({ tool }) => tool?.kind === "focus");
  const { lens } = document.blend;
  const set = (values: Partial<typeof BEGIN>, label: string) =>
    void change({ blend: { lens: { ...BEGIN, ...lens, ...values } } }, label);
  return (
    <Section
      name="lens"
      title="Depth of field"
      fact={lens ? `sharp at ${lens.focus_m.toFixed(2)} m` : "all is sharp"}
    >
      <Tip text="Two clicks on the ground: where it is sharp, and where it is out of focus">
        <Button active={inHand} disabled={!derived.metric} onClick={() => toggleTool("focus")}>
          Sharp here, soft there
        </Button>
      </Tip>
      <Field
        label="Sharp at"
        value={lens ? `${lens.focus_m.toFixed(2)} m` : ""}
        placeholder="everywhere"
        parse={parseMetres}
        min={0.06}
        onClear={() => void change({ blend: { lens: null } }, "all is sharp")}
        onValue={(focus_m) => set({ focus_m }, "where it is sharp")}
      />
      {lens && (
        <Field
          label="The lens is open"
          value={`${lens.aperture_mm.toFixed(1)} mm`}
          parse={parseMillimetres}
          min={0}
          onValue={(metres) => set({ aperture_mm: metres * 1000 }, "how open the lens is")}
        />
      )}
      <p className="text-xs text-ink-500">
        {lens && derived.camera
          ? spreads(lens, derived.camera.focal_px)
          : "What is rendered is sharp at any distance."}
      </p>
    </Section>
  );
}

/** Over how many pixels points nearer and farther are spread. */
function spreads({ focus_m, aperture_mm }: typeof BEGIN, focal_px: number): string {
  const disc = (away: number) => (aperture_mm / 1000) * focal_px * Math.abs(1 / away - 1 / focus_m);
  const [near, far] = [focus_m / 2, focus_m * 2];
  const told = (away: number) => `${disc(away).toFixed(1)} px at ${away.toFixed(1)} m`;
  return `A point is spread over ${told(near)}, ${told(far)}, ${((aperture_mm / 1000) * (focal_px / focus_m)).toFixed(1)} px far away.`;
}
