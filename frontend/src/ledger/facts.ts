import type { Derived, RenderOut, Shot } from "../api/client";
import { withRange } from "../geometry/measure";
import type { Step } from "../state/editor";
import { blendedByHand } from "../steps/blend/plain";

export type State = "not begun" | "needs you" | "measured" | "set by hand" | "out of date";
export type Fact = { state: State; text: string };

export const STEP_NAMES: Record<Step, string> = {
  photo: "Photo",
  perspective: "Perspective",
  ground: "Ground",
  place: "Place",
  light: "Light",
  contact: "Contact",
  blend: "Blend",
  deliver: "Deliver",
};

/** Each step's state and its one figure. */
export function facts(shot: Shot, derived: Derived, renders: RenderOut[]): Record<Step, Fact> {
  const { camera } = derived;
  const picture = shot.photograph;
  const things = [...shot.models, ...shot.panes];
  return {
    photo: picture
      ? shot.frame
        ? {
            state: "set by hand",
            text: `${Math.round(shot.frame.width)} × ${Math.round(shot.frame.height)} of ${picture.width} × ${picture.height}`,
          }
        : { state: "measured", text: `${picture.width} × ${picture.height}` }
      : { state: "needs you", text: "none yet" },
    perspective: perspective(shot, derived),
    ground: !camera
      ? { state: "not begun", text: "after the perspective" }
      : camera.camera_position === null
        ? { state: "needs you", text: shot.lengths.length ? "no length is known" : "no yardstick yet" }
        : {
            state: shot.camera.kind === "solved" || shot.site ? "measured" : "set by hand",
            text: `camera ${withRange(camera.camera_position?.[2] ?? 0, camera.sigma.height_m, " m")} up`,
          },
    place: things.length
      ? {
          state: "set by hand",
          text: things.length === 1 ? (things[0]?.name ?? "") : `${things.length} things`,
        }
      : { state: camera ? "needs you" : "not begun", text: "nothing stands yet" },
    light: light(shot, derived),
    contact: { state: "set by hand", text: shot.ground.material },
    blend: blendedByHand(shot.blend)
      ? { state: "set by hand", text: "changed by hand" }
      : { state: "measured", text: "as photographed" },
    deliver: delivered(renders),
  };
}

function perspective(shot: Shot, derived: Derived): Fact {
  if (shot.site && derived.camera)
    return { state: "measured", text: `${derived.camera.focal_35mm.toFixed(1)} mm, by the site` };
  if (shot.camera.kind === "hand")
    return { state: "set by hand", text: `${shot.camera.focal_35mm.toFixed(1)} mm` };
  if (shot.camera.kind === "known" && derived.camera)
    return { state: "set by hand", text: `${derived.camera.focal_35mm.toFixed(1)} mm, brought` };
  if (derived.camera) {
    const { focal_35mm, sigma, trust } = derived.camera;
    const state = trust === "poor" ? "needs you" : "measured";
    return { state, text: withRange(focal_35mm, sigma.focal_35mm, " mm") };
  }
  return shot.edges.length
    ? { state: "needs you", text: "not solved yet" }
    : { state: "needs you", text: "no edges yet" };
}

function light(shot: Shot, { camera, sun, almanac, balance }: Derived): Fact {
  if (shot.lit_by === "room") {
    const lights = shot.windows.length + shot.lamps.length;
    if (!lights) return { state: "needs you", text: "no window or lamp marked" };
    const text = [named(shot.windows.length, "window"), named(shot.lamps.length, "lamp")].filter(Boolean);
    return { state: balance ? "measured" : "set by hand", text: text.join(", ") };
  }
  if (shot.lit_by === "panorama") return { state: balance ? "measured" : "set by hand", text: "a panorama" };
  if (shot.sun.kind === "hand")
    return { state: "set by hand", text: `sun ${shot.sun.elevation_deg.toFixed(1)}° high` };
  if (shot.sun.kind === "almanac")
    return almanac?.direction
      ? { state: "measured", text: `sun ${almanac.elevation_deg.toFixed(1)}° high, by date` }
      : { state: "needs you", text: "not told by the date yet" };
  if (sun)
    return {
      state: "measured",
      text: `sun ${withRange(sun.elevation_deg, sun.sigma_deg.elevation, "°")} high`,
    };
  if (!camera) return { state: "not begun", text: "after the perspective" };
  const marked = shot.gnomons.length + shot.shadow_edges.length > 0;
  return { state: "needs you", text: marked ? "the shadows disagree" : "no shadow marked yet" };
}

const named = (count: number, name: string) => (count ? `${count} ${name}${count > 1 ? "s" : ""}` : "");

function delivered(renders: RenderOut[]): Fact {
  const master = renders.find((render) => render.quality === "master" && render.state === "done");
  if (!master) return { state: "not begun", text: "no master yet" };
  return master.current
    ? { state: "measured", text: "master ready" }
    : { state: "out of date", text: "master is older" };
}
