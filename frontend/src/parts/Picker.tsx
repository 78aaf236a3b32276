import * as Popover from "@radix-ui/react-popover";
import { useId, useState } from "react";
import { Button } from "./Button";

export interface Pick {
  value: string;
  title: string;
  hint: string;
  group: string;
}

/** A long list behind one button: type to narrow it, arrows to go along, Enter to take. */
export function Picker({
  label,
  options,
  onPick,
  className = "",
}: {
  label: string;
  /** In the order of their groups. */
  options: readonly Pick[];
  onPick: (value: string) => void;
  className?: string;
}) {
  const [open, setOpen] = useState(false);
  const [typed, setTyped] = useState("");
  const [active, setActive] = useState(0);
  const list = useId();
  const words = typed.trim().toLowerCase().split(/\s+/);
  const fits = (text: string) => words.every((word) => text.toLowerCase().includes(word));
  const byTitle = options.filter((one) => fits(one.title));
  const found = [...byTitle, ...options.filter((one) => !byTitle.includes(one) && fits(`${one.title} ${one.hint} ${one.group}`))];
  const shown = typed.trim() === "" ? options : found;
  const at = Math.min(active, shown.length - 1);
  const take = (value: string) => {
    setOpen(false);
    onPick(value);
  };
  return (
    <Popover.Root
      open={open}
      onOpenChange={(next) => {
        setOpen(next);
        setTyped("");
        setActive(0);
      }}
    >
      <Popover.Trigger asChild>
        <Button className={className}>{label}</Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          aria-label={label}
          align="start"
          sideOffset={4}
          collisionPadding={8}
          className="z-30 flex max-h-[min(430px,70vh)] w-[300px] flex-col rounded-sm border border-ink bg-lime text-small shadow-md"
        >
          <input
            role="combobox"
            aria-label={`${label}: find`}
            aria-expanded
            aria-controls={list}
            aria-activedescendant={shown[at] ? `${list}-${String(at)}` : undefined}
            value={typed}
            placeholder="Type to find"
            spellCheck={false}
            className="m-2 h-7 rounded-sm border border-joint bg-lime px-1.5"
            onChange={(event) => {
              setTyped(event.target.value);
              setActive(0);
            }}
            onKeyDown={(event) => {
              const by = { ArrowDown: 1, ArrowUp: -1 }[event.key];
              if (by) {
                event.preventDefault();
                const next = Math.min(shown.length - 1, Math.max(0, at + by));
                setActive(next);
                document.getElementById(`${list}-${String(next)}`)?.scrollIntoView({ block: "nearest" });
              }
              const chosen = shown[at];
              if (event.key === "Enter" && chosen) {
                event.preventDefault();
                take(chosen.value);
              }
            }}
          />
          <ul id={list} role="listbox" aria-label={label} className="overflow-y-auto px-1 pb-1">
            {shown.map((one, n) => (
              <li key={one.value} role="presentation">
                {one.group !== shown[n - 1]?.group && (
                  <span className="block px-1.5 pt-2 pb-0.5 text-fine font-medium text-ink-2" aria-hidden>
                    {one.group}
                  </span>
                )}
                <button
                  type="button"
                  role="option"
                  id={`${list}-${String(n)}`}
                  aria-selected={n === at}
                  tabIndex={-1}
                  className={`flex min-h-6 w-full flex-col rounded-sm px-1.5 py-0.5 text-left hover:bg-verdigris-wash ${n === at ? "bg-verdigris-wash ring-1 ring-verdigris ring-inset" : ""}`}
                  onClick={() => {
                    take(one.value);
                  }}
                >
                  <span>{one.title}</span>
                  <span className="text-fine text-ink-2">{one.hint}</span>
                </button>
              </li>
            ))}
            {shown.length === 0 && <li className="px-1.5 py-1 text-ink-2">Nothing is called so</li>}
          </ul>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
