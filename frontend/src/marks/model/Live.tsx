import { useThree } from "@react-three/fiber";
import { useEffect, useLayoutEffect, useMemo, useRef } from "react";
import type { Group } from "three";
import type { Placed } from "../../api/client";
import { useMaterials } from "../../api/hooks";
import { after, carrierOf, rowOf, type Stand, standOf } from "../../geometry/standing";
import { dressed, type Surfaces, undressed } from "../../live/dressing";
import { useLook, useModel } from "../../live/models";
import type { StepProps } from "../props";

/** The models as they stand, with their copies. */
export function StoodModels({ shot, document }: StepProps) {
  return document.models
    .filter((placed) => !placed.hidden)
    .map((placed) => (
      <Stood
        key={placed.id}
        shotId={shot.id}
        placed={placed}
        accepted={shot.document.models.find(({ id }) => id === placed.id)}
        things={document.models}
      />
    ));
}

type Props = { shotId: string; placed: Placed; accepted: Placed | undefined; things: Placed[] };

function Stood({ shotId, placed, accepted, things }: Props) {
  const model = useModel(placed.file);
  const laid = useLook(shotId, accepted);
  const { data: kinds } = useMaterials();
  const look = JSON.stringify(placed.surfaces);
  const shown = laid ?? model;
  const copy = useMemo(
    () => shown && dressed(shown.root, JSON.parse(look) as Surfaces, kinds?.surfaces ?? {}, laid !== null),
    [shown, look, kinds, laid],
  );
  useEffect(() => () => void (copy && undressed(copy)), [copy]);
  if (!copy || !model) return null;
  const carrier = carrierOf(placed, things);
  return rowOf(placed).map((one, i) => (
    <One key={i} copy={copy} shared={i > 0} stand={after(carrier, standOf(one, model))} />
  ));
}

type OneProps = { copy: Group; shared: boolean; stand: Stand };

/** One standing of a thing; all of a row share geometry and materials. */
function One({ copy, shared, stand }: OneProps) {
  const { invalidate } = useThree();
  const own = useMemo(() => (shared ? copy.clone() : copy), [copy, shared]);
  const group = useRef<Group>(null);
  useLayoutEffect(() => {
    const [a, b, c] = stand.turn;
    const [x, y, z] = stand.at;
    group.current?.matrix.set(...a, x, ...b, y, ...c, z, 0, 0, 0, 1);
    if (group.current) group.current.matrixWorldNeedsUpdate = true;
    invalidate();
  });
  return (
    <group ref={group} matrixAutoUpdate={false}>
      <primitive object={own} />
    </group>
  );
}
