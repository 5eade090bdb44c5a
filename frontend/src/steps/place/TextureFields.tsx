import { useState } from "react";
import { graphicUrl, type Placed, type SurfaceOf, textureUrl } from "../../api/client";
import { useMaterials } from "../../api/hooks";
import { parseMillimetres, parseNumber } from "../../geometry/measure";
import { useChange } from "../../state/changes";
import { repeatOf, SHIPPED } from "../../state/textures";
import { Button, Field, OneOf } from "../../ui/controls";
import { GraphicList } from "../../ui/GraphicList";
import type { SurfaceProps } from "./setting";

type Props = SurfaceProps & { name: string; surface: SurfaceOf };

/** The texture of a surface, in its real size. */
export function TextureFields({ name, surface, shot, placed, projectId }: Props) {
  const { data } = useMaterials();
  const { change } = useChange(shot.id);
  const [choosing, setChoosing] = useState(false);
  const { texture } = surface;
  const put = (values: Partial<NonNullable<typeof texture>> | null, label: string) =>
    void change(
      {
        models: {
          [placed.id]: { surfaces: { [name]: { texture: values } } as unknown as Placed["surfaces"] },
        },
      },
      label,
    );
  const use = (file: string) => {
    setChoosing(false);
    put(texture ? { file, repeat_mm: null } : { file }, `texture of ${name}`);
  };
  const title = texture?.file.startsWith(SHIPPED)
    ? data?.textures[texture.file.slice(SHIPPED.length)]?.title
    : "own picture";
  return (
    <div className="mt-1 border-t border-lime-200 pt-1.5">
      <div className="flex items-center justify-between gap-2 py-1 text-ink-700">
        <span>
          Texture <span className="text-xs text-ink-500">{texture ? title : "none"}</span>
        </span>
        <span className="flex gap-1">
          <Button active={choosing} onClick={() => setChoosing(!choosing)}>
            Choose
          </Button>
          {texture && (
            <Button look="quiet" onClick={() => put(null, `no texture on ${name}`)}>
              None
            </Button>
          )}
        </span>
      </div>
      {choosing && (
        <>
          <div className="mb-2 grid grid-cols-5 gap-1.5">
            {Object.entries(data?.textures ?? {}).map(([file, one]) => (
              <button
                key={file}
                type="button"
                title={one.title}
                aria-label={one.title}
                className="aspect-square overflow-hidden rounded-md border border-lime-300 hover:border-verdigris"
                onClick={() => use(SHIPPED + file)}
              >
                <img src={textureUrl(file)} alt="" loading="lazy" className="h-full w-full object-cover" />
              </button>
            ))}
          </div>
          <GraphicList projectId={projectId} word="Lay" onUse={(file) => use(`sha256:${file.sha256}`)} />
        </>
      )}
      {texture && (
        <>
          {!texture.file.startsWith(SHIPPED) && (
            <img
              src={graphicUrl(texture.file)}
              alt=""
              className="mb-1 h-14 rounded-md border border-lime-300"
            />
          )}
          <Field
            label="One repeat is"
            value={`${repeatOf(surface, texture, data).toFixed(0)} mm`}
            parse={parseMillimetres}
            min={0.0001}
            onValue={(v) => put({ repeat_mm: v * 1000 }, `repeat of ${name}`)}
          />
          <Field
            label="Turned"
            value={`${texture.turn_deg.toFixed(0)}°`}
            parse={parseNumber}
            onValue={(turn_deg) => put({ turn_deg }, `turn the texture of ${name}`)}
          />
          <div className="flex items-center justify-between gap-2 py-1 text-ink-700">
            Laid
            <OneOf
              look="joined"
              label={`How the texture of ${name} is laid`}
              value={texture.lay}
              options={[
                { value: "box", label: "as a box" },
                { value: "uv", label: "as it came" },
              ]}
              onValue={(lay) => put({ lay: lay as "box" | "uv" }, `lay the texture of ${name}`)}
            />
          </div>
          <p className="text-xs leading-[1.5] text-ink-500">
            {texture.lay === "box"
              ? "Pull the arm in the picture: its end sizes and turns a repeat, its foot shifts it."
              : "Laid along the model’s own coordinates; sized by their mean."}
          </p>
        </>
      )}
    </div>
  );
}
