import type { BlendAnswer } from "../../api/client";
import { isBusy, useBlending, useRenders } from "../../api/hooks";
import type { StepProps } from "../../marks/props";
import { useChange } from "../../state/changes";
import { usePicked } from "../../state/editor";
import { useRenderActions } from "../../state/renders";
import { useMayChange } from "../../state/session";
import { Button, Figure, Hint, Slider } from "../../ui/controls";
import { Section } from "../Section";
import { GradeSection } from "./GradeSection";
import { HazeSection } from "./HazeSection";
import { LensSection } from "./LensSection";
import { ScopeSection } from "./ScopeSection";

/** What makes the render look photographed: measured on the photograph, by hand on top, and the tones. */
export function BlendStep(props: StepProps) {
  const { data, error, isFetching } = useBlending(props.document.photograph?.file);
  return (
    <>
      <SeenInProof {...props} />
      {isFetching && <p className="py-2 text-xs text-ink-500">Measuring the photograph …</p>}
      {error && <Hint kind="wrong">{error.message}</Hint>}
      {data && <AsPhotographed told={data} />}
      {data && <OnTop told={data} {...props} />}
      <LensSection {...props} />
      <HazeSection {...props} />
      <GradeSection {...props} />
      <ScopeSection {...props} />
    </>
  );
}

/** The live view shows none of it: where it is seen. */
function SeenInProof({ shot }: StepProps) {
  const { view, show } = usePicked("view", "show");
  const { data } = useRenders(shot.id);
  const { ask } = useRenderActions(shot.id);
  const mayChange = useMayChange();
  if (!data || view === "proof" || view === "master") return null;
  const proofs = data.renders.filter((render) => render.quality === "proof");
  const proof = proofs.some((render) => render.has_picture);
  if (!proof && !mayChange) return null;
  return (
    <div className="mb-2">
      <Hint>
        Grain, edges and tones show in a proof, and follow there as you change them.
        {!proof && proofs.some(isBusy) ? (
          " One is under way."
        ) : (
          <span className="mt-1.5 block">
            <Button onClick={() => (proof ? show("proof") : ask("proof"))}>
              {proof ? "Look at the proof" : "Make a proof"}
            </Button>
          </span>
        )}
      </Hint>
    </div>
  );
}

const px = (value: number) => `${value.toFixed(2)} px`;
const signed = (value: number) => `${value > 0 ? "+" : "−"}${Math.abs(value).toFixed(1)}`;

/** What the photograph shows of how it was taken. */
function AsPhotographed({ told }: { told: BlendAnswer }) {
  const { grain, across_px, red_px, blue_px, darkest, hangs } = told;
  const fringed = red_px !== 0 || blue_px !== 0;
  return (
    <>
      <Figure
        name="Grain"
        value={grain ? `${((grain[0] + grain[1] + grain[2]) / 3).toFixed(1)} codes` : "not told"}
        from={!grain ? "nothing flat in it" : (hangs ?? 0) > 0.15 ? "clumped, mid grey" : "in mid grey"}
      />
      {grain && <GrainCurve told={told} />}
      <Figure
        name="Edges"
        value={across_px == null ? "not told" : px(across_px)}
        from={across_px == null ? "too few clean ones" : `10 to 90 %, ${told.edges} edges`}
      />
      <Figure
        name="Overshoot"
        value={told.halo === 0 ? "none" : `${(100 * told.halo).toFixed(0)} % of an edge`}
        from={told.halo === 0 ? "that is sure" : "sharpened by the camera"}
      />
      <Figure
        name="Fringes"
        value={fringed ? `red ${signed(red_px)}, blue ${signed(blue_px)} px` : "none"}
        from={fringed ? "in a corner" : "that could be seen"}
      />
      <Figure name="Darkest" value={`${(100 * darkest).toFixed(1)} %`} from="of white, in the photograph" />
    </>
  );
}

const [WIDE, HIGH] = [288, 58];

/** How grainy it is, from black to white. */
function GrainCurve({ told }: { told: BlendAnswer }) {
  const most = Math.max(1, ...told.grain_by.slice(1)) * 1.15;
  const at = (n: number) =>
    [
      ((told.grain_at[n] ?? 0) / 255) * WIDE,
      HIGH - (Math.min(told.grain_by[n] ?? 0, most) / most) * HIGH,
    ] as const;
  const line = told.grain_by
    .map((_, n) =>
      at(n)
        .map((v) => v.toFixed(1))
        .join(" "),
    )
    .join("L");
  return (
    <figure className="pt-1.5 pb-1">
      <svg viewBox={`0 0 ${WIDE} ${HIGH}`} className="w-full rounded-t bg-white" aria-hidden="true">
        <path d={`M0 ${HIGH}L${line}L${WIDE} ${HIGH}Z`} className="fill-verdigris-soft" />
        <path d={`M${line}`} fill="none" strokeWidth="1.5" className="stroke-verdigris" />
        <text x={WIDE - 4} y="11" textAnchor="end" className="fill-ink-500 text-[9px]">
          {most.toFixed(1)} codes of 255
        </text>
      </svg>
      <div className="h-1.5 rounded-b bg-gradient-to-r from-black to-white" />
      <figcaption className="flex justify-between text-[11px] text-ink-500">
        <span>dark</span>
        <span>grain by brightness</span>
        <span>bright</span>
      </figcaption>
    </figure>
  );
}

const times = (v: number) => (v === 1 ? "as measured" : v === 0 ? "none" : `${v.toFixed(2)} ×`);

/** By hand on top of what is measured; a double click goes back to that. */
function OnTop({ shot, document, told }: StepProps & { told: BlendAnswer }) {
  const { change, move, keep } = useChange(shot.id);
  const { blend } = document;
  const { grain, fringes, halos, softness_px, black } = blend;
  const soft = told.softness_px ?? 0;
  const byHand = grain !== 1 || fringes !== 1 || halos !== 1 || softness_px !== null || black !== 0;
  const measured = (field: "grain" | "halos" | "fringes", label: string, says: string) => (
    <Slider
      label={label}
      value={blend[field]}
      min={0}
      max={3}
      step={0.05}
      show={times}
      onMove={(v) => move({ blend: { [field]: v } })}
      onKeep={() => keep(says)}
      onZero={() => void change({ blend: { [field]: 1 } }, `${says}: as measured`)}
    />
  );
  return (
    <Section name="blend-by-hand" title="By hand" fact={byHand ? "changed" : "as measured"}>
      {measured("grain", "Grain", "grain")}
      <Slider
        label="Softness"
        value={softness_px ?? soft}
        min={0}
        max={4}
        step={0.05}
        show={(v) => (softness_px === null ? `as measured · ${px(v)}` : px(v))}
        onMove={(v) => move({ blend: { softness_px: v } })}
        onKeep={() => keep("softness")}
        onZero={() => void change({ blend: { softness_px: null } }, "softness: as measured")}
      />
      {told.halo !== 0 && measured("halos", "Overshoot", "overshoot")}
      {(told.red_px !== 0 || told.blue_px !== 0) && measured("fringes", "Fringes", "colour fringes")}
      <Slider
        label="Stray light in the blacks"
        value={black}
        min={0}
        max={0.1}
        step={0.002}
        show={(v) => (v === 0 ? "none" : `${(100 * v).toFixed(1)} %`)}
        onMove={(v) => move({ blend: { black: v } })}
        onKeep={() => keep("stray light")}
        onZero={() => void change({ blend: { black: 0 } }, "no stray light")}
      />
      <p className="text-xs text-ink-500">
        For what is rendered alone. A double click goes back to what is measured.
      </p>
    </Section>
  );
}
