import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { asked, client, KEY_ASKED, type Session } from "../api/client";

/** Whether this Lithopos asks for a key, and whose was given. */
export function useSession(): Session | undefined {
  const queries = useQueryClient();
  useEffect(() => {
    const again = () => void queries.invalidateQueries({ queryKey: ["session"] });
    window.addEventListener(KEY_ASKED, again);
    return () => window.removeEventListener(KEY_ASKED, again);
  }, [queries]);
  return useQuery({ queryKey: ["session"], queryFn: () => asked<Session>(client.GET("/api/v1/session")) })
    .data;
}

/** Whether whoever is here may change anything: a key may be one to look. */
export const useMayChange = () => useSession()?.may !== "look";
