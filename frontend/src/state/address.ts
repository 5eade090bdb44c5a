import { useSyncExternalStore } from "react";

const subscribe = (tell: () => void) => {
  window.addEventListener("popstate", tell);
  return () => window.removeEventListener("popstate", tell);
};

/** What the address names: `/project/…/shot/…`, `/project/…/site`. */
export function useAddress(): { projectId?: string; shotId?: string; isSite: boolean } {
  const path = useSyncExternalStore(subscribe, () => window.location.pathname);
  const match = path.match(/^\/project\/([0-9a-f]+)(?:\/shot\/([0-9a-f]+(?:~[\w-]+)?))?/);
  const isSite = /^\/project\/[0-9a-f]+\/site$/.test(path);
  return { projectId: match?.[1], shotId: match?.[2], isSite };
}

export function go(path: string) {
  window.history.pushState(null, "", path);
  window.dispatchEvent(new PopStateEvent("popstate"));
}

/** The shot itself, of a shot or an option of one: `shot~option`. */
export const baseOf = (shotId: string) => shotId.split("~")[0] ?? shotId;

export const projectPath = (projectId: string) => `/project/${projectId}`;
export const shotPath = (projectId: string, shotId: string) => `/project/${projectId}/shot/${shotId}`;
export const sitePath = (projectId: string) => `/project/${projectId}/site`;
