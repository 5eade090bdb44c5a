import { fileUrl, type Look, pictureUrl, type RenderOut } from "../../api/client";
import { useLook } from "../../api/hooks";
import type { StepProps } from "../../marks/props";
import { useChange } from "../../state/changes";
import { useEditor } from "../../state/editor";
import { Button, Hint } from "../../ui/controls";
import { Section } from "../Section";

type Line = Look["lines"][number];

/** What gives the picture away, most first: pairs to compare, and one click to where it is mended. */
export function LastLook({ shot, document, renders }: StepProps & { renders: RenderOut[] }) {
  const newest = renders.find(
    (render) => render.quality !== "files" && render.has_picture && render.state === "done",
  );
  const { data } = useLook(shot, newest?.id);
  if (!data) return null;
  const open = data.lines.filter(({ aside }) => aside == null);
  const seen = open.filter(({ weight }) => weight >= data.shown);
  const fact = seen.length
    ? `${seen.length} to see`
    : newest && !newest.current
      ? "the picture is older"
      : "nothing stands out";
  return (
    <Section name="last-look" title="Last look" fact={fact} open={seen.length > 0}>
      {newest && !newest.current && <Hint>The picture that is there is older than the shot.</Hint>}
      {!data.lines.length && (
        <p className="text-xs text-ink-500">Nothing differs from what was measured of the photograph.</p>
      )}
      <ol>
        {data.lines.map((line) => (
          <LookRow
            key={line.code + line.says}
            {...{ line, shot, document, newest }}
            seen={line.aside == null && line.weight >= data.shown}
          />
        ))}
      </ol>
    </Section>
  );
}

type RowProps = Pick<StepProps, "shot" | "document"> & {
  line: Line;
  newest: RenderOut | undefined;
  seen: boolean;
};

function LookRow({ line, shot, document, newest, seen }: RowProps) {
  const { change } = useChange(shot.id);
  const id = line.code.replaceAll(" ", "-");
  const photograph = document.photograph;
  return (
    <li className="border-b border-dotted border-lime-300 py-1.5 text-xs">
      <p className={seen ? "text-ink-900" : "text-ink-500"}>
        {line.says}
        {line.aside != null && <span className="block text-ink-500">set aside: {line.aside || "meant"}</span>}
      </p>
      {seen && photograph && newest && line.at && (
        <div className="flex gap-1.5 py-1">
          <Crop src={pictureUrl(newest)} at={line.at} of={photograph} alt="on the model" />
          {line.beside && (
            <Crop src={fileUrl(photograph.file)} at={line.beside} of={photograph} alt="beside it" />
          )}
        </div>
      )}
      <div className="flex gap-1 pt-0.5">
        {line.aside == null && (
          <Button look={seen ? "plain" : "quiet"} onClick={() => useEditor.getState().open(line.step)}>
            Mend it in {STEPS[line.step]}
          </Button>
        )}
        <Button
          look="quiet"
          onClick={() =>
            void (line.aside == null
              ? change({ set_aside: { [id]: { id, word: "meant" } } }, `set aside: ${line.code}`)
              : change({ set_aside: { [id]: null } }, `looked at again: ${line.code}`))
          }
        >
          {line.aside == null ? "It is meant" : "Look at it again"}
        </Button>
      </div>
    </li>
  );
}

const STEPS: Record<Line["step"], string> = {
  perspective: "Perspective",
  place: "Place",
  light: "Light",
  contact: "Contact",
  blend: "Blend",
  deliver: "Deliver",
};

const [WIDE, HIGH, SHARE] = [132, 84, 0.09];

/** A part of a picture about a pixel of the photograph, as large as it is looked at. */
function Crop({
  src,
  at,
  of,
  alt,
}: {
  src: string;
  at: readonly [number, number];
  of: { width: number; height: number };
  alt: string;
}) {
  const scale = WIDE / (of.width * SHARE);
  return (
    <div
      role="img"
      aria-label={alt}
      className="rounded border border-lime-300"
      style={{
        width: WIDE,
        height: HIGH,
        backgroundImage: `url(${src})`,
        backgroundSize: `${of.width * scale}px ${of.height * scale}px`,
        backgroundPosition: `${WIDE / 2 - at[0] * scale}px ${HIGH / 2 - at[1] * scale}px`,
      }}
    />
  );
}
