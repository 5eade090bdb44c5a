import { ToggleGroup as RadixGroup, Slider as RadixSlider, Tooltip as RadixTooltip } from "radix-ui";
import { type ButtonHTMLAttributes, type ReactNode, useEffect, useRef, useState } from "react";

type ButtonProps = ButtonHTMLAttributes<HTMLButtonElement> & {
  look?: "plain" | "primary" | "quiet";
  active?: boolean;
  /** Told when it is pointed at or focused, and when no longer. */
  onPoint?(pointed: boolean): void;
};

const LOOKS = {
  plain: "border border-lime-300 bg-white text-ink-900 hover:border-lime-500",
  primary: "border border-verdigris bg-verdigris text-white hover:bg-verdigris-deep font-medium",
  quiet: "border border-transparent text-ink-700 hover:bg-lime-200",
};

export function Button({ look = "plain", active, className = "", onPoint, ...rest }: ButtonProps) {
  const shade = active ? "border border-ink-900 bg-ink-900 text-white" : LOOKS[look];
  return (
    <button
      type="button"
      aria-pressed={active}
      className={`inline-flex items-center justify-center gap-1.5 rounded-md px-2.5 py-1 leading-5 whitespace-nowrap disabled:pointer-events-none disabled:opacity-45 ${shade} ${className}`}
      {...(onPoint && {
        onPointerEnter: () => onPoint(true),
        onPointerLeave: () => onPoint(false),
        onFocus: () => onPoint(true),
        onBlur: () => onPoint(false),
      })}
      {...rest}
    />
  );
}

export function Tip({ text, children }: { text: string; children: ReactNode }) {
  return (
    <RadixTooltip.Root delayDuration={350}>
      <RadixTooltip.Trigger asChild>{children}</RadixTooltip.Trigger>
      <RadixTooltip.Portal>
        <RadixTooltip.Content
          sideOffset={6}
          className="z-50 max-w-64 rounded-md bg-ink-900 px-2.5 py-1.5 text-xs text-white shadow-lg"
        >
          {text}
        </RadixTooltip.Content>
      </RadixTooltip.Portal>
    </RadixTooltip.Root>
  );
}

/** A measured or set figure: name, value with its range, and where it comes from. */
export function Figure({
  name,
  value,
  range,
  from,
}: {
  name: string;
  value: string;
  range?: string;
  from: string;
}) {
  return (
    <div className="grid grid-cols-[92px_1fr_auto] items-baseline gap-2 border-b border-dotted border-lime-300 py-1.5">
      <span className="text-ink-700">{name}</span>
      <span>
        <b className="text-[15px] font-medium">{value}</b>
        {range && <span className="ml-1 text-xs text-ink-500">{range}</span>}
      </span>
      <span className="text-[11px] text-ink-500">{from}</span>
    </div>
  );
}

/** The program's advice, or what to do next. */
export function Hint({ children, kind = "advice" }: { children: ReactNode; kind?: "advice" | "wrong" }) {
  const look = kind === "wrong" ? "bg-oxide-soft text-oxide" : "bg-verdigris-soft text-verdigris-deep";
  return <p className={`mt-2.5 rounded-lg px-2.5 py-2 text-xs leading-[1.5] ${look}`}>{children}</p>;
}

export function Heading({ children, aside }: { children: ReactNode; aside?: ReactNode }) {
  return (
    <div className="mt-3.5 mb-1 flex items-center justify-between">
      <h3 className="text-xs font-medium">{children}</h3>
      {aside}
    </div>
  );
}

type FieldProps = {
  label: string;
  value: string;
  parse: (text: string) => number | null;
  onValue: (value: number) => void;
  /** Takes an emptied field for "not known"; without it an empty field is wrong. */
  onClear?: () => void;
  min?: number;
  hint?: string;
  placeholder?: string;
  /** Its name above it, as wide as there is room. */
  stacked?: boolean;
  /** Waits for its figure: typing goes here without a click. */
  asks?: boolean;
};

