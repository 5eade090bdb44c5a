import type { CameraAnswer } from "../../api/client";
import { ranged } from "../../geometry/measure";
import type { StepProps } from "../../marks/props";
import { Figure } from "../../ui/controls";

/** The solved figures, each with its range and where it comes from. */
export function Figures({ document, camera }: StepProps & { camera: CameraAnswer }) {
  const settings = document.camera;
  const bySite = document.site !== null;
  const byHand = settings.kind === "hand" && !bySite;
  const from = (assumed: string, word: string) =>
    bySite ? "the site" : byHand ? "by hand" : camera.assumed.includes(assumed) ? word : "measured";
  const focalFrom =
    settings.kind === "solved" && settings.focal_35mm && !bySite
      ? "known"
      : from("focal length", "file and edges");
  const { sigma } = camera;
  const horizon = camera.horizon_sigma_px;
  return (
    <div className="mt-2.5">
      {!byHand && (
        <>
          <Figure
            name="Focal length"
            {...ranged(camera.focal_35mm, sigma.focal_35mm, " mm")}
            from={focalFrom}
          />
          <Figure
            name="Tilt"
            {...ranged(camera.tilt_deg, sigma.tilt_deg, "°")}
            from={from("tilt", "assumed")}
          />
          <Figure
            name="Roll"
            {...ranged(camera.roll_deg, sigma.roll_deg, "°")}
            from={from("roll", "assumed level")}
          />
        </>
      )}
      {horizon && (
        <Figure
          name="Horizon"
          value={`± ${(1.96 * Math.max(...horizon)).toFixed(0)} px`}
          from="at the border"
        />
      )}
      {sigma.principal_point_x_px !== undefined && <Centre camera={camera} />}
      {sigma.distortion_k1 !== undefined && (
        <Figure
          name="Lens bend k₁"
          {...ranged(camera.distortion_k1, sigma.distortion_k1, "")}
          from="measured"
        />
      )}
    </div>
  );
}

function Centre({ camera }: { camera: CameraAnswer }) {
  const { width, height } = camera.image;
  const [x, y] = camera.principal_point;
  const far = 2 * Math.max(camera.sigma.principal_point_x_px ?? 0, camera.sigma.principal_point_y_px ?? 0);
  const signed = (v: number) => `${v < 0 ? "−" : "+"}${Math.abs(v).toFixed(0)}`;
  return (
    <Figure
      name="Lens centre"
      value={`${signed(x - width / 2)}, ${signed(y - height / 2)} px`}
      range={`± ${far.toFixed(0)}`}
      from="measured"
    />
  );
}
