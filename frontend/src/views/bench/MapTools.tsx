import { useState } from "react";
import { useQueryClient } from "@tanstack/react-query";
import { api, got } from "@/api/client";
import { keepNewer } from "@/api/queries";
import { Button } from "@/parts/Button";
import { ProblemNote } from "@/parts/ProblemNote";
import { Verdict } from "@/parts/Verdict";
import type { ControlsProps } from "./controlsProps";

/** What is done to a map as a whole: freeze its result, let it follow its recipe again, take it out. */
export function MapTools({ surface, map, knowledge, change }: ControlsProps) {
  const [problem, setProblem] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);
  const client = useQueryClient();
  const freeze = async () => {
    setProblem(null);
    setBusy(true);
    try {
      const params = { path: { surface_id: surface.id } };
      const body = { base: surface.revision, map: map.id };
      keepNewer(client, await got(api.POST("/api/surfaces/{surface_id}/freeze", { params, body })));
    } catch (failed) {
      setProblem(failed);
    } finally {
      setBusy(false);
    }
  };
  const old = surface.out_of_date.includes(map.id);
  return (
    <section aria-label="The map as a whole" className="flex flex-col gap-1.5 border-t border-mortar pt-2 text-small">
      {map.frozen && (
        <Verdict
          finding={
            old
              ? { level: "look", words: "Frozen, and out of date: what it comes from has changed", fix: "Freeze it anew, or let it follow." }
              : { level: "good", words: "Frozen: its result is kept", fix: "" }
          }
          withFix
        />
      )}
      {problem !== null && <ProblemNote error={problem} />}
      <div className="flex flex-wrap gap-2">
        {map.origin && (!map.frozen || old) && (
          <Button disabled={busy} hint="Its result after the steps is kept, whatever happens to what it comes from" onClick={() => void freeze()}>
            {map.frozen ? "Freeze anew" : "Freeze"}
          </Button>
        )}
        {map.frozen && (
          <Button
            onClick={() => {
              change({ kind: "thaw", map: map.id });
            }}
          >
            Follow its recipe
          </Button>
        )}
        <Button
          look="bare"
          hint="Its recipe goes with it; undo brings both back"
          onClick={() => {
            change({ kind: "remove_map", map: map.id });
          }}
        >
          Remove {knowledge.roles[map.role]?.title.toLowerCase()}
        </Button>
      </div>
    </section>
  );
}
