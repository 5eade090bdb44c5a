import { useEffect, useState } from "react";

const WORTH_TELLING_S = 3;

/** That a file is being read; of a long one for how long already, so that waiting is no guess. A key for each file. */
export function Reading({ name }: { name: string }) {
  const [seconds, setSeconds] = useState(0);
  useEffect(() => {
    const begun = Date.now();
    const ticking = setInterval(() => setSeconds(Math.floor((Date.now() - begun) / 1000)), 1000);
    return () => clearInterval(ticking);
  }, []);
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
