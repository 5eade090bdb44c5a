import { parseNumber } from "../../geometry/measure";
import type { StepProps } from "../../marks/props";
import { useChange } from "../../state/changes";
import { toggleTool, usePicked } from "../../state/editor";
import { shortest } from "../../state/light";
import { Button, Field, Figure, Hint, OneOf } from "../../ui/controls";
import { DateAndPlace, newAlmanac } from "./DateAndPlace";

/** The sun: where it stands, and by what that is known. */
export function SunBy(props: StepProps) {
  const { shot, document } = props;
  const { change } = useChange(shot.id);
  const { tool } = usePicked("tool");
  const { sun } = document;
  const choose = (kind: typeof sun.kind) => {
    if (kind === "almanac" && !document.almanac)
      void change({ almanac: newAlmanac(document), sun: { kind } }, "sun by date and place");
    else void change({ sun: { kind } }, `sun ${kind === "hand" ? "by hand" : "as found"}`);
  };
  return (
    <div className="pb-1">
      <div className="flex items-center justify-between gap-2 py-1 text-ink-700">
        <span className="shrink-0">Sun by</span>
        <OneOf
          look="joined"
          label="By what the sun is known"
          value={sun.kind}
          options={[
            { value: "gnomons", label: "shadows" },
            { value: "almanac", label: "date" },
            { value: "hand", label: "hand" },
          ]}
          onValue={choose}
        />
      </div>
      {sun.kind === "hand" && <ByHand {...props} />}
      {sun.kind === "almanac" && <DateAndPlace {...props} />}
      {sun.kind === "gnomons" && <ByShadows {...props} />}
      {sun.kind === "gnomons" && (
        <Button
          className="mt-2"
          active={tool?.kind === "pointed"}
          onClick={() =>
            sun.at ? void change({ sun: { at: null } }, "no sun in the picture") : toggleTool("pointed")
          }
        >
          {sun.at ? "Take the sun out of the picture" : "The sun is in the picture"}
        </Button>
      )}
    </div>
  );
}

function ByShadows({ document, derived }: StepProps) {
  const measured = derived.sun;
  const marked = document.gnomons.length + document.shadow_edges.length > 0 || document.sun.at !== null;
  return (
    <>
      {measured && (
        <>
          <Figure
            name="Azimuth from x"
            value={`${measured.azimuth_deg.toFixed(1)}°`}
            range={`± ${(2 * (measured.sigma_deg.azimuth ?? 0)).toFixed(1)}`}
            from="measured"
          />
          <Figure
            name="Elevation"
            value={`${measured.elevation_deg.toFixed(1)}°`}
            range={`± ${(2 * (measured.sigma_deg.elevation ?? 0)).toFixed(1)}`}
            from="measured"
          />
        </>
      )}
      {!measured && marked && derived.sun_reason && <Hint kind="wrong">{derived.sun_reason}</Hint>}
      {!measured && !marked && (
        <Hint>
          Mark a shadow below, or choose <i>hand</i> and pull the tip of a thing’s shadow to where it should
          fall.
        </Hint>
      )}
      {measured?.warnings.map((warning) => (
        <Hint key={warning}>{warning}</Hint>
      ))}
    </>
  );
}

function ByHand({ shot, document, derived }: StepProps) {
  const { change } = useChange(shot.id);
  const { sun } = document;
  const measured = derived.sun;
  return (
    <>
      <Field
        label="Azimuth from x"
        value={`${sun.azimuth_deg.toFixed(1)}°`}
        parse={parseNumber}
        min={-360}
        onValue={(v) => void change({ sun: { azimuth_deg: v } }, "sun by figure")}
      />
      <Field
        label="Elevation"
        value={`${sun.elevation_deg.toFixed(1)}°`}
        parse={parseNumber}
        min={0.1}
        onValue={(v) => void change({ sun: { elevation_deg: Math.min(v, 90) } }, "sun by figure")}
      />
      {measured ? (
        <p className="text-xs text-ink-500">
          Shadows tell {shortest(measured.azimuth_deg).toFixed(1)}° and {measured.elevation_deg.toFixed(1)}°
          high.
        </p>
      ) : (
        <Hint>
          Where it begins is a guess. Pull the tip of the model’s shadow until it runs as the shadows in the
          photograph do.
        </Hint>
      )}
    </>
  );
}
