/** Surfaces as a small file: what they are, with the pictures that they use. */
import { fileUrl, type Placed, sendFile } from "../api/client";

type Surfaces = Placed["surfaces"];
/** `pictures` are the files of textures that don't ship with the program, by name, as data addresses. */
type Told = { lithopos_surfaces: 1; surfaces: Surfaces; pictures: Record<string, string> };

/** A thing's surfaces with their pictures. */
export async function fetchSurfaces(placed: Placed): Promise<Told> {
  const names = new Set(
    Object.values(placed.surfaces).flatMap(({ texture }) =>
      texture?.file.startsWith("sha256:") ? [texture.file] : [],
    ),
  );
  const pictures: Record<string, string> = {};
  for (const name of names) pictures[name] = await addressOf(await (await fetch(fileUrl(name))).blob());
  return { lithopos_surfaces: 1, surfaces: placed.surfaces, pictures };
}

const addressOf = (blob: Blob) =>
  new Promise<string>((done, failed) => {
    const reader = new FileReader();
    reader.onload = () => done(String(reader.result));
    reader.onerror = () => failed(new Error("A picture could not be read."));
    reader.readAsDataURL(blob);
  });

/** Hand a file of surfaces to the user. */
export function saveSurfaces(told: Told, name: string) {
  const address = URL.createObjectURL(
    new Blob([JSON.stringify(told, null, 1)], { type: "application/json" }),
  );
  const link = document.createElement("a");
  link.href = address;
  link.download = `${name.toLowerCase().replace(/[^a-z0-9]+/g, "-")}-surfaces.json`;
  link.click();
  URL.revokeObjectURL(address);
}

/** What a model's materials are among our kinds; the server reads it. */
async function recognised(file: File): Promise<Partial<Told>> {
  const form = new FormData();
  form.append("file", file, file.name);
  const response = await fetch("/api/v1/surfaces", { method: "POST", body: form });
  const body = await response.json();
  if (!response.ok) throw new Error(`${file.name} ${body.cause ?? body.detail}.`);
  return body as Told;
}

async function written(file: File): Promise<Partial<Told>> {
  try {
    return JSON.parse(await file.text()) as Partial<Told>;
  } catch {
    throw new Error(`${file.name} is not a file of surfaces: it is no JSON.`);
  }
}

/** The surfaces of a file, our own or a model's; its pictures are brought into the project first. */
export async function readSurfaces(projectId: string, file: File): Promise<Surfaces> {
  const told = await (file.name.toLowerCase().endsWith(".json") ? written(file) : recognised(file));
  if (told.lithopos_surfaces !== 1 || typeof told.surfaces !== "object")
    throw new Error(`${file.name} is not a file of surfaces.`);
  for (const [name, address] of Object.entries(told.pictures ?? {})) {
    if (!address.startsWith("data:"))
      throw new Error(`${file.name} leads outside itself for ${name.slice(0, 20)}.`);
    const picture = new File([await (await fetch(address)).blob()], "texture");
    await sendFile(projectId, { name: "texture", files: [{ path: "texture", file: picture }] });
  }
  return told.surfaces as Surfaces;
}
