import type { ButtonHTMLAttributes, ReactNode } from "react";
import { Hint } from "./Hint";
import { KeyCap } from "./KeyCap";

interface Props extends ButtonHTMLAttributes<HTMLButtonElement> {
  /** The key that does the same; shown on the button. */
  keyName?: string;
  /** A line that is shown when the pointer rests on it. */
  hint?: string;
  look?: "solid" | "line" | "bare";
  children: ReactNode;
}

const LOOKS = {
  solid: "bg-ink text-lime border-ink hover:bg-verdigris hover:border-verdigris font-medium",
  line: "bg-lime border-ink hover:bg-verdigris-wash",
  bare: "border-transparent hover:bg-verdigris-wash hover:text-ink",
};

export function Button({ keyName, hint, look = "line", className = "", children, ...rest }: Props) {
  const button = (
    <button
      type="button"
      className={`inline-flex h-7 items-center gap-2 rounded-sm border px-2.5 whitespace-nowrap disabled:pointer-events-none disabled:opacity-45 ${LOOKS[look]} ${className}`}
      {...rest}
    >
      {children}
      {keyName && <KeyCap name={keyName} />}
    </button>
  );
  return hint ? <Hint text={hint}>{button}</Hint> : button;
}
