import { useEditor, usePicked } from "../state/editor";
import { Slider } from "./controls";

/** How wide the brush in the hand is. */
export function Brush() {
  const { brush_px } = usePicked("brush_px");
  return (
    <Slider
      label="Brush"
      value={brush_px}
      min={1}
      max={80}
      step={1}
      show={(v) => `${Math.round(2 * v)} px wide`}
      onMove={(v) => useEditor.setState({ brush_px: v })}
      onKeep={() => undefined}
    />
  );
}
