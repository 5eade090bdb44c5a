import type { Materials, Placed } from "../api/client";

type Surface = Placed["surfaces"][string];
type Laid = NonNullable<Surface["texture"]>;

export const SHIPPED = "shipped:";
const USUAL_REPEAT_MM = 300;

/** How long a repeat is where nobody says (`_usual_repeat` in `core/materials/dress.py`). */
export function repeatOf(surface: Surface, laid: Laid, data: Materials | undefined): number {
  if (laid.repeat_mm) return laid.repeat_mm;
  const shipped = data?.textures[laid.file.replace(SHIPPED, "")];
  const usual = data?.surfaces[surface.kind]?.parameters.weave_mm?.default;
  const weave = surface.parameters?.weave_mm ?? usual;
  if (shipped?.threads && weave) return shipped.threads * weave;
  return shipped?.repeat_mm ?? USUAL_REPEAT_MM;
}
