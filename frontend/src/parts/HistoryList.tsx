import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { api, got } from "@/api/client";
import { useHistory } from "@/api/queries";
import { ProblemNote } from "./ProblemNote";

interface Props {
  /** The document, and the revision that it is at. */
  id: string;
  revision: number;
  /** Changes with every move of the document. */
  moves: number;
  onMoved: () => void;
  open?: boolean;
}

/** All that was done to a document, newest first: each can be named, and returned to, undone or not. */
export function HistoryList({ id, revision, moves, onMoved, open = false }: Props) {
  const { data: history } = useHistory(id, moves);
  const [problem, setProblem] = useState<unknown>(null);
  const [naming, setNaming] = useState<number | null>(null);
  const client = useQueryClient();
  const params = { path: { document_id: id } };
  const attempt = async (work: () => Promise<unknown>) => {
    setProblem(null);
    try {
      await work();
    } catch (failed) {
      setProblem(failed);
    }
  };
  const takeBack = (number: number) =>
    attempt(async () => {
      await got(api.POST("/api/documents/{document_id}/take-back", { params, body: { base: revision, number } }));
      onMoved();
    });
  const name = (number: number, title: string) =>
    attempt(async () => {
      setNaming(null);
      if (!title.trim()) return;
      client.setQueryData(["history", id, moves], await got(api.POST("/api/documents/{document_id}/snapshots", { params, body: { number, title } })));
    });
  const forget = (title: string) =>
    attempt(async () => {
      const answer = await got(api.DELETE("/api/documents/{document_id}/snapshots", { params: { ...params, query: { title } } }));
      client.setQueryData(["history", id, moves], answer);
    });
  if (!history) return null;
  const first = history[history.length - 1]?.id ?? 0;
  const named = history.filter((entry) => entry.snapshots.length > 0).length;
  return (
    <>
      {problem !== null && <ProblemNote error={problem} onClose={() => { setProblem(null); }} />}
      <details className="text-small" open={open}>
        <summary className="min-h-6 cursor-pointer leading-6 text-ink-2">
          What was changed, newest first{named > 0 && `; ${String(named)} named`}
        </summary>
        <ol className="mt-1 max-h-52 overflow-y-auto">
          {history.map((entry) => (
            <li
              key={entry.id}
              className={`border-t border-mortar py-0.5 ${entry.current ? "font-semibold" : ""} ${entry.on_branch ? "" : "text-ink-2"}`}
            >
              <div className="flex items-baseline gap-2">
                <span className="figures w-6 shrink-0 text-right text-ink-2">{entry.id - first + 1}</span>
                <span className="flex-1">
                  {entry.words}
                  {!entry.on_branch && " (left by an undo)"}
                </span>
                <button
                  type="button"
                  className="min-h-6 font-normal underline"
                  aria-label={`Name “${entry.words}”`}
                  onClick={() => {
                    setNaming(naming === entry.id ? null : entry.id);
                  }}
                >
                  Name
                </button>
                {!entry.current && (
                  <button type="button" className="min-h-6 underline" onClick={() => void takeBack(entry.id)}>
                    Take back
                  </button>
                )}
              </div>
              {entry.snapshots.map((title) => (
                <div key={title} className="flex items-baseline gap-2 pl-8">
                  <span className="flex-1 border-l-2 border-verdigris pl-1.5 font-semibold">{title}</span>
                  <button type="button" className="min-h-6 font-normal underline" onClick={() => void forget(title)}>
                    Forget the name
                  </button>
                </div>
              ))}
              {naming === entry.id && (
                <NameField
                  onName={(title) => void name(entry.id, title)}
                  onLeave={() => {
                    setNaming(null);
                  }}
                />
              )}
            </li>
          ))}
        </ol>
      </details>
    </>
  );
}

/** Where a name is typed; the button that opened it hands the typing over. */
function NameField({ onName, onLeave }: { onName: (title: string) => void; onLeave: () => void }) {
  const field = useRef<HTMLInputElement>(null);
  useEffect(() => {
    field.current?.focus();
  }, []);
  return (
    <input
      ref={field}
      aria-label="Name of this state"
      maxLength={80}
      placeholder="Before the moss"
      className="mb-1 ml-8 h-6 w-[calc(100%-2rem)] rounded-sm border border-joint bg-lime px-1.5 font-normal"
      onBlur={(event) => {
        onName(event.target.value);
      }}
      onKeyDown={(event) => {
        if (event.key === "Enter") event.currentTarget.blur();
        if (event.key === "Escape") onLeave();
      }}
    />
  );
}
