import { useEffect, useId, useState } from "react";
import { Hint } from "./Hint";

interface Props {
  label: string;
  hint?: string;
  value: string;
  onMove?: (value: string) => void;
  onSettle: (value: string) => void;
}

/** Six digits of sRGB, whatever way they were typed; null where they are none. */
export function asSwatch(typed: string): string | null {
  const digits = typed.trim().replace(/^#/, "").toLowerCase();
  if (/^[0-9a-f]{6}$/.test(digits)) return `#${digits}`;
  return /^[0-9a-f]{3}$/.test(digits) ? `#${digits.replace(/./g, "$&$&")}` : null;
}

/** A colour: chosen on the square, or typed. */
export function ColourRow({ label, hint, value, onMove, onSettle }: Props) {
  const id = useId();
  const [text, setText] = useState<string | null>(null);
  const [moved, setMoved] = useState(value);
  useEffect(() => {
    setMoved(value);
  }, [value]);
  const name = (
    <label htmlFor={id} className="w-[92px] shrink-0 truncate text-small">
      {label}
    </label>
  );
  return (
    <div className="flex h-6 items-center gap-2">
      {hint ? <Hint text={hint}>{name}</Hint> : name}
      <input
        type="color"
        aria-label={`${label}, chosen`}
        value={moved}
        className="h-6 min-w-0 flex-1 rounded-sm border border-joint bg-lime p-0.5"
        onInput={(event) => {
          setMoved(event.currentTarget.value);
          onMove?.(event.currentTarget.value);
        }}
        onChange={(event) => {
          setMoved(event.target.value);
        }}
        onBlur={() => {
          if (moved !== value) onSettle(moved);
        }}
      />
      <input
        id={id}
        value={text ?? moved}
        maxLength={9}
        spellCheck={false}
        className="figures h-5 w-[74px] rounded-sm border border-transparent bg-transparent px-1 text-right hover:border-joint focus:border-joint focus:bg-lime"
        onChange={(event) => {
          setText(event.target.value);
        }}
        onBlur={() => {
          if (text === null) return;
          const typed = asSwatch(text);
          setText(null);
          if (typed !== null && typed !== value) onSettle(typed);
        }}
        onKeyDown={(event) => {
          if (event.key === "Enter") event.currentTarget.blur();
          if (event.key === "Escape") setText(null);
        }}
      />
    </div>
  );
}

/** Several colours, typed one after the other; none is a choice too. */
export function ColoursRow({
  label,
  hint,
  values,
  onSettle,
}: {
  label: string;
  hint: string | undefined;
  values: readonly string[];
  onSettle: (values: string[]) => void;
}) {
  const id = useId();
  const [text, setText] = useState<string | null>(null);
  return (
    <div className="flex flex-col gap-1 text-small">
      <label htmlFor={id} title={hint}>
        {label}
      </label>
      {values.length > 0 && (
        <span className="flex flex-wrap gap-0.5" aria-hidden>
          {values.map((value, n) => (
            <span key={n} className="h-4 w-4 border border-joint" style={{ background: value }} title={value} />
          ))}
        </span>
      )}
      <input
        id={id}
        value={text ?? values.join(" ")}
        placeholder="made from the picture"
        spellCheck={false}
        className="figures h-6 rounded-sm border border-joint bg-lime px-1.5"
        onChange={(event) => {
          setText(event.target.value);
        }}
        onBlur={() => {
          if (text === null) return;
          const typed = text.split(/[\s,;]+/).flatMap((one) => asSwatch(one) ?? []);
          setText(null);
          if (typed.join() !== values.join()) onSettle(typed);
        }}
        onKeyDown={(event) => {
          if (event.key === "Enter") event.currentTarget.blur();
          if (event.key === "Escape") setText(null);
        }}
      />
    </div>
  );
}
