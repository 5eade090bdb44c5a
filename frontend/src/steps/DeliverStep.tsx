import { downloadUrl, type RenderOut } from "../api/client";
import { isBusy } from "../api/hooks";
import { parseNumber } from "../geometry/measure";
import type { StepProps } from "../marks/props";
import { useChange } from "../state/changes";
import { useRenderActions } from "../state/renders";
import { Button, Field, Figure, Heading, Hint } from "../ui/controls";

export function DeliverStep({ shot, document, renders }: StepProps & { renders: RenderOut[] }) {
  const { ask } = useRenderActions(shot.id);
  const { change } = useChange(shot.id);
  const { output, photograph } = document;
  const master = renders.find((render) => render.quality === "master");
  const busy = master !== undefined && isBusy(master);
  const size =
    photograph &&
    `${Math.round(photograph.width * output.scale)} × ${Math.round(photograph.height * output.scale)}`;
  return (
    <>
      <Figure name="Master" value={size ?? ""} from="delivery size" />
      <Field
        label="Of the photograph’s size"
        value={`${(output.scale * 100).toFixed(0)} %`}
        parse={parseNumber}
        min={1}
        onValue={(v) => void change({ output: { scale: Math.min(v / 100, 4) } }, "delivery size")}
      />
      <Field
        label="Samples a pixel"
        value={`${output.samples}`}
        parse={parseNumber}
        min={1}
        onValue={(v) => void change({ output: { samples: Math.round(v) } }, "samples")}
      />
      <Button look="primary" className="mt-2 w-full" disabled={busy} onClick={() => ask("master")}>
        {busy ? "The master is under way" : "Make the master"}
      </Button>
      <Heading>Ready to hand over</Heading>
      {!renders.some((render) => render.has_picture) && (
        <Hint>Nothing yet. A proof shows soon whether all is right; the master is for the client.</Hint>
      )}
      <ul>
        {renders
          .filter((render) => render.has_picture && render.state === "done")
          .slice(0, 6)
          .map((render) => (
            <li key={render.id} className="flex items-center justify-between py-1 text-xs">
              <span>
                {render.quality === "master" ? "Master" : "Proof"} of revision {render.revision}
                <span className="block text-ink-500">{render.samples} samples a pixel</span>
              </span>
              <a
                className="rounded-md border border-lime-300 bg-white px-2.5 py-1 text-[13px] hover:border-lime-500"
                href={downloadUrl(render)}
                download
              >
                Download PNG
              </a>
            </li>
          ))}
      </ul>
      <a
        className="mt-2 inline-block text-xs text-verdigris underline underline-offset-2"
        href={`/api/v1/shots/${shot.id}/bundle`}
        download
      >
        Download the shot with its files (zip)
      </a>
    </>
  );
}
