import { useThree } from "@react-three/fiber";
import { useEffect, useMemo } from "react";
import { Object3D } from "three";
import type { Lamp, LampAnswer } from "../../api/client";
import { plain } from "../../live/light";
import type { StepProps } from "../props";

/** Lamps as the live view's points and spots; a panel is drawn as a wide spot. */
export function LitLamps({ document, derived }: StepProps) {
  return document.lamps.map((lamp) => {
    const answer = derived.lamps.find(({ id }) => id === lamp.id);
    return lamp.hidden || !answer?.position_m ? null : <Lit key={lamp.id} lamp={lamp} answer={answer} />;
  });
}

const WIDE = 1.3;

function Lit({ lamp, answer }: { lamp: Lamp; answer: LampAnswer }) {
  const { invalidate } = useThree();
  const target = useMemo(() => new Object3D(), []);
  const [x, y, z] = answer.position_m ?? [0, 0, 0];
  const [azimuth, tilt] = [lamp.azimuth_deg, lamp.tilt_deg].map((v) => (v * Math.PI) / 180) as [
    number,
    number,
  ];
  useEffect(() => {
    target.position.set(
      x + Math.cos(azimuth) * Math.cos(tilt),
      y + Math.sin(azimuth) * Math.cos(tilt),
      z - Math.sin(tilt),
    );
    target.updateMatrixWorld();
    invalidate();
  });
  // White that shows 1 has an irradiance of π.
  const colour = (answer.white ?? [0, 0, 0]).map((v) => Math.PI * v) as [number, number, number];
  const shared = {
    position: [x, y, z] as const,
    color: colour,
    intensity: 1,
    decay: 2,
    castShadow: !plain(),
  };
  if (lamp.kind === "ball" || lamp.kind === "measured") return <pointLight {...shared} />;
  const half = lamp.kind === "spot" ? Math.min((lamp.beam_deg * Math.PI) / 360, WIDE) : WIDE;
  return <spotLight {...shared} target={target} angle={Math.min(2 * half, WIDE)} penumbra={1} />;
}
