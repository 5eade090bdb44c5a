import { create } from "zustand";

export type Notice = { id: number; text: string; kind: "wrong" | "plain" };

export const useNotices = create<{ notices: Notice[] }>(() => ({ notices: [] }));

let next = 1;

/** Say something to the user in one sentence; it goes away by itself, or when closed. */
export function say(text: string, kind: Notice["kind"] = "plain") {
  const id = next++;
  useNotices.setState(({ notices }) => ({
    notices: [...notices.filter((n) => n.text !== text), { id, text, kind }].slice(-3),
  }));
  setTimeout(() => unsay(id), kind === "wrong" ? 12000 : 6000);
}

export const unsay = (id: number) =>
  useNotices.setState(({ notices }) => ({ notices: notices.filter((n) => n.id !== id) }));
