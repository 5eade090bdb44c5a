import { useState } from "react";
import type { Deliverable, Plan } from "../../api/client";
import { parseMillimetres, parseNumber } from "../../geometry/measure";
import { Bin, Button, Field, OneOf, Slider, Statement, Toggle } from "../../ui/controls";
import { inLayers, KINDS, nameOf } from "./words";

type Props = {
  file: Deliverable;
  planned: Plan["files"][number] | undefined;
  /** The photograph's longer side [px]. */
  longest: number;
  onChange: (values: Partial<Deliverable>, label: string) => void;
  onMove: (values: Partial<Deliverable>) => void;
  onKeep: (label: string) => void;
  onStrike: () => void;
  onScale: (scale: number) => void;
};

/** A file to be made: folded its format and size, unfolded what can be chosen. */
export function FileRow({ file, planned, longest, onChange, onMove, onKeep, onStrike, onScale }: Props) {
  const [open, setOpen] = useState(false);
  const name = nameOf(file.kind);
  const size = planned && !planned.problem ? `${planned.width} × ${planned.height}` : "";
  return (
    <li className="border-b border-dotted border-lime-300 py-1">
      <div className="flex items-center gap-1.5">
        <button
          type="button"
          aria-expanded={open}
          onClick={() => setOpen(!open)}
          className={`grid grow grid-cols-[104px_1fr] rounded px-1 py-0.5 text-left hover:bg-lime-100 ${file.hidden ? "text-ink-500 line-through" : ""}`}
        >
          <b className="font-medium">{name}</b>
          <span className="text-xs leading-5 text-ink-500">{size}</span>
        </button>
        <Toggle
          sign="eye"
          on={!file.hidden}
          label={file.hidden ? `Make ${name} too` : `Leave ${name} out`}
          onClick={() =>
            onChange({ hidden: !file.hidden }, file.hidden ? `${name}: made` : `${name}: left out`)
          }
        />
        <Bin label={`Strike out ${name}`} onClick={onStrike} />
      </div>
      {planned?.problem && <p className="px-1 text-xs text-oxide">It {planned.problem}.</p>}
      {planned?.needs_scale && (
        <div className="flex items-center justify-between gap-2 px-1 pb-1 text-xs text-oxide">
          <span>Larger than the master.</span>
          <Button onClick={() => onScale(planned.needs_scale ?? 1)}>
            Make the master at {Math.ceil(planned.needs_scale * 100)} %
          </Button>
        </div>
      )}
      {open && (
        <div className="px-1 pt-1 pb-2">
          <OneOf
            label="Format"
            value={file.kind}
            options={KINDS}
            onValue={(kind) =>
              onChange(
                inLayers(kind)
                  ? { kind, longest_px: null, width_mm: null, bleed_mm: 0, colours: "photograph" }
                  : { kind },
                `a file as ${nameOf(kind)}`,
              )
            }
          />
          {inLayers(file.kind) ? (
            <p className="pt-1.5 text-xs leading-[1.5] text-ink-500">{LAYERS[file.kind]}</p>
          ) : (
            <Flat {...{ file, longest, onChange, onMove, onKeep }} />
          )}
        </div>
      )}
    </li>
  );
}

const LAYERS: Record<string, string> = {
  ora: "Photograph, shadow, light added, model, what stands in front and grain, each a layer with its blend mode; they compose to the picture.",
  "layered tiff":
    "The finished picture as the first page, then the layers, each a page of 16 bits with its name and mode.",
  page: "One HTML file that opens from anywhere: picture and photograph with a seam, the other files, a place for remarks and for yes or no. Drop the client’s reply onto this page.",
  "page folder":
    "The same page in a zip, its pictures as files. Unpack it where the other files lie, so that its links find them.",
  glb: "The matched camera, the dressed models, ground and what stands there with the photograph on it, and the sun, in metres, for other programs.",
  usda: "The matched camera with its shifted axis, models, ground and what stands there in their mean colours, and the sun, in metres, z up.",
  camera:
    "The matched camera as plain figures (JSON): focal length, principal point, rotation, position, lens.",
  exr: "Linear light in parts: picture, photograph, shadow, light added, model, front, grain, albedo, depth, normals, position, and Cryptomatte of things and materials.",
};

const COLOURS = [
  { value: "photograph", label: "as the photograph" },
  { value: "sRGB", label: "sRGB" },
  { value: "Display P3", label: "Display P3" },
] as const;

function Flat({
  file,
  longest,
  onChange,
  onMove,
  onKeep,
}: Pick<Props, "file" | "longest" | "onChange" | "onMove" | "onKeep">) {
  const sized = file.width_mm !== null ? "print" : file.longest_px !== null ? "pixels" : "master";
  return (
    <>
      <div className="pt-2">
        <OneOf
          look="joined"
          label="Size"
          value={sized}
          options={[
            { value: "master", label: "master’s" },
            { value: "pixels", label: "pixels" },
            { value: "print", label: "print" },
          ]}
          onValue={(by) =>
            onChange(
              {
                longest_px: by === "pixels" ? Math.min(1600, longest) : null,
                width_mm: by === "print" ? 160 : null,
                ...(by !== "print" && { bleed_mm: 0 }),
              },
              "size of a file",
            )
          }
        />
      </div>
      {file.longest_px !== null && (
        <Field
          label="Longer side"
          value={`${file.longest_px} px`}
          parse={parseNumber}
          min={16}
          onValue={(v) => onChange({ longest_px: Math.round(v) }, "longer side")}
        />
      )}
      {file.width_mm !== null && (
        <>
          <Field
            label="Printed width"
            value={`${file.width_mm} mm`}
            parse={parseMillimetres}
            min={0.002}
            onValue={(v) => onChange({ width_mm: v * 1000 }, "printed width")}
          />
          <Field
            label="Dots an inch"
            value={`${file.dpi} dpi`}
            parse={parseNumber}
            min={10}
            onValue={(v) => onChange({ dpi: v }, "dots an inch")}
          />
          <Field
            label="Bleed, mirrored"
            value={`${file.bleed_mm} mm`}
            parse={parseMillimetres}
            min={0}
            onValue={(v) => onChange({ bleed_mm: Math.min(v * 1000, 50) }, "bleed")}
          />
        </>
      )}
      {["jpeg", "webp", "avif"].includes(file.kind) && (
        <Slider
          label="Quality"
          value={file.quality}
          min={40}
          max={100}
          step={1}
          show={(v) => `${v}`}
          onMove={(quality) => onMove({ quality })}
          onKeep={() => onKeep("quality of a file")}
        />
      )}
      <p className="pt-1.5 pb-1 text-xs text-ink-700">Colours</p>
      <OneOf
        label="Colours"
        value={file.colours}
        options={COLOURS}
        onValue={(colours) => onChange({ colours }, "colours of a file")}
      />
      <div className="pt-1.5">
        <Statement holds={file.notes} onChange={(notes) => onChange({ notes }, "notes of the camera")}>
          Carries what the camera wrote: date, place, lens
        </Statement>
      </div>
    </>
  );
}
