import { useThree } from "@react-three/fiber";
import { useEffect, useMemo } from "react";
import type { Placed } from "../../api/client";
import { useModel } from "../../live/models";
import type { StepProps } from "../props";

/** The models as they stand. */
export function StoodModels({ document }: StepProps) {
  return document.models.map((placed) => <Stood key={placed.id} placed={placed} />);
}

function Stood({ placed }: { placed: Placed }) {
  const model = useModel(placed.file);
  const { invalidate } = useThree();
  const copy = useMemo(() => model?.root.clone(), [model]);
  useEffect(() => invalidate());
  if (!copy) return null;
  return (
    <group
      position={[placed.position_m[0], placed.position_m[1], placed.position_m[2]]}
      rotation={[0, 0, (placed.turn_deg * Math.PI) / 180]}
      scale={placed.size}
    >
      <primitive object={copy} />
    </group>
  );
}
