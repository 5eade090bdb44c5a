import { useThree } from "@react-three/fiber";
import { useEffect, useMemo } from "react";
import { Matrix4, RectAreaLight, Vector3 } from "three";
import { RectAreaLightUniformsLib } from "three/addons/lights/RectAreaLightUniformsLib.js";
import type { Derived, LitWindow, PaneAnswer } from "../../api/client";
import type { StepProps } from "../props";

/** Marked windows as the live view's area lights. */
export function LitWindows({ document, derived }: StepProps) {
  return document.windows.map((window) => {
    const corners = derived.windows.find(({ id }) => id === window.id)?.corners_m;
    return window.hidden || !corners ? null : (
      <Lit key={window.id} window={window} corners={corners} derived={derived} />
    );
  });
}

type Props = { window: LitWindow; corners: NonNullable<PaneAnswer["corners_m"]>; derived: Derived };

let begun = false;

function Lit({ window, corners, derived }: Props) {
  const { invalidate } = useThree();
  const light = useMemo(() => {
    if (!begun) RectAreaLightUniformsLib.init();
    begun = true;
    return new RectAreaLight();
  }, []);
  useEffect(() => {
    const [a, b, c, d] = corners.map(([x, y, z]) => new Vector3(x, y, z));
    if (!a || !b || !c || !d) return;
    const [across, up] = [b.clone().sub(a), a.clone().sub(d)];
    light.width = across.length();
    light.height = up.length();
    // It shines along its own -z.
    const turned = new Matrix4().makeBasis(
      across.clone().normalize().negate(),
      up.clone().normalize(),
      new Vector3().crossVectors(up, across).normalize(),
    );
    light.position.copy(a).add(c).multiplyScalar(0.5);
    light.quaternion.setFromRotationMatrix(turned);
    const measured = derived.balance?.lights.find(({ kind, id }) => kind === "window" && id === window.id);
    const bright = (window.seen?.colour ?? [1, 1, 1]).map((v, channel) => {
      const gain = derived.balance?.gain[channel] ?? 1;
      return v * (measured?.strength[channel] ?? 1 / gain) * gain * window.strength;
    });
    light.color.setRGB(bright[0] ?? 0, bright[1] ?? 0, bright[2] ?? 0);
    invalidate();
  }, [light, corners, window, derived, invalidate]);
  return <primitive object={light} />;
}
