import { hexOf, linearOf } from "../../geometry/colour";
import { parseMetres } from "../../geometry/measure";
import type { StepProps } from "../../marks/props";
import { useChange } from "../../state/changes";
import { toggleTool, useEditor } from "../../state/editor";
import { ColourField } from "../../ui/ColourField";
import { Button, Field, Tip } from "../../ui/controls";
import { Section } from "../Section";

const PALE: [number, number, number] = [0.6, 0.65, 0.7];

/** The air before what is far. */
export function HazeSection({ shot, document, derived }: StepProps) {
  const inHand = useEditor(({ tool }) => tool?.kind === "hazy");
  const { change, move, keep } = useChange(shot.id);
  const { haze } = document.blend;
  return (
    <Section name="haze" title="Haze" fact={haze ? `half gone at ${haze.half_m.toFixed(0)} m` : "none"}>
      <Tip text="Three clicks: some ground near, the same far away, the haze over the horizon">
        <Button active={inHand} disabled={!derived.metric} onClick={() => toggleTool("hazy")}>
          Measure it in the photograph
        </Button>
      </Tip>
      <Field
        label="Half of the contrast is gone at"
        value={haze ? `${haze.half_m.toFixed(0)} m` : ""}
        placeholder="no haze"
        parse={parseMetres}
        min={0.2}
        onClear={() => void change({ blend: { haze: null } }, "no haze")}
        onValue={(half_m) => void change({ blend: { haze: { colour: PALE, ...haze, half_m } } }, "haze")}
      />
      {haze && (
        <ColourField
          label="Its colour"
          value={hexOf(haze.colour)}
          onMove={(hex) => move({ blend: { haze: { ...haze, colour: linearOf(hex) } } })}
          onKeep={() => keep("colour of the haze")}
        />
      )}
      <p className="text-xs text-ink-500">
        Compare with what stands as far away in the photograph: how pale are its darkest places?
      </p>
    </Section>
  );
}
