import { downloadUrl, madeUrl, type RenderOut } from "../../api/client";
import { isBusy, usePlan } from "../../api/hooks";
import { parseNumber } from "../../geometry/measure";
import type { StepProps } from "../../marks/props";
import { useOptionActions } from "../../options/actions";
import { useChange } from "../../state/changes";
import { useRenderActions } from "../../state/renders";
import { Button, Field, Figure, Heading, Hint, Tip } from "../../ui/controls";
import { KindSections, Section } from "../Section";
import { Files } from "./Files";
import { LastLook } from "./LastLook";
import { TakeFiles } from "./TakeFiles";
import { isOfTake, megabytes, nameOf } from "./words";

export function DeliverStep(props: StepProps & { renders: RenderOut[] }) {
  const { shot, document, renders } = props;
  const { ask, finer, files } = useRenderActions(shot.id);
  const { renderAll } = useOptionActions(shot);
  const deliverables = document.deliverables.filter(({ kind }) => !isOfTake(kind));
  const master = renders.find((render) => render.quality === "master");
  const made = renders.filter(
    ({ quality, files }) => (quality === "files" || quality === "film") && files.length > 0,
  );
  const busy = renders.some(
    (render) => (render.quality === "master" || render.quality === "files") && isBusy(render),
  );
  const wanted = deliverables.filter(({ hidden }) => !hidden).length;
  const upToDate = master?.state === "done" && master.current;
  return (
    <>
      {document.take && <TakeFiles {...props} />}
      <LastLook {...props} />
      <MasterSize {...props} />
      <Section
        name="files"
        title="Files"
        fact={wanted ? `${wanted} with the master` : "the master’s PNG"}
        open
      >
        <Files {...props} made={made.length} />
      </Section>
      <Button look="primary" className="mt-3 w-full" disabled={busy} onClick={() => ask("master")}>
        {busy
          ? "Under way"
          : wanted
            ? `Make the master and ${wanted} file${wanted > 1 ? "s" : ""}`
            : "Make the master"}
      </Button>
      {shot.options.length > 0 && (
        <Button className="mt-1.5 w-full" disabled={busy} onClick={() => void renderAll("master")}>
          … and of all {shot.options.length} options
        </Button>
      )}
      <Reckoned {...{ shot, made: made.length, wanted }} />
      {master?.state === "done" && (
        <div className="mt-2 flex flex-wrap items-center justify-end gap-1.5 text-xs text-ink-500">
          <span className="mr-auto">
            {master.samples} samples a pixel
            {master.noise !== null && `, noise ${master.noise.toFixed(1)} codes`}
          </span>
          {wanted > 0 && (
            <Tip
              text={
                upToDate
                  ? "From the finished master, as the list says now"
                  : "From the finished master as it is: the shot has changed since"
              }
            >
              <Button disabled={busy} onClick={() => files(master)}>
                Make the files alone
              </Button>
            </Tip>
          )}
          <Tip text="Goes on with the finished master to four times its samples; what is done is kept">
            <Button disabled={busy} onClick={() => finer(master)}>
              Make it finer
            </Button>
          </Tip>
        </div>
      )}
      <KindSections step="deliver" {...{ shot, document, derived: props.derived }} />
      <Ready renders={renders} made={made} />
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

/** How long it will take, and how much room the files need. */
function Reckoned({ shot, made, wanted }: Pick<StepProps, "shot"> & { made: number; wanted: number }) {
  const { data } = usePlan(shot, made);
  if (!data) return null;
  const seconds = data.master_seconds;
  const long =
    seconds === null
      ? "How long it takes is told by a proof."
      : `About ${seconds > 100 ? `${Math.round(seconds / 60)} min` : `${Math.max(Math.round(seconds), 1)} s`}, by the last proof.`;
  const room = data.needs_bytes
    ? ` Files of about ${megabytes(data.needs_bytes)}; ${(data.free_bytes / 1e9).toFixed(0)} GB are free.`
    : "";
  return (
    <p className="pt-1.5 text-xs text-ink-500">
      {long}
      {wanted > 0 && room}
    </p>
  );
}

/** How large and how fine the master is. */
function MasterSize({ shot, document }: StepProps) {
  const { change } = useChange(shot.id);
  const { output, photograph, frame } = document;
  const shown = frame ?? photograph;
  const size =
    shown && `${Math.round(shown.width * output.scale)} × ${Math.round(shown.height * output.scale)}`;
  return (
    <>
      <Figure name="Master" value={size ?? ""} from="delivery size" />
      <Section
        name="master-size"
        title="Size and fineness"
        fact={`${(output.scale * 100).toFixed(0)} %, up to ${output.samples} samples`}
      >
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
          Of 255 codes, before it is smoothed. Where a part of the picture is as fine as that, it takes no
          more samples.
        </p>
      </Section>
    </>
  );
}

const LINK = "rounded-md border border-lime-300 bg-white px-2.5 py-1 text-[13px] hover:border-lime-500";

const PICTURES: Record<string, string> = { master: "Master", proof: "Proof" };

/** What can be fetched: the files that were made, masters, proofs. */
function Ready({ renders, made }: { renders: RenderOut[]; made: RenderOut[] }) {
  const pictures = renders
    .filter((render) => render.has_picture && render.state === "done" && render.quality in PICTURES)
    .slice(0, 5);
  return (
    <>
      <Heading>Ready to hand over</Heading>
      {!pictures.length && !made.length && (
        <Hint>Nothing yet. A proof shows soon whether all is right; the master is for the client.</Hint>
      )}
      <ul>
        {made.slice(0, 2).flatMap((render) =>
          render.files.map((file) => (
            <li
              key={`${render.id}${file.name}`}
              className="flex items-center justify-between gap-2 py-1 text-xs"
            >
              <span className="min-w-0">
                {nameOf(file.kind)}, {file.width} × {file.height}, {megabytes(file.size_bytes)}
                <span className="block truncate text-ink-500" title={file.name}>
                  {file.name}
                </span>
              </span>
              <a className={LINK} href={madeUrl(render, file)} download aria-label={`Download ${file.name}`}>
                Download
              </a>
            </li>
          )),
        )}
        {pictures.map((render) => (
          <li key={render.id} className="flex items-center justify-between py-1 text-xs">
            <span>
              {PICTURES[render.quality]} of revision {render.revision}
              <span className="block text-ink-500">{render.samples} samples a pixel</span>
            </span>
            <a className={LINK} href={downloadUrl(render)} download>
              Download PNG
            </a>
          </li>
        ))}
      </ul>
    </>
  );
}
