import type { ReactNode } from "react";

/** One of the two views: a strip of tools, and the picture on neutral ground. */
export function Pane({ title, tools, children }: { title: string; tools: ReactNode; children: ReactNode }) {
  return (
    <section aria-label={title} className="flex min-w-0 flex-1 flex-col border-l border-joint first:border-l-0">
      <div className="flex h-8 shrink-0 items-center gap-3 overflow-hidden bg-plaster px-3">
        <h2 className="font-semibold whitespace-nowrap">{title}</h2>
        {tools}
      </div>
      <div className="relative min-h-0 flex-1 bg-ground">{children}</div>
    </section>
  );
}
