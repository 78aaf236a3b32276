import type { ReactNode } from "react";

/** Work in progress on one line: how far it is, what it does, and what can be done about it. */
export function WorkStrip({
  title,
  share,
  doing,
  small = false,
  children,
}: {
  title: string;
  /** How far it is, 0 to 1. */
  share: number;
  doing: string;
  small?: boolean;
  children: ReactNode;
}) {
  return (
    <div role="status" className={`flex min-w-0 items-center text-small ${small ? "gap-1.5" : "gap-3"}`}>
      <div
        role="progressbar"
        aria-label={title}
        aria-valuenow={Math.round(share * 100)}
        aria-valuemin={0}
        aria-valuemax={100}
        className={`h-1.5 shrink-0 bg-mortar ${small ? "w-10" : "w-28"}`}
      >
        <div className="h-full bg-verdigris" style={{ width: `${share * 100}%` }} />
      </div>
      <span className="max-w-60 truncate">{doing}</span>
      {children}
    </div>
  );
}