/** A figure that can be typed, units understood; what can't be read is said and nothing changes. */
export function Field({
  label,
  value,
  parse,
  onValue,
  onClear,
  min = Number.NEGATIVE_INFINITY,
  hint,
  placeholder,
  stacked = false,
  asks = false,
}: FieldProps) {
  const input = useRef<HTMLInputElement>(null);
  useEffect(() => {
    if (asks) input.current?.focus();
  }, [asks]);
  const [text, setText] = useState(value);
  const [wrong, setWrong] = useState(false);
  useEffect(() => {
    setText(value);
    setWrong(false);
  }, [value]);
  const commit = () => {
    if (text === value) return;
    if (!text.trim() && onClear) {
      setWrong(false);
      return onClear();
    }
    const number = parse(text);
    if (number === null || number < min) return setWrong(true);
    setWrong(false);
    onValue(number);
  };
  return (
    <label
      className={
        stacked
          ? "flex min-w-0 flex-col py-1 text-xs text-ink-700"
          : "flex items-center justify-between gap-3 py-1 text-ink-700"
      }
    >
      {label}
      <span className={stacked ? "flex flex-col" : "flex flex-col items-end"}>
        <input
          ref={input}
          className={`${stacked ? "w-full" : "w-28"} rounded-md border bg-white px-2 py-1 text-right text-ink-900 placeholder:text-ink-500 ${wrong ? "border-oxide" : "border-lime-300"}`}
          value={text}
          placeholder={placeholder}
          aria-invalid={wrong}
          onChange={(event) => setText(event.target.value)}
          onBlur={commit}
          onKeyDown={(event) => {
            event.stopPropagation();
            if (event.key === "Enter") commit();
            if (event.key === "Escape") setText(value);
          }}
        />
        {wrong && <span className="text-[11px] text-oxide">{hint ?? "not a figure that can be used"}</span>}
      </span>
    </label>
  );
}

/** A name that can be typed. */
export function TextField({
  label,
  value,
  onValue,
  onClear,
  placeholder,
}: {
  label: string;
  value: string;
  onValue: (value: string) => void;
  onClear?: () => void;
  placeholder?: string;
}) {
  const [text, setText] = useState(value);
  useEffect(() => setText(value), [value]);
  const commit = () => {
    if (text === value) return;
    if (text.trim()) onValue(text.trim());
    else onClear?.();
  };
  return (
    <label className="flex flex-col gap-1 py-1 text-ink-700">
      {label}
      <input
        className="rounded-md border border-lime-300 bg-white px-2 py-1 text-ink-900 placeholder:text-ink-500"
        value={text}
        placeholder={placeholder}
        onChange={(event) => setText(event.target.value)}
        onBlur={commit}
        onKeyDown={(event) => event.key === "Enter" && commit()}
      />
    </label>
  );
}

type SliderProps = {
  label: string;
  value: number;
  min: number;
  max: number;
  step: number;
  show: (value: number) => string;
  onMove: (value: number) => void;
  onKeep: () => void;
  /** Goes back to what is measured or computed, by a double click. */
  onZero?: () => void;
};

export function Slider({ label, value, min, max, step, show, onMove, onKeep, onZero }: SliderProps) {
  const kept = useRef<number | null>(null);
  return (
    <div className="py-1.5">
      <div className="flex justify-between text-ink-700">
        <span>{label}</span>
        <span className="text-xs text-ink-500">{show(value)}</span>
      </div>
      <RadixSlider.Root
        className="relative mt-1 flex h-5 touch-none items-center select-none"
        value={[value]}
        min={min}
        max={max}
        step={step}
        onDoubleClick={onZero}
        title={onZero && "double click: back to what is computed"}
        onPointerDown={() => {
          kept.current = null;
        }}
        onValueChange={([next]) => {
          if (next !== undefined && next !== kept.current) onMove(next);
        }}
        onValueCommit={([next]) => {
          if (next === undefined) return;
          // By keyboard the value is committed before it is told to have changed.
          kept.current = next;
          onMove(next);
          onKeep();
        }}
      >
        <RadixSlider.Track className="relative h-[3px] grow rounded-full bg-lime-300">
          <RadixSlider.Range className="absolute h-full rounded-full bg-verdigris" />
        </RadixSlider.Track>
        <RadixSlider.Thumb
          aria-label={label}
          className="block h-3.5 w-3.5 rounded-full border-2 border-verdigris bg-white"
        />
      </RadixSlider.Root>
    </div>
  );
}

export function Bin({ label, onClick }: { label: string; onClick: () => void }) {
  return (
    <button
      type="button"
      aria-label={label}
      title={label}
      onClick={onClick}
      className="rounded px-1 text-ink-500 hover:bg-lime-200 hover:text-oxide"
    >
      <svg width="12" height="12" viewBox="0 0 12 12" aria-hidden="true">
        <path d="M2.5 2.5l7 7M9.5 2.5l-7 7" stroke="currentColor" strokeWidth="1.5" strokeLinecap="round" />
      </svg>
    </button>
  );
}

/** Something that is on or off, among others like it. */
export function Pill({ on, children, onClick }: { on: boolean; children: ReactNode; onClick: () => void }) {
  const look = on
    ? "border-verdigris bg-verdigris-soft text-verdigris-deep font-medium"
    : "border-lime-300 bg-white text-ink-700 hover:border-lime-500";
  return (
    <button
      type="button"
      aria-pressed={on}
      onClick={onClick}
      className={`rounded-full border px-2.5 py-[3px] text-xs leading-4 whitespace-nowrap ${look}`}
    >
      {children}
    </button>
  );
}

