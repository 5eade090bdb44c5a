import { useState } from "react";
import { usePicked } from "../../state/editor";
import { Button, OneOf } from "../../ui/controls";

const FACINGS = [
  { value: "level", label: "lies level" },
  { value: "along run A", label: "wall along A" },
  { value: "along run B", label: "wall along B" },
  { value: "towards the camera", label: "stands, facing me" },
] as const;
const LIGHTS = [
  { value: "judged", label: "judge it" },
  { value: "sun", label: "in the sun" },
  { value: "shade", label: "in shade" },
  { value: "beside", label: "as the ground beside it" },
  { value: "like", label: "as stuff beside it that is elsewhere too" },
] as const;

type Props = { shotId: string; thing: string; name: string };

/** A colour taken from the photograph: what a patch throws back of the light that falls on it. */
export function FromPhotograph({ thing, name }: Props) {
  const { tool, take } = usePicked("tool", "take");
  const [facing, setFacing] = useState<string>("level");
  const [light, setLight] = useState<string>("judged");
  const about = { thing, name, facing, light };
  const inHand = tool?.kind === "colour" && tool.about?.name === name && tool.about.thing === thing;
  const pick = (told: typeof about) => take({ kind: "colour", sort: told.light, about: told, marks: [] });
  const again = (values: Partial<typeof about>) => inHand && pick({ ...about, ...values });
  return (
    <div className="py-1">
      <Button active={inHand} onClick={() => (inHand ? take(null) : pick(about))}>
        Take it from the photograph
      </Button>
      {inHand && (
        <div className="mt-1.5 rounded-md bg-lime-100 p-2 text-xs text-ink-700">
          <p className="mb-1">How it stands there</p>
          <OneOf
            label="How it stands there"
            value={facing}
            options={FACINGS}
            onValue={(value) => {
              setFacing(value);
              again({ facing: value });
            }}
          />
          <p className="mt-2 mb-1">What light it lies in</p>
          <OneOf
            label="What light it lies in"
            value={light}
            options={LIGHTS}
            onValue={(value) => {
              setLight(value);
              again({ light: value });
            }}
          />
        </div>
      )}
    </div>
  );
}
