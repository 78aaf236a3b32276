import * as Slider from "@radix-ui/react-slider";
import { useEffect, useId, useRef, useState } from "react";
import { useRefusals } from "@/api/refusals";
import { Hint } from "./Hint";

interface Props {
  label: string;
  hint?: string;
  value: number;
  min: number;
  max: number;
  step: number;
  usual?: number;
  /** What a value means in other units; said below it. */
  told?: (value: number) => string;
  /** While the value moves. */
  onMove?: (value: number) => void;
  /** When it has come to rest. */
  onSettle: (value: number) => void;
}

function decimals(step: number): number {
  return Math.min(3, Math.max(0, -Math.floor(Math.log10(step) + 1e-9)));
}

/** A number with its name: dragged on the line, typed in the box, or put back by a double click on the name. */
export function NumberRow({ label, hint, value, min, max, step, usual, told, onMove, onSettle }: Props) {
  const id = useId();
  const [shown, setShown] = useState(value);
  const [text, setText] = useState<string | null>(null);
  const moved = useRef(false);
  const refusals = useRefusals();
  useEffect(() => {
    setShown(value);
  }, [value, refusals]);
  const digits = decimals(step);
  const settle = (next: number) => {
    const fitted = Math.min(max, Math.max(min, Math.round(next / step) * step));
    const clean = Number(fitted.toFixed(4));
    setShown(clean);
    setText(null);
    // What was moved has to settle even where it comes back to, so that a passing look is let go.
    if (clean !== value || moved.current) onSettle(clean);
    moved.current = false;
  };
  const name = (
    <label
      htmlFor={id}
      className="w-[92px] shrink-0 truncate text-small"
      onDoubleClick={() => {
        if (usual !== undefined) settle(usual);
      }}
    >
      {label}
    </label>
  );
  const row = (
    <div className="flex h-6 items-center gap-2">
      {hint ? <Hint text={usual === undefined ? hint : `${hint}. Double click: ${usual}`}>{name}</Hint> : name}
      <Slider.Root
        className="relative -mx-2 flex h-6 min-w-0 flex-1 touch-none items-center"
        value={[shown]}
        min={min}
        max={max}
        step={step}
        onValueChange={([next]) => {
          if (next === undefined) return;
          setShown(next);
          moved.current = true;
          onMove?.(next);
        }}
        onValueCommit={([next]) => {
          if (next !== undefined) settle(next);
        }}
      >
        <Slider.Track className="relative mx-3 h-[3px] flex-1 bg-mortar">
          <Slider.Range className="absolute h-full bg-ink-2" />
        </Slider.Track>
        <Slider.Thumb
          aria-label={label}
          className="group flex h-6 w-6 items-center justify-center"
        >
          <span className="block h-4 w-[7px] rounded-sm border border-ink bg-lime group-hover:bg-verdigris-wash" />
        </Slider.Thumb>
      </Slider.Root>
      <input
        id={id}
        inputMode="decimal"
        className="figures h-5 w-[46px] rounded-sm border border-transparent bg-transparent px-1 text-right hover:border-joint focus:border-joint focus:bg-lime"
        value={text ?? shown.toFixed(digits)}
        onChange={(event) => {
          setText(event.target.value);
        }}
        onBlur={() => {
          if (text === null) return;
          const typed = Number(text.replace(",", "."));
          if (Number.isFinite(typed)) settle(typed);
          else setText(null);
        }}
        onKeyDown={(event) => {
          if (event.key === "Enter") event.currentTarget.blur();
          if (event.key === "Escape") setText(null);
        }}
      />
    </div>
  );
  if (!told) return row;
  return (
    <div>
      {row}
      <p className="figures -mt-0.5 pl-[100px] text-fine text-ink-2">{told(shown)}</p>
    </div>
  );
}
