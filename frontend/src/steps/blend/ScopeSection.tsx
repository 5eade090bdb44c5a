import { useEffect, useRef, useState } from "react";
import type { Scope } from "../../api/client";
import { useRenders, useScope } from "../../api/hooks";
import type { StepProps } from "../../marks/props";
import { WhitesPanel } from "../../marks/whites/Panel";
import { Heading, OneOf } from "../../ui/controls";
import { Section } from "../Section";

const WAYS = [
  { value: "histogram", label: "Histogram" },
  { value: "waveform", label: "Waveform" },
  { value: "parade", label: "Parade" },
] as const;
type Way = (typeof WAYS)[number]["value"];
type Tally = NonNullable<Scope["rendered"]>;

const LIGHTS = ["#d9534a", "#4ba35a", "#4a7fd0"] as const;
const [WIDE, HIGH] = [134, 96];

/** The tones of what was placed beside those around it, of the newest picture; and whether white is as white. */
export function ScopeSection(props: StepProps) {
  const { data } = useRenders(props.shot.id);
  const newest = data?.renders.find(
    ({ state, part, quality }) => state === "done" && !part && quality !== "files",
  );
  const { data: scope } = useScope(newest?.id);
  const [way, setWay] = useState<Way>("histogram");
  return (
    <Section
      name="scope"
      title="Tones side by side"
      fact={newest && !newest.current ? "of an earlier state" : ""}
    >
      {!scope?.rendered || !scope.around ? (
        <p className="text-xs text-ink-500">
          Make a proof: then the tones of what you placed are drawn beside those around it.
        </p>
      ) : (
        <>
          <OneOf look="joined" label="Drawn as" value={way} options={WAYS} onValue={setWay} />
          <div className="grid grid-cols-2 gap-2 pt-2">
            <Drawn title="What you placed" tally={scope.rendered} way={way} />
            <Drawn title="Around it" tally={scope.around} way={way} />
          </div>
          <p className="pt-1 text-[11px] text-ink-500">
            {way === "histogram" ? "Black at the left, white at the right." : "Black below, white above."}
          </p>
        </>
      )}
      <Heading>White as white</Heading>
      <WhitesPanel {...props} />
    </Section>
  );
}

function Drawn({ title, tally, way }: { title: string; tally: Tally; way: Way }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const pen = canvas.current?.getContext("2d");
    if (!pen) return;
    pen.globalCompositeOperation = "source-over";
    pen.globalAlpha = 1;
    pen.fillStyle = "#1b1e22";
    pen.fillRect(0, 0, WIDE, HIGH);
    pen.globalCompositeOperation = "lighter"; // where channels meet, it is white
    if (way === "histogram") histogram(pen, tally);
    else waveform(pen, tally, way === "parade");
  }, [tally, way]);
  const darkest = Math.round(Math.min(...tally.low));
  const brightest = Math.round(Math.max(...tally.high));
  return (
    <figure>
      <canvas
        ref={canvas}
        width={WIDE}
        height={HIGH}
        className="w-full rounded"
        role="img"
        aria-label={`Tones: ${title}`}
      />
      <figcaption className="text-xs text-ink-700">
        {title}
        <span className="block text-[11px] text-ink-500">
          {darkest} to {brightest} of 255
        </span>
      </figcaption>
    </figure>
  );
}

function histogram(pen: CanvasRenderingContext2D, { histogram }: Tally) {
  const most = Math.max(...histogram.flat());
  histogram.forEach((channel, n) => {
    pen.fillStyle = LIGHTS[n] ?? "#fff";
    channel.forEach((share, level) => {
      // By its root, so that what is rare is seen too.
      const high = Math.sqrt(share / most) * (HIGH - 4);
      pen.fillRect((level / channel.length) * WIDE, HIGH - high, WIDE / channel.length + 0.3, high);
    });
  });
}

function waveform(pen: CanvasRenderingContext2D, { waveform }: Tally, apart: boolean) {
  waveform.forEach((columns, n) => {
    const [left, wide] = apart ? [(n * WIDE) / 3, WIDE / 3 - 2] : [0, WIDE];
    pen.fillStyle = LIGHTS[n] ?? "#fff";
    columns.forEach((levels, column) => {
      levels.forEach((share, level) => {
        if (share === 0) return;
        pen.globalAlpha = Math.min(1, 0.25 + 2.5 * share);
        const [x, y] = [left + (column / columns.length) * wide, HIGH * (1 - (level + 1) / levels.length)];
        pen.fillRect(x, y, wide / columns.length + 0.3, HIGH / levels.length);
      });
    });
  });
}
