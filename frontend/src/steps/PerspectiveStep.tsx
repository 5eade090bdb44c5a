import type { CameraAnswer, Edge, Run } from "../api/client";
import { parseNumber, ranged } from "../geometry/measure";
import { useDraft } from "../state/draft";
import { useEditor } from "../state/editor";
import { Bin, Button, Field, Figure, Heading, Hint } from "../ui/controls";
import { RUN_ORDER, RUNS } from "../ui/runs";
import type { StepProps } from "./props";

export function PerspectiveStep({ shot, document, derived }: StepProps) {
  const { tool, take } = useEditor();
  const byHand = document.camera.kind === "hand";
  return (
    <>
      {!byHand && (
        <>
          <p className="mb-2 text-xs leading-[1.55] text-ink-500">
            Choose a run, then draw along edges of it: press at one end, let go at the other.
          </p>
          <div className="grid grid-cols-3 gap-1.5">
            {RUN_ORDER.map((run) => (
              <RunButton
                key={run}
                run={run}
                count={document.edges.filter((edge) => edge.run === run).length}
                active={tool.kind === "edge" && tool.run === run}
                onClick={() =>
                  take(tool.kind === "edge" && tool.run === run ? { kind: "none" } : { kind: "edge", run })
                }
              />
            ))}
          </div>
          {tool.kind === "edge" && (
            <p className="mt-1.5 text-xs text-ink-700">
              {RUNS[tool.run].name}: {RUNS[tool.run].tells}.
            </p>
          )}
        </>
      )}
      {derived.camera && <Figures camera={derived.camera} byHand={byHand} />}
      <Verdict document={document} derived={derived} shot={shot} />
      <ByHand document={document} derived={derived} shot={shot} />
      {!byHand && document.edges.length > 0 && (
        <EdgeList edges={document.edges} camera={derived.camera} shot={shot} />
      )}
    </>
  );
}

function RunButton({
  run,
  count,
  active,
  onClick,
}: {
  run: Run;
  count: number;
  active: boolean;
  onClick: () => void;
}) {
  const { name, colour, dash } = RUNS[run];
  return (
    <button
      type="button"
      aria-pressed={active}
      onClick={onClick}
      className={`rounded-md border px-2 pt-1.5 pb-1 text-left ${active ? "border-ink-900 bg-white shadow-[inset_0_0_0_1px_var(--color-ink-900)]" : "border-lime-300 bg-white hover:border-lime-500"}`}
    >
      <span className="flex items-baseline justify-between">
        <b className="font-medium">{name}</b>
        <span className="text-xs text-ink-500">{count}</span>
      </span>
      <svg width="100%" height="8" aria-hidden="true">
        <line
          x1="2"
          x2="98%"
          y1="4"
          y2="4"
          stroke={colour}
          strokeWidth="2.4"
          strokeDasharray={dash}
          strokeLinecap="round"
        />
      </svg>
    </button>
  );
}

function Figures({ camera, byHand }: { camera: CameraAnswer; byHand: boolean }) {
  const from = byHand ? "by hand" : "measured";
  return (
    <div className="mt-3">
      <Figure
        name="Focal length"
        {...ranged(camera.focal_35mm, camera.sigma.focal_35mm, " mm")}
        from={from}
      />
      <Figure name="Tilt" {...ranged(camera.tilt_deg, camera.sigma.tilt_deg, "°")} from={from} />
      <Figure name="Roll" {...ranged(camera.roll_deg, camera.sigma.roll_deg, "°")} from={from} />
      {!byHand && (
        <Figure name="Edges lie off" value={`${camera.residual_px.toFixed(2)} px`} from="on average" />
      )}
    </div>
  );
}

function Verdict({ document, derived }: StepProps) {
  const camera = derived.camera;
  if (document.camera.kind === "hand") return null;
  if (!camera) {
    const runs = new Set(document.edges.map((edge) => edge.run)).size;
    if (!document.edges.length)
      return (
        <Hint>Two edges of run A and two of run B give the camera. Long edges, far apart, are best.</Hint>
      );
    const tooFew = derived.camera_reason?.startsWith("too few");
    return (
      <Hint kind={tooFew ? "advice" : "wrong"}>
        {tooFew && runs < 2
          ? "Now edges of another run, square to these."
          : `${derived.camera_reason?.replace(/^no camera: /, "").replace(/^./, (c) => c.toUpperCase())}.`}
      </Hint>
    );
  }
  return (
    <>
      {camera.warnings.map((warning) => (
        <Hint key={warning} kind="wrong">
          {warning}
        </Hint>
      ))}
      {camera.advice.map((advice) => (
        <Hint key={advice}>{advice}</Hint>
      ))}
    </>
  );
}