type OneOfProps<Value extends string> = {
  label: string;
  value: Value | null;
  options: readonly { value: Value; label: ReactNode }[];
  onValue: (value: Value) => void;
  look?: keyof typeof ONE_OF;
};

const ONE_OF = {
  pills: {
    group: "flex flex-wrap gap-1.5",
    item: "rounded-full border px-2.5 py-[3px] text-xs leading-4 whitespace-nowrap border-lime-300 bg-white text-ink-700 hover:border-lime-500 data-[state=on]:border-verdigris data-[state=on]:bg-verdigris-soft data-[state=on]:font-medium data-[state=on]:text-verdigris-deep",
  },
  joined: {
    group: "flex w-fit max-w-full overflow-hidden rounded-md border border-lime-300 bg-white",
    item: "px-3 py-1 text-ink-700 hover:bg-lime-100 data-[state=on]:bg-ink-900 data-[state=on]:text-white outline-offset-[-3px]",
  },
  cards: {
    group: "grid grid-cols-2 gap-1",
    item: "flex items-center gap-2 rounded-md border px-2 py-1 text-left border-lime-300 bg-white hover:border-lime-500 data-[state=on]:border-verdigris data-[state=on]:bg-verdigris-soft",
  },
  tiles: {
    group: "grid grid-cols-4 gap-1",
    item: "flex flex-col gap-0.5 rounded-md border border-transparent p-[3px] text-center text-[11px] leading-[1.15] text-ink-700 hover:border-lime-500 data-[state=on]:border-verdigris data-[state=on]:bg-verdigris-soft data-[state=on]:font-medium data-[state=on]:text-verdigris-deep",
  },
};

/** One of several: arrow keys go from one to the next. */
export function OneOf<Value extends string>({
  label,
  value,
  options,
  onValue,
  look = "pills",
}: OneOfProps<Value>) {
  return (
    <RadixGroup.Root
      type="single"
      aria-label={label}
      value={value ?? "none"}
      // Choosing what is chosen already would leave nothing chosen.
      onValueChange={(next) =>
        options.some((option) => option.value === next) && next !== value && onValue(next as Value)
      }
      className={ONE_OF[look].group}
    >
      {options.map((option) => (
        <RadixGroup.Item key={option.value} value={option.value} className={ONE_OF[look].item}>
          {option.label}
        </RadixGroup.Item>
      ))}
    </RadixGroup.Root>
  );
}

/** A statement that holds or not. */
export function Statement({
  holds,
  children,
  onChange,
}: {
  holds: boolean;
  children: ReactNode;
  onChange: (holds: boolean) => void;
}) {
  return (
    <label className="flex items-start gap-2 py-[3px] text-ink-700">
      <input
        type="checkbox"
        className="mt-[3px] accent-verdigris"
        checked={holds}
        onChange={(event) => onChange(event.target.checked)}
      />
      <span>{children}</span>
    </label>
  );
}

const SIGNS = {
  eye: {
    on: "M1.2 6C3 3 9 3 10.8 6C9 9 3 9 1.2 6ZM6 4.6a1.4 1.4 0 1 0 .01 0",
    off: "M1.2 6C3 3 9 3 10.8 6C9 9 3 9 1.2 6ZM2 10L10 2",
  },
  lock: {
    on: "M2.5 5.5h7v5h-7zM4 5.5V4a2 2 0 0 1 4 0v1.5",
    off: "M2.5 5.5h7v5h-7zM4 5.5V3a2 2 0 0 1 3.8-.9",
  },
  up: { on: "M2.5 7.5L6 4L9.5 7.5", off: "" },
  down: { on: "M2.5 4.5L6 8L9.5 4.5", off: "" },
} as const;

/** A small sign to click: whether a thing is seen, held fast; earlier or later in a list. */
export function Toggle({
  sign,
  on,
  label,
  onClick,
}: {
  sign: keyof typeof SIGNS;
  on: boolean;
  label: string;
  onClick: () => void;
}) {
  const strong = sign === "lock" ? on : sign === "eye" ? !on : false;
  return (
    <button
      type="button"
      aria-label={label}
      title={label}
      onClick={onClick}
      className={`rounded p-1 hover:bg-lime-200 ${strong ? "text-ink-900" : "text-ink-500"}`}
    >
      <svg width="12" height="12" viewBox="0 0 12 12" aria-hidden="true">
        <path
          d={SIGNS[sign][on ? "on" : "off"]}
          fill="none"
          stroke="currentColor"
          strokeWidth="1.2"
          strokeLinejoin="round"
        />
      </svg>
    </button>
  );
}
