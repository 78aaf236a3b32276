import type { ReactNode } from "react";
import { isStopped } from "@/api/client";
import { ProblemNote } from "@/parts/ProblemNote";

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

/** Why what is asked for is not shown. */
export function Missed({ error }: { error: unknown }) {
  if (isStopped(error)) {
    return (
      <p className="absolute inset-x-0 top-1/2 mx-auto w-fit -translate-y-1/2 rounded-sm bg-label/85 px-3 py-1.5 text-label-ink">
        Stopped before this was made
      </p>
    );
  }
  return (
    <div className="absolute inset-x-3 bottom-14">
      <ProblemNote error={error} />
    </div>
  );
}
