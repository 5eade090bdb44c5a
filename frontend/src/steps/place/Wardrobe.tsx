import { useRef } from "react";
import type { Placed } from "../../api/client";
import { useChange } from "../../state/changes";
import { say } from "../../state/notices";
import { fetchSurfaces, readSurfaces, saveSurfaces } from "../../state/wardrobe";
import { Button } from "../../ui/controls";
import type { SurfaceProps } from "./setting";

/** Surfaces taken along: to another thing, into a file, out of one. */
export function Wardrobe({ shot, placed, file, document, files, projectId }: SurfaceProps) {
  const { change } = useChange(shot.id);
  const input = useRef<HTMLInputElement>(null);
  const count = Object.keys(placed.surfaces).length;
  const others = document.models.filter((one) => one.id !== placed.id);
  const put = (id: string, surfaces: Placed["surfaces"], label: string) =>
    void change({ models: { [id]: { surfaces } } }, label);
  /** Those of the same name; where there is none and each has but one, that one. */
  const onto = (other: Placed) => {
    const names = files.find(({ sha256 }) => other.file === `sha256:${sha256}`)?.materials ?? [];
    const [only] = Object.values(placed.surfaces);
    const same = Object.fromEntries(Object.entries(placed.surfaces).filter(([name]) => names.includes(name)));
    const found = Object.keys(same).length || !only || names.length !== 1 ? same : { [names[0] ?? ""]: only };
    if (!Object.keys(found).length)
      return say(`The ${other.name} has no surface of the same name: ${names.join(", ")}.`);
    put(other.id, found, `surfaces of the ${placed.name} on the ${other.name}`);
  };
  const read = async (chosen: File) => {
    try {
      const surfaces = await readSurfaces(projectId, chosen);
      const known = Object.fromEntries(
        Object.entries(surfaces).filter(([name]) => file.materials.includes(name)),
      );
      const [only] = Object.values(surfaces);
      const used =
        Object.keys(known).length || !only || file.materials.length !== 1
          ? known
          : { [file.materials[0] ?? ""]: only };
      if (!Object.keys(used).length)
        return say(
          `${chosen.name} holds ${Object.keys(surfaces).join(", ")}; this model has ${file.materials.join(", ")}.`,
        );
      put(placed.id, used, `surfaces from ${chosen.name}`);
    } catch (error) {
      say((error as Error).message, "wrong");
    }
  };
  return (
    <div className="mt-2 flex flex-wrap items-center gap-1.5 border-t border-lime-200 pt-2 text-xs text-ink-700">
      {count > 0 &&
        others.map((one) => (
          <Button key={one.id} className="text-xs" onClick={() => onto(one)}>
            Same on the {one.name}
          </Button>
        ))}
      {count > 0 && (
        <>
          <Button
            className="text-xs"
            onClick={() => void fetchSurfaces(placed).then((told) => saveSurfaces(told, placed.name))}
          >
            Save as a file
          </Button>
          <a
            className="rounded-md border border-lime-300 bg-white px-2.5 py-1 leading-5 hover:border-lime-500"
            href={`/api/v1/shots/${shot.id}/things/${placed.id}/materials`}
            download
          >
            as glTF
          </a>
        </>
      )}
      <Button className="text-xs" onClick={() => input.current?.click()}>
        From a file
      </Button>
      <input
        ref={input}
        type="file"
        accept=".json,.glb,.gltf,.zip"
        aria-label="A file of surfaces"
        className="hidden"
        onChange={(event) => {
          const [chosen] = event.target.files ?? [];
          if (chosen) void read(chosen);
          event.target.value = "";
        }}
      />
    </div>
  );
}
