import type { Lamp } from "../../api/client";
import { useProject } from "../../api/hooks";
import { hexOf } from "../../geometry/colour";
import { metres, parseMetres, parseMillimetres, parseNumber } from "../../geometry/measure";
import { useChange } from "../../state/changes";
import { toggleTool, usePicked } from "../../state/editor";
import { useGraphics } from "../../state/graphics";
import { Button, Field, Hint, OneOf, Pill, Slider, Statement, TextField } from "../../ui/controls";
import { FileButton, PHOTOMETRY } from "../../ui/FileButton";
import { LightRow } from "../../ui/LightRow";
import { InPanorama } from "../InPanorama";
import type { StepProps } from "../props";
import { KINDS_OF_LAMP, outputOf } from "./words";

/** Lamps in the photograph and lamps that are added, with what they give. */
export function Lamps(props: StepProps) {
  const { tool } = usePicked("tool");
  const { lamps } = props.document;
  const inHand = (sort?: string) => tool?.kind === "lamp" && tool.sort === sort;
  return (
    <>
      {!lamps.length && (
        <p className="mb-1 text-xs leading-[1.55] text-ink-500">
          Mark a lamp that shines in the photograph, or hang a new one: it lights the place as well.
        </p>
      )}
      {lamps.map((lamp) => (
        <Row key={lamp.id} lamp={lamp} {...props} />
      ))}
      {lamps.some(({ photographed }) => photographed) && <InPanorama {...props} />}
      <div className="mt-1 flex flex-wrap gap-1.5">
        <Button active={inHand()} onClick={() => toggleTool("lamp")}>
          Mark a lamp
        </Button>
        <Button active={inHand("new")} onClick={() => toggleTool("lamp", "new")}>
          Hang a new one
        </Button>
      </div>
    </>
  );
}

function Row({ lamp, shot, derived }: StepProps & { lamp: Lamp }) {
  const { change } = useChange(shot.id);
  const { selection, select } = usePicked("selection", "select");
  const open = selection?.kind === "lamp" && selection.id === lamp.id;
  const answer = derived.lamps.find(({ id }) => id === lamp.id);
  const put = (values: Partial<Lamp>, label: string) => void change({ lamps: { [lamp.id]: values } }, label);
  const top = Math.max(...(answer?.white ?? [1]), 1e-6);
  return (
    <LightRow
      name={lamp.name}
      hidden={lamp.hidden}
      open={open}
      swatch={hexOf(answer?.white?.map((v) => v / top))}
      fact={outputOf(lamp)}
      words={["Light", "Put out"]}
      onOpen={(on) => select(on ? { kind: "lamp", id: lamp.id } : null)}
      onHide={(hidden) => put({ hidden }, hidden ? "put a lamp out" : "light a lamp")}
      onRemove={() => void change({ lamps: { [lamp.id]: null } }, "remove a lamp")}
    >
      {answer?.reason && <Hint kind="wrong">It lights nothing: {answer.reason}.</Hint>}
      {open && (
        <Fields lamp={lamp} shot={shot} height={answer?.position_m?.[2]} at={answer?.position_m} put={put} />
      )}
    </LightRow>
  );
}

type FieldsProps = {
  lamp: Lamp;
  shot: StepProps["shot"];
  height: number | undefined;
  at: readonly number[] | null | undefined;
  put: (values: Partial<Lamp>, label: string) => void;
};

