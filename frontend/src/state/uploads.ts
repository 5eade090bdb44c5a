import type { Upload } from "../api/client";

type Found = { path: string; file: File };

/** Models that name other files: a drop with one of them is one model. */
const NAMING = /\.(gltf|obj|usda?|usdc)$/i;
/** Files that a model may name, but which are none by themselves. */
const NAMED = /\.(bin|mtl|png|jpe?g|webp|usda?|usdc)$/i;

/**
 * What some dropped files are: each by itself, or the several files of one model as one. A folder is one model.
 */
export function uploadsOf(found: Found[]): Upload[] {
  const folders = new Map<string, Found[]>();
  const loose: Found[] = [];
  for (const one of found) {
    const [top, ...rest] = one.path.split("/");
    if (!rest.length || !top) loose.push(one);
    else folders.set(top, [...(folders.get(top) ?? []), one]);
  }
  const uploads = [...folders].map(([name, files]) => ({ name, files }));
  const main = loose.find(({ path }) => NAMING.test(path));
  const named = main ? loose.filter((one) => one !== main && NAMED.test(one.path)) : [];
  if (main) uploads.push({ name: main.path, files: [main, ...named] });
  for (const one of loose)
    if (one !== main && !named.includes(one)) uploads.push({ name: one.path, files: [one] });
  return uploads;
}

/** The files of a drop, those in folders with their paths. */
export async function droppedFiles(data: DataTransfer): Promise<Found[]> {
  const entries = [...data.items].map((item) => item.webkitGetAsEntry()).filter((entry) => entry !== null);
  if (!entries.length) return [...data.files].map((file) => ({ path: file.name, file }));
  return (await Promise.all(entries.map((entry) => within(entry, "")))).flat();
}

async function within(entry: FileSystemEntry, folder: string): Promise<Found[]> {
  const path = folder + entry.name;
  if (entry.isFile) {
    const file = await new Promise<File>((done, failed) => (entry as FileSystemFileEntry).file(done, failed));
    return [{ path, file }];
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  const found: Found[] = [];
  for (;;) {
    // A reader hands over a hundred entries at a time.
    const some = await new Promise<FileSystemEntry[]>((done, failed) => reader.readEntries(done, failed));
    if (!some.length) return found;
    found.push(...(await Promise.all(some.map((one) => within(one, `${path}/`)))).flat());
  }
}
