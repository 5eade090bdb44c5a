import { useEffect, useState } from "react";

const WORTH_TELLING_S = 3;

/** That a file is being read; of a long one for how long already, so that waiting is no guess. */
export function Reading({ name }: { name: string }) {
  const [begun, setBegun] = useState({ name, at: Date.now() });
  const [now, setNow] = useState(begun.at);
  if (begun.name !== name) setBegun({ name, at: Date.now() });
  useEffect(() => {
    const ticking = setInterval(() => setNow(Date.now()), 1000);
    return () => clearInterval(ticking);
  }, []);
  const seconds = Math.max(Math.floor((now - begun.at) / 1000), 0);
  return (
    <span className="text-center">
      Reading {name} …
      {seconds >= WORTH_TELLING_S && (
        <span className="mt-1 block text-[13px] font-normal tabular-nums opacity-80" aria-hidden>
          for {seconds} s now
        </span>
      )}
    </span>
  );
}
