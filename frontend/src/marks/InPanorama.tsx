import { Hint } from "../ui/controls";
import type { StepProps } from "./props";

/** What becomes of marked lights that a panorama of the place shows as well. */
export function InPanorama({ document }: Pick<StepProps, "document">) {
  if (document.lit_by !== "panorama" || !document.panorama?.here) return null;
  return (
    <Hint>
      The panorama shows them too: in a proof they shine from where they stand, as bright as it has them.
    </Hint>
  );
}