function Fields({ lamp, shot, height, at, put }: FieldsProps) {
  const { move, keep } = useChange(shot.id);
  const { name } = lamp;
  const [width, depth] =
    lamp.kind === "panel" ? ["Wide", "Deep"] : [lamp.kind === "spot" ? "Opening" : "Across", ""];
  const aimed = lamp.kind !== "ball";
  return (
    <div className="pt-1">
      <TextField label="Name" value={name} onValue={(value) => put({ name: value }, "name of a lamp")} />
      <Statement
        holds={lamp.photographed}
        onChange={(photographed) => put({ photographed }, photographed ? "in the photograph" : "a new lamp")}
      >
        its light is in the photograph
      </Statement>
      <Field
        label="Hangs at"
        value={height === undefined ? "" : metres(height)}
        parse={(text) => parseMetres(text)}
        onValue={(z) =>
          at && put({ position_m: [at[0] ?? 0, at[1] ?? 0, z], at: null, foot: null }, `height of ${name}`)
        }
      />
      <div className="py-1">
        <OneOf
          label={`What kind of lamp ${name} is`}
          value={lamp.kind}
          options={KINDS_OF_LAMP.filter(({ value }) => value !== "measured" || lamp.file)}
          onValue={(kind) => put({ kind, output: lamp.output ?? 800 }, `kind of ${name}`)}
        />
      </div>
      <Photometry lamp={lamp} projectId={shot.project_id} put={put} />
      <Field
        label={width ?? ""}
        value={`${lamp.size_mm.toFixed(0)} mm`}
        parse={parseMillimetres}
        min={0.001}
        onValue={(v) => put({ size_mm: v * 1000 }, `size of ${name}`)}
      />
      {depth && (
        <Field
          label={depth}
          value={`${lamp.deep_mm.toFixed(0)} mm`}
          parse={parseMillimetres}
          min={0.001}
          onValue={(v) => put({ deep_mm: v * 1000 }, `size of ${name}`)}
        />
      )}
      {lamp.kind === "spot" && (
        <Slider
          label="Beam"
          value={lamp.beam_deg}
          min={4}
          max={120}
          step={1}
          show={(v) => `${v.toFixed(0)}°`}
          onMove={(beam_deg) => move({ lamps: { [lamp.id]: { beam_deg } } })}
          onKeep={() => keep(`beam of ${name}`)}
        />
      )}
      {aimed && (
        <>
          <Slider
            label="Looks down"
            value={lamp.tilt_deg}
            min={-90}
            max={90}
            step={1}
            show={(v) => (v === 90 ? "straight" : `${v.toFixed(0)}°`)}
            onMove={(tilt_deg) => move({ lamps: { [lamp.id]: { tilt_deg } } })}
            onKeep={() => keep(`aim of ${name}`)}
          />
          <Slider
            label="Turned"
            value={lamp.azimuth_deg}
            min={-180}
            max={180}
            step={1}
            show={(v) => `${v.toFixed(0)}°`}
            onMove={(azimuth_deg) => move({ lamps: { [lamp.id]: { azimuth_deg } } })}
            onKeep={() => keep(`aim of ${name}`)}
          />
        </>
      )}
      <Field
        label={lamp.output_in === "lm" ? "Gives, in lm" : "Gives, in cd/m²"}
        value={lamp.output === null ? "" : lamp.output.toFixed(0)}
        placeholder="as its file says"
        parse={parseNumber}
        min={0}
        onValue={(output) => put({ output }, `output of ${name}`)}
        onClear={lamp.kind === "measured" ? () => put({ output: null }, `output of ${name}`) : undefined}
      />
      <OneOf
        label={`What the output of ${name} is told in`}
        value={lamp.output_in}
        options={[
          { value: "lm", label: "lumen" },
          { value: "cd/m2", label: "cd/m²" },
        ]}
        onValue={(unit) => put({ output_in: unit, output: unit === "lm" ? 800 : 10000 }, `output of ${name}`)}
      />
      <Slider
        label="Colour"
        value={lamp.temperature_k}
        min={1800}
        max={8000}
        step={50}
        show={(v) => `${v.toFixed(0)} K`}
        onMove={(temperature_k) => move({ lamps: { [lamp.id]: { temperature_k } } })}
        onKeep={() => keep(`colour of ${name}`)}
      />
      <Slider
        label="Strength by hand"
        value={lamp.strength}
        min={0}
        max={4}
        step={0.05}
        show={(v) => `${v.toFixed(2)} ×`}
        onMove={(strength) => move({ lamps: { [lamp.id]: { strength } } })}
        onKeep={() => keep(`strength of ${name}`)}
      />
      {lamp.photographed && (
        <Statement
          holds={lamp.held}
          onChange={(held) => put({ held }, held ? "trust a lamp" : "measure a lamp")}
        >
          gives exactly what is stated
        </Statement>
      )}
    </div>
  );
}

type PhotometryProps = { lamp: Lamp; projectId: string; put: FieldsProps["put"] };

/** Files of photometry to choose from, and the way to bring one. */
function Photometry({ lamp, projectId, put }: PhotometryProps) {
  const { data: project } = useProject(projectId);
  const { bring } = useGraphics(projectId);
  const files = (project?.files ?? []).filter(({ kind }) => kind === "photometry");
  const use = (sha256: string) =>
    put(
      { kind: "measured", file: `sha256:${sha256}`, photometry: null, output: null },
      `photometry of ${lamp.name}`,
    );
  return (
    <div className="flex flex-wrap items-center gap-1.5 py-1">
      {files.map((file) => (
        <Pill
          key={file.sha256}
          on={lamp.kind === "measured" && lamp.file === `sha256:${file.sha256}`}
          onClick={() => use(file.sha256)}
        >
          {file.name}
        </Pill>
      ))}
      <FileButton accept={PHOTOMETRY} onFiles={(uploads) => void bring(uploads, (file) => use(file.sha256))}>
        Bring its photometry (.ies)
      </FileButton>
    </div>
  );
}