/** The focal length can be typed where it is known; the rest of the camera too, when nothing can be marked. */
function ByHand({ shot, document, derived }: StepProps) {
  const { change } = useDraft(shot.id);
  const camera = document.camera;
  if (camera.kind === "solved") {
    const known = camera.focal_35mm;
    return (
      <>
        <Heading>What is known</Heading>
        <Field
          label="Focal length (35 mm eq.)"
          value={known ? `${known} mm` : ""}
          parse={(text) => (text.trim() ? parseNumber(text) : 0)}
          min={0}
          placeholder="not known"
          hint="such as 28 mm"
          onValue={(value) =>
            void change({ camera: { kind: "solved", focal_35mm: value || null } }, "known focal length")
          }
        />
        <button
          type="button"
          className="mt-1 text-xs text-verdigris underline underline-offset-2"
          onClick={() => {
            const now = derived.camera;
            const hand = {
              kind: "hand" as const,
              focal_35mm: now?.focal_35mm ?? known ?? 28,
              height_m: now?.camera_position?.[2] ?? 1.6,
              tilt_deg: now?.tilt_deg ?? 0,
              roll_deg: now?.roll_deg ?? 0,
              heading_deg: now?.heading_deg ?? 90,
            };
            void change({ camera: hand }, "camera by hand");
          }}
        >
          Set the camera by hand instead
        </button>
      </>
    );
  }
  const set = (values: Partial<typeof camera>) =>
    void change({ camera: { ...camera, ...values } }, "camera by hand");
  return (
    <>
      <Heading>By hand</Heading>
      <Field
        label="Focal length (35 mm eq.)"
        value={`${camera.focal_35mm.toFixed(1)} mm`}
        parse={parseNumber}
        min={1}
        onValue={(v) => set({ focal_35mm: v })}
      />
      <Field
        label="Height above ground"
        value={`${camera.height_m.toFixed(2)} m`}
        parse={(t) => parseNumber(t.replace(/m$/, ""))}
        min={0.01}
        onValue={(v) => set({ height_m: v })}
      />
      <Field
        label="Tilt (up is +)"
        value={`${camera.tilt_deg.toFixed(1)}°`}
        parse={parseNumber}
        min={-89}
        onValue={(v) => set({ tilt_deg: v })}
      />
      <Field
        label="Roll"
        value={`${camera.roll_deg.toFixed(1)}°`}
        parse={parseNumber}
        min={-180}
        onValue={(v) => set({ roll_deg: v })}
      />
      <Field
        label="Heading from x"
        value={`${camera.heading_deg.toFixed(1)}°`}
        parse={parseNumber}
        min={-360}
        onValue={(v) => set({ heading_deg: v })}
      />
      <Button
        className="mt-2"
        onClick={() => void change({ camera: { kind: "solved", focal_35mm: null } }, "camera from edges")}
      >
        Solve from edges again
      </Button>
    </>
  );
}

function EdgeList({
  edges,
  camera,
  shot,
}: {
  edges: Edge[];
  camera: CameraAnswer | null;
  shot: StepProps["shot"];
}) {
  const { change } = useDraft(shot.id);
  const { selection, select } = useEditor();
  const count: Record<string, number> = {};
  return (
    <>
      <Heading>Edges</Heading>
      <ul>
        {edges.map((edge, index) => {
          const number = (count[edge.run] ?? 0) + 1;
          count[edge.run] = number;
          const run = RUNS[edge.run];
          const off = camera?.lines[index]?.residual_px;
          const chosen = selection?.kind === "edge" && selection.id === edge.id;
          return (
            <li
              key={edge.id}
              className={`flex items-center gap-2 rounded px-1 text-xs ${chosen ? "bg-verdigris-soft" : ""}`}
            >
              <button
                type="button"
                className="flex grow items-center gap-2 py-[3px] text-left"
                onClick={() => select({ kind: "edge", id: edge.id, point: 0 })}
              >
                <span
                  className="w-7 rounded px-1 text-center font-medium text-white"
                  style={{ background: run.colour }}
                >
                  {run.letter}
                  {number}
                </span>
                <span className="grow text-ink-700">{run.name}</span>
                <span className={off !== undefined && off > 3 ? "text-oxide" : "text-ink-500"}>
                  {off === undefined ? "" : `off by ${off.toFixed(1)} px`}
                </span>
              </button>
              <Bin
                label={`Strike out ${run.letter}${number}`}
                onClick={() =>
                  void change(
                    { edges: edges.filter((other) => other.id !== edge.id) },
                    `strike out an edge of ${run.name}`,
                  )
                }
              />
            </li>
          );
        })}
      </ul>
    </>
  );
}
