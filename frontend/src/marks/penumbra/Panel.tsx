import type { Penumbra } from "../../api/client";
import { metres, parseMetres } from "../../geometry/measure";
import { useChange } from "../../state/changes";
import { toggleTool, usePicked } from "../../state/editor";
import { Bin, Button, Field, Figure, Slider } from "../../ui/controls";
import type { StepProps } from "../props";

const degrees = (value: number) => `${value.toFixed(2)}°`;

export const softnessFact = ({ derived, document }: StepProps) =>
  `${degrees(derived.softness_deg)}${document.sun.softness_deg !== null ? ", by hand" : ""}`;

/** How large the sun appears, which softens its shadows' edges: by soft edges, or by hand. */
export function Penumbras({ shot, document, derived }: StepProps) {
  const { tool } = usePicked("tool");
  const { move, keep, change } = useChange(shot.id);
  const byHand = document.sun.softness_deg !== null;
  const told = derived.softness;
  const measured = told?.diameter_deg ?? null;
  return (
    <>
      <Figure
        name="Its width"
        value={degrees(derived.softness_deg)}
        range={!byHand && told?.sigma_deg ? `± ${(2 * told.sigma_deg).toFixed(2)}` : ""}
        from={byHand ? "set by hand" : measured !== null ? "measured" : "a clear day’s, not measured"}
      />
      <Button active={tool?.kind === "penumbra"} onClick={() => toggleTool("penumbra")}>
        Mark a soft edge
      </Button>
      {document.penumbras.length === 0 && (
        <p className="mt-1.5 text-xs leading-[1.55] text-ink-500">
          Haze widens the sun, and so every shadow’s edge. Click on both sides of such an edge, then what
          throws it; the farther away that is, the better.
        </p>
      )}
      <ul>
        {document.penumbras.map((mark, index) => (
          <Row
            key={mark.id}
            mark={mark}
            index={index}
            answer={told?.penumbras[index]}
            onSet={(values, label) => void change({ penumbras: { [mark.id]: values } }, label)}
            onRemove={() => void change({ penumbras: { [mark.id]: null } }, `remove soft edge ${index + 1}`)}
          />
        ))}
      </ul>
      <Slider
        label="By hand"
        value={derived.softness_deg}
        min={0.1}
        max={8}
        step={0.05}
        show={degrees}
        onMove={(softness_deg) => move({ sun: { softness_deg } })}
        onKeep={() => keep("softness of the shadow’s edge")}
      />
      {byHand && (
        <Button onClick={() => void change({ sun: { softness_deg: null } }, "softness as measured")}>
          {measured !== null ? "As measured" : "As on a clear day"}
        </Button>
      )}
    </>
  );
}

type RowProps = {
  mark: Penumbra;
  index: number;
  answer: { diameter_deg?: number | null; reason?: string | null } | undefined;
  onSet: (values: Partial<Penumbra>, label: string) => void;
  onRemove: () => void;
};

function Row({ mark, index, answer, onSet, onRemove }: RowProps) {
  return (
    <li className="border-b border-dotted border-lime-300 py-[3px] text-xs last:border-0">
      <div className="flex items-center gap-2">
        <span className="w-3 text-oxide">{index + 1}</span>
        <span className={`grow ${answer?.reason ? "text-oxide" : "text-ink-700"}`}>
          {answer?.reason ?? (answer?.diameter_deg ? degrees(answer.diameter_deg) : "")}
        </span>
        <Bin label={`Remove soft edge ${index + 1}`} onClick={onRemove} />
      </div>
      <Field
        label="Thrown from a height of"
        value={mark.height_m === null ? "" : metres(mark.height_m)}
        placeholder="as marked"
        parse={parseMetres}
        min={0.001}
        onValue={(height_m) => onSet({ height_m }, "height of what throws the edge")}
        onClear={() => onSet({ height_m: null }, "height of what throws the edge")}
      />
    </li>
  );
}
