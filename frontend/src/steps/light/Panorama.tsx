import { asked, client, type GroundTurn } from "../../api/client";
import { metres, parseMetres } from "../../geometry/measure";
import type { StepProps } from "../../marks/props";
import { useChange } from "../../state/changes";
import { toggleTool, useEditor, usePicked } from "../../state/editor";
import { shortest } from "../../state/light";
import { say } from "../../state/notices";
import { Button, Field, Figure, Hint, Slider, Statement } from "../../ui/controls";
import { Section } from "../Section";

const signed = (v: number, unit: string) =>
  `${v > 0 ? "+" : v < 0 ? "−" : ""}${Math.abs(v).toFixed(2)}${unit}`;

/** How the panorama lies and how its light is graded. */
export function PanoramaSettings({ shot, document, derived }: StepProps) {
  const { move, keep, change } = useChange(shot.id);
  const { around, tool } = usePicked("around", "tool");
  const { panorama, pointings } = document;
  const measured = derived.sun?.azimuth_deg;
  const lies = derived.around;
  if (!panorama || !lies) return null;
  const bright = panorama.dome;
  const show = (on: boolean) => {
    if (on) useEditor.setState({ around: true, view: "photo" });
    else useEditor.setState({ around: false, tool: null });
  };
  const { turn_deg, pitch_deg, roll_deg } = lies;
  const angles = { turn_deg, pitch_deg, roll_deg };
  const layOnGround = async () => {
    try {
      const told = await asked<GroundTurn>(
        client.POST("/api/v1/shots/{shot_id}/around/turn", { params: { path: { shot_id: shot.id } } }),
      );
      if (told.turn_deg === null) return say(told.reason ?? "", "wrong");
      await change(
        { panorama: { ...angles, turn_deg: told.turn_deg }, pointings: [] },
        "panorama turned as the ground lies",
      );
    } catch (error) {
      say((error as Error).message, "wrong");
    }
  };
  return (
    <>
      <Slider
        label="Turned"
        value={shortest(lies.turn_deg)}
        min={-180}
        max={180}
        step={0.5}
        show={(v) => `${v.toFixed(1)}°`}
        onMove={(turn_deg) => move({ panorama: { turn_deg }, ...(pointings.length && { pointings: [] }) })}
        onKeep={() => keep("turn of the panorama")}
      />
      <div className="flex flex-wrap gap-1.5 py-1">
        <Button active={around} onClick={() => show(!around)}>
          {around ? "Hide the panorama" : "Lay it over the photograph"}
        </Button>
        {around && (
          <Button active={tool?.kind === "pointing"} onClick={() => toggleTool("pointing")}>
            Point at a thing
          </Button>
        )}
        {lies.lens_at_m && <Button onClick={() => void layOnGround()}>Turn it as the ground lies</Button>}
        {measured !== undefined && bright && (
          <Button
            onClick={() =>
              void change(
                { panorama: { turn_deg: shortest(measured - bright.azimuth_deg) }, pointings: [] },
                "panorama turned to the sun",
              )
            }
          >
            Turn its brightest place to the measured sun
          </Button>
        )}
      </div>
      {around && pointings.length === 0 && (
        <Hint>
          {lies.lens_at_m ? (
            <>
              Its ground lies on the photograph’s, as seen from where things stand; what stands about fits at
              its foot. Take <i>Point at a thing</i> and pull something on its ground to where the photograph
              shows it.
            </>
          ) : (
            <>
              Turn it roughly, take <i>Point at a thing</i>, press on something in the panorama and pull it to
              where the photograph shows it. One turns it; a second, far from the first, levels it.
            </>
          )}
        </Hint>
      )}
      {pointings.length > 0 && (
        <div className="flex items-center justify-between gap-2">
          <span className="text-xs text-ink-500">
            {pointings.length === 1 ? "one thing pointed at" : `${pointings.length} things pointed at`}
            {lies.off_deg !== null && `, ${lies.off_deg.toFixed(2)}° apart`}
          </span>
          <Button
            onClick={() => {
              void change({ panorama: angles, pointings: [] }, "pointings let go");
            }}
          >
            Let them go
          </Button>
        </div>
      )}
      {(lies.pitch_deg !== 0 || lies.roll_deg !== 0) && (
        <>
          <Figure
            name="Tilted"
            value={`${lies.pitch_deg.toFixed(1)}°, ${lies.roll_deg.toFixed(1)}°`}
            from={pointings.length > 1 ? "pointed at" : "set before"}
          />
          {pointings.length < 2 && (
            <Button
              onClick={() => void change({ panorama: { pitch_deg: 0, roll_deg: 0 } }, "panorama level again")}
            >
              Level again
            </Button>
          )}
        </>
      )}
      <Section name="panorama" title="Its light" fact={panorama.disc ? "with a new sun" : "as it is"}>
        <Statement
          holds={panorama.disc}
          onChange={(disc) =>
            void change({ panorama: { disc } }, disc ? "a new sun" : "the panorama’s own sun")
          }
        >
          A new sun in place of its own, as strong as the photograph asks for
        </Statement>
        {lies.sun_off_deg !== null && (
          <Figure
            name="Its own sun"
            value={`${lies.sun_off_deg.toFixed(1)}°`}
            from={lies.new_sun ? "from the shadows’, where the new one stands" : "from where shadows have it"}
          />
        )}
        <Statement
          holds={panorama.here}
          onChange={(here) =>
            void change(
              { panorama: { here } },
              here ? "the panorama was taken here" : "the panorama is another place’s",
            )
          }
        >
          Taken where things stand: its ground tells how bright and how warm the photograph is
        </Statement>
        {(panorama.here || document.proxies.length > 0) && (
          <Field
            label="Height of its lens"
            value={metres(panorama.lens_m)}
            parse={(text) => parseMetres(text)}
            min={0.01}
            onValue={(lens_m) => void change({ panorama: { lens_m } }, "height of the panorama’s lens")}
          />
        )}
        <Slider
          label="Its strength"
          value={panorama.strength}
          min={0}
          max={3}
          step={0.05}
          show={(v) => `${v.toFixed(2)} ×`}
          onMove={(strength) => move({ panorama: { strength } })}
          onKeep={() => keep("strength of the panorama")}
        />
        <Slider
          label="Saturation"
          value={panorama.saturation}
          min={0}
          max={2}
          step={0.05}
          show={(v) => `${v.toFixed(2)} ×`}
          onMove={(saturation) => move({ panorama: { saturation } })}
          onKeep={() => keep("saturation of the panorama")}
        />
        <Slider
          label="Warmer or colder"
          value={panorama.warmth}
          min={-1}
          max={1}
          step={0.05}
          show={(v) => signed(v, " stops")}
          onMove={(warmth) => move({ panorama: { warmth } })}
          onKeep={() => keep("warmth of the panorama")}
        />
      </Section>
    </>
  );
}
