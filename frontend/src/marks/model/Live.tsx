import { useThree } from "@react-three/fiber";
import { useEffect, useMemo } from "react";
import type { Placed } from "../../api/client";
import { useMaterials } from "../../api/hooks";
import { standing } from "../../geometry/standing";
import { dressed, type Surfaces, undressed } from "../../live/dressing";
import { useModel } from "../../live/models";
import type { StepProps } from "../props";

/** The models as they stand. */
export function StoodModels({ document }: StepProps) {
  return document.models.map((placed) => <Stood key={placed.id} placed={placed} />);
}

function Stood({ placed }: { placed: Placed }) {
  const model = useModel(placed.file);
  const { invalidate } = useThree();
  const { data: kinds } = useMaterials();
  const look = JSON.stringify(placed.surfaces ?? {});
  const copy = useMemo(
    () => model && dressed(model.root, JSON.parse(look) as Surfaces, kinds?.surfaces ?? {}),
    [model, look, kinds],
  );
  useEffect(() => invalidate());
  useEffect(() => () => void (copy && undressed(copy)), [copy]);
  if (!copy || !model) return null;
  const { scale, quarter, refoot } = standing(placed, model);
  return (
    <group
      position={[placed.position_m[0], placed.position_m[1], placed.position_m[2]]}
      rotation={[0, 0, (placed.turn_deg * Math.PI) / 180]}
      scale={scale}
    >
      <group rotation={[(quarter * Math.PI) / 2, 0, 0]} position={[...refoot]}>
        <primitive object={copy} />
      </group>
    </group>
  );
}
