import type { ReactNode } from "react";

/** An empty place that says what to do first. */
export function Empty({ title, children }: { title: string; children: ReactNode }) {
  return (
    <div className="mx-auto flex max-w-md flex-col items-start gap-3 py-20">
      <h2 className="text-title font-semibold">{title}</h2>
      <div className="text-ink-2">{children}</div>
    </div>
  );
}
