import type { Placed, Shot } from "../../api/client";
import { type Camera, cameraOf, project } from "../../geometry/camera";
import { metres, parseMetres, parseNumber } from "../../geometry/measure";
import { footOf, rowOf, sizeOf } from "../../geometry/standing";
import { useModel } from "../../live/models";
import type { StepProps } from "../../marks/props";
import { useChange } from "../../state/changes";
import { usePicked } from "../../state/editor";
import { loosened } from "../../state/things";
import { Button, Field, OneOf } from "../../ui/controls";
import { Section } from "../Section";
import type { Setting } from "./setting";

/** Whether the photograph shows where a row ends. */
function endShows(camera: Camera, placed: Placed, document: Shot): boolean {
  const last = rowOf(placed).at(-1);
  const pixel = last && project(camera, footOf(last, document.models).foot);
  const { width, height } = document.photograph ?? { width: 0, height: 0 };
  return !!pixel && pixel[0] > 0 && pixel[1] > 0 && pixel[0] < width && pixel[1] < height;
}

/** Takes the tool that draws the row's line in the picture. */
function DrawnLine({ placed, spacing_m }: { placed: Placed; spacing_m: number }) {
  const { tool, take } = usePicked("tool", "take");
  const inHand = tool?.kind === "row";
  const about = { thing: placed.id, spacing_m: `${spacing_m}` };
  return (
    <Button active={inHand} onClick={() => take(inHand ? null : { kind: "row", about, marks: [] })}>
      Draw its line
    </Button>
  );
}

/** Copies in a row, linked to the thing. */
export function RowSection({ placed, set, shot, document, derived }: Setting & StepProps) {
  const { change } = useChange(shot.id);
  const model = useModel(placed.file);
  const { row } = placed;
  const [w, d] = model ? sizeOf(placed, model) : [0.5, 0.5];
  const usual_m = Math.round((Math.max(w, d) + 0.4) * 20) / 20;
  const begin = (direction_deg: number) => {
    const spacing_m = usual_m;
    const row = { count: 3, spacing_m, direction_deg, spread_deg: 0, seed: 1 };
    const camera = derived.camera && cameraOf(derived.camera);
    const ways = [direction_deg, direction_deg - 180].map((way) => ({ ...row, direction_deg: way }));
    const chosen = (camera && ways.find((one) => endShows(camera, { ...placed, row: one }, document))) ?? row;
    set({ row: chosen }, "row of copies");
  };
  if (!row)
    return (
      <Section name={`row-${placed.id}`} title="Copies in a row" fact="none">
        <div className="flex gap-1.5 py-1">
          <Button onClick={() => begin(0)}>Along run A</Button>
          <Button onClick={() => begin(90)}>Along run B</Button>
          <DrawnLine placed={placed} spacing_m={usual_m} />
        </div>
        <p className="text-xs leading-[1.5] text-ink-500">Copies go along with it in all that is changed.</p>
      </Section>
    );
  const put = (values: Partial<typeof row>, label: string) => set({ row: { ...row, ...values } }, label);
  const along = row.direction_deg % 180 === 0 ? "a" : row.direction_deg % 90 === 0 ? "b" : null;
  return (
    <Section
      name={`row-${placed.id}`}
      title="Copies in a row"
      fact={`${row.count}, ${metres(row.spacing_m)} apart`}
      open
    >
      <Field
        label="In all"
        value={`${row.count}`}
        parse={parseNumber}
        min={2}
        hint="2 to 200"
        onValue={(v) => put({ count: Math.min(Math.round(v), 200) }, "count of the row")}
      />
      <Field
        label="Middle to middle"
        value={metres(row.spacing_m, 3)}
        parse={(text) => parseMetres(text)}
        min={0.001}
        onValue={(spacing_m) => put({ spacing_m }, "spacing of the row")}
      />
      <div className="flex items-center justify-between gap-2 py-1 text-ink-700">
        Along
        <OneOf
          look="joined"
          label="Which way the row goes"
          value={along}
          options={[
            { value: "a", label: "run A" },
            { value: "b", label: "run B" },
          ]}
          onValue={(way) => put({ direction_deg: way === "a" ? 0 : 90 }, "direction of the row")}
        />
      </div>
      <Field
        label="or towards, from x"
        value={`${row.direction_deg.toFixed(1)}°`}
        parse={parseNumber}
        onValue={(direction_deg) => put({ direction_deg }, "direction of the row")}
      />
      <Field
        label="Turned by up to"
        value={`${row.spread_deg.toFixed(0)}°`}
        parse={parseNumber}
        min={0}
        onValue={(v) => put({ spread_deg: Math.min(v, 180) }, "spread of the row")}
      />
      <div className="flex flex-wrap gap-1.5 pt-1">
        {row.spread_deg > 0 && (
          <Button onClick={() => put({ seed: row.seed + 1 }, "another spread")}>Turn them otherwise</Button>
        )}
        <DrawnLine placed={placed} spacing_m={row.spacing_m} />
        <Button onClick={() => void change(loosened(placed), "copies as things of their own")}>
          Make each its own
        </Button>
        <Button look="quiet" onClick={() => set({ row: null }, "no copies")}>
          No copies
        </Button>
      </div>
    </Section>
  );
}
