import { useChange } from "../../state/changes";
import { Bin } from "../../ui/controls";
import type { StepProps } from "../props";
import { numbered, repliesTo } from "./numbered";

const VERDICTS = { yes: "Yes, as it should be", no: "No, not yet" } as const;

/** Who said what, when, and of which revision. */
export function ReplyPanel({ shot, document }: StepProps) {
  const { change } = useChange(shot.id);
  const replies = repliesTo({ shot, document });
  const pins = numbered(replies);
  return (
    <ul>
      {replies.map((reply) => (
        <li key={reply.id} className="border-b border-dotted border-lime-300 py-1.5 text-xs">
          <div className="flex items-center justify-between gap-2">
            <b className="truncate text-[13px] font-medium">{reply.by}</b>
            <Bin
              label={`Strike out the reply of ${reply.by}`}
              onClick={() =>
                void change({ replies: { [reply.id]: null } }, `reply of ${reply.by} struck out`)
              }
            />
          </div>
          <p className="text-ink-500">
            {reply.at.slice(0, 16).replace("T", " ")}, of revision {reply.revision}
          </p>
          {reply.verdict && (
            <p className={reply.verdict === "yes" ? "text-verdigris-deep" : "text-oxide"}>
              {VERDICTS[reply.verdict]}
            </p>
          )}
          <ol>
            {pins
              .filter((one) => one.reply === reply)
              .map(({ pin, number }) => (
                <li key={number} className="grid grid-cols-[22px_1fr] pt-1">
                  <b className="font-medium">{number}</b>
                  <span className="break-words">{pin.text || "(no words)"}</span>
                </li>
              ))}
          </ol>
        </li>
      ))}
    </ul>
  );
}
