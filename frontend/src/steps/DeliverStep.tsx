import { downloadUrl, type RenderOut } from "../api/client";
import { isBusy } from "../api/hooks";
import { parseNumber } from "../geometry/measure";
import type { StepProps } from "../marks/props";
import { useChange } from "../state/changes";
import { useRenderActions } from "../state/renders";
import { Button, Field, Figure, Heading, Hint, Tip } from "../ui/controls";

export function DeliverStep({ shot, document, renders }: StepProps & { renders: RenderOut[] }) {
  const { ask, finer } = useRenderActions(shot.id);
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
        label="Samples a pixel, at most"
        value={`${output.samples}`}
        parse={parseNumber}
        min={1}
        onValue={(v) => void change({ output: { samples: Math.round(v) } }, "samples")}
      />
      <Field
        label="Fine enough at a noise of"
        value={output.noise === null ? "" : `${output.noise} codes`}
        placeholder="not judged"
        parse={parseNumber}
        min={0.1}
        onClear={() => void change({ output: { noise: null } }, "all samples")}
        onValue={(v) => void change({ output: { noise: Math.min(v, 50) } }, "noise")}
      />
      <p className="pb-1 text-xs leading-[1.5] text-ink-500">
        Of 255 codes, before it is smoothed. Where a part of the picture is as fine as that, it takes no more
        samples.
      </p>
      <Button look="primary" className="mt-2 w-full" disabled={busy} onClick={() => ask("master")}>
        {busy ? "The master is under way" : "Make the master"}
      </Button>
      {master?.state === "done" && (
        <div className="mt-2 flex items-center justify-between gap-2 text-xs text-ink-500">
          <span>
            {master.samples} samples a pixel
            {master.noise !== null && `, noise ${master.noise.toFixed(1)} codes`}
          </span>
          <Tip text="Goes on with the finished master to four times its samples; what is done is kept">
            <Button onClick={() => finer(master)}>Make it finer</Button>
          </Tip>
        </div>
      )}
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
