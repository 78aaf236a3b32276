import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, type SurfaceView } from "@/api/client";
import { keepNewer, useHistory } from "@/api/queries";
import { ProblemNote } from "@/parts/ProblemNote";

/** All that was done to a surface, newest first; what an undo left behind can be returned to. */
export function HistoryList({ surface }: { surface: SurfaceView }) {
  const { data: history } = useHistory(surface.id, surface.moves);
  const [problem, setProblem] = useState<unknown>(null);
  const client = useQueryClient();
  const takeBack = async (number: number) => {
    setProblem(null);
    try {
      const params = { path: { surface_id: surface.id } };
      const body = { base: surface.revision, number };
      keepNewer(client, await got(api.POST("/api/surfaces/{surface_id}/take-back", { params, body })));
    } catch (failed) {
      setProblem(failed);
    }
  };
  if (!history) return null;
  const first = history[history.length - 1]?.id ?? 0;
  return (
    <>
      {problem !== null && <ProblemNote error={problem} />}
      <details className="text-small">
        <summary className="min-h-6 cursor-pointer leading-6 text-ink-2">What was changed, newest first</summary>
        <ol className="mt-1 max-h-52 overflow-y-auto">
          {history.map((entry) => (
            <li
              key={entry.id}
              className={`flex gap-2 border-t border-mortar py-0.5 ${entry.current ? "font-semibold" : ""} ${entry.on_branch ? "" : "text-ink-2"}`}
            >
              <span className="figures w-6 text-right text-ink-2">{entry.id - first + 1}</span>
              <span className="flex-1">
                {entry.words}
                {!entry.on_branch && " (left by an undo)"}
              </span>
              {!entry.current && (
                <button type="button" className="underline" onClick={() => void takeBack(entry.id)}>
                  Take back
                </button>
              )}
            </li>
          ))}
        </ol>
      </details>
    </>
  );
}
