/** How many changes were accepted, by the identity of what has the revisions: a shot with its options, a site. */
const accepted = new Map<string, number>();
const soFar = (name: string) => accepted.get(name) ?? 0;

/** A change was accepted: what was asked before that is of an earlier revision. */
export const noteAccepted = (name: string) => void accepted.set(name, soFar(name) + 1);

/** Something as it stands; read again where a change was accepted meanwhile, which the answer may not know. */
export async function readFresh<T>(name: string, read: () => Promise<T>): Promise<T> {
  for (;;) {
    const before = soFar(name);
    const found = await read();
    if (soFar(name) === before) return found;
  }
}
