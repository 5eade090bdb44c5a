import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Button } from "../ui/controls";

/** The way in, where a key is asked for. */
export function KeyPage() {
  const queries = useQueryClient();
  const [key, setKey] = useState("");
  const [wrong, setWrong] = useState<string | null>(null);
  const open = async () => {
    const answer = await fetch("/api/v1/session", {
      method: "POST",
      headers: { "Content-Type": "application/json" },
      body: JSON.stringify({ key: key.trim() }),
    });
    if (answer.ok) await queries.invalidateQueries();
    else setWrong(((await answer.json()) as { detail: string }).detail);
  };
  return (
    <main className="grid h-full place-items-center">
      <form
        className="w-[360px]"
        onSubmit={(event) => {
          event.preventDefault();
          if (key.trim()) void open();
        }}
      >
        <h1 className="text-[26px] font-semibold tracking-tight">Lithopos</h1>
        <label className="mt-4 flex flex-col gap-1.5 text-ink-700">
          Your key
          <input
            type="password"
            autoComplete="current-password"
            value={key}
            onChange={(event) => {
              setKey(event.target.value);
              setWrong(null);
            }}
            className="rounded-md border border-lime-300 bg-white px-3 py-2 text-ink-900"
          />
        </label>
        {wrong && (
          <p className="mt-2 text-oxide" role="alert">
            {wrong}
          </p>
        )}
        <Button type="submit" look="primary" disabled={!key.trim()} className="mt-3 w-full py-1.5">
          Come in
        </Button>
        <p className="mt-3 text-xs text-ink-500">Whoever looks after this Lithopos gives out the keys.</p>
      </form>
    </main>
  );
}
