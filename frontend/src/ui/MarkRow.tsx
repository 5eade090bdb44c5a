import type { ReactNode } from "react";
import { Bin } from "./controls";
import { Sharp } from "./Sharp";

type Props = {
  number: number;
  title: string;
  /** What is removed by the cross at its end. */
  name: string;
  residual_px: number | undefined;
  disagrees: boolean;
  chosen: boolean;
  onChoose: (chosen: boolean) => void;
  onRemove: () => void;
  /** Whether what was refined on the picture is in force; undefined where nothing was. */
  sharp?: boolean;
  onSharp: (on: boolean) => void;
  /** What unfolds when it is chosen. */
  children?: ReactNode;
};

/** A mark in a list: how far it is off, whether it is used as refined, and more when it is chosen. */
export function MarkRow(props: Props) {
  const { number, title, name, residual_px, disagrees, chosen, sharp } = props;
  return (
    <li className="border-b border-dotted border-lime-300 py-[3px] text-xs last:border-0">
      <div className="flex items-center gap-2">
        <span className="w-3 text-oxide">{number}</span>
        <button
          type="button"
          aria-expanded={chosen}
          className="min-w-0 grow truncate text-left text-ink-700"
          onClick={() => props.onChoose(!chosen)}
        >
          {title}
        </button>
        {sharp !== undefined && <Sharp on={sharp} onChange={props.onSharp} />}
        <span className={disagrees ? "text-oxide" : "text-ink-500"}>
          {residual_px === undefined ? "" : `off by ${residual_px.toFixed(1)} px`}
        </span>
        <Bin label={`Remove ${name} ${number}`} onClick={props.onRemove} />
      </div>
      {chosen && props.children && <div className="py-1">{props.children}</div>}
    </li>
  );
}
