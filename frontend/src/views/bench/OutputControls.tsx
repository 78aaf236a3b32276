import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useId, useState } from "react";
import { api, got } from "@/api/client";
import { useHistory } from "@/api/queries";
import { ProblemNote } from "@/parts/ProblemNote";
import { Tick } from "@/parts/Tick";
import type { ControlsProps } from "./controlsProps";

/** How the map leaves: its file name, and whether it goes at all. */
export function OutputControls({ surface, map, change }: ControlsProps) {
  const field = useId();
  const [name, setName] = useState(map.file_name);
  const { data: history } = useHistory(surface.id, surface.revision);
  useEffect(() => {
    setName(map.file_name);
  }, [map.file_name]);
  const [problem, setProblem] = useState<unknown>(null);
  const client = useQueryClient();
  const takeBack = async (number: number) => {
    setProblem(null);
    try {
      const params = { path: { surface_id: surface.id } };
      const body = { base: surface.revision, number };
      client.setQueryData(["surface", surface.id], await got(api.POST("/api/surfaces/{surface_id}/take-back", { params, body })));
    } catch (failed) {
      setProblem(failed);
    }
  };
  const settle = () => {
    if (name !== map.file_name) {
      change({ kind: "set_output", role: map.role, file_name: name, delivered: map.delivered });
    }
  };
  return (
    <div className="flex flex-col gap-3">
      <label htmlFor={field} className="flex flex-col gap-1 text-small">
        File name, as the game looks it up
        <span className="flex items-center rounded-sm border border-joint focus-within:border-verdigris">
          <input
            id={field}
            value={name}
            spellCheck={false}
            className="figures h-7 min-w-0 flex-1 px-2"
            onChange={(event) => {
              setName(event.target.value);
            }}
            onBlur={settle}
            onKeyDown={(event) => {
              if (event.key === "Enter") settle();
              if (event.key === "Escape") setName(map.file_name);
            }}
          />
          <span className="figures pr-2 text-ink-2">.dds</span>
        </span>
      </label>
      <Tick
        checked={map.delivered}
        onChange={(delivered) => {
          change({ kind: "set_output", role: map.role, file_name: map.file_name, delivered });
        }}
      >
        Goes into the delivery
      </Tick>
      {problem !== null && <ProblemNote error={problem} />}
      {history && (
        <details className="text-small">
          <summary className="text-ink-2">What was changed, newest first</summary>
          <ol className="mt-1 max-h-52 overflow-y-auto">
            {history.map((entry) => (
              <li
                key={entry.number}
                className={`flex gap-2 border-t border-mortar py-0.5 ${entry.current ? "font-semibold" : ""}`}
              >
                <span className="figures w-6 text-right text-ink-2">{entry.number}</span>
                <span className="flex-1">{entry.words}</span>
                {!entry.current && (
                  <button type="button" className="underline" onClick={() => void takeBack(entry.number)}>
                    Take back
                  </button>
                )}
              </li>
            ))}
          </ol>
        </details>
      )}
    </div>
  );
}
