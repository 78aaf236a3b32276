import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, StoneProblem, type SurfaceView } from "@/api/client";
import { useMaking } from "@/api/queries";
import { Hint } from "@/parts/Hint";
import { ProblemNote } from "@/parts/ProblemNote";
import { WorkStrip } from "@/parts/WorkStrip";

/** The making of a surface's stages: how far it is, with a way to stop it and to go on. */
export function Making({ surface, onGoOn }: { surface: SurfaceView; onGoOn: () => void }) {
  const client = useQueryClient();
  const { data: making, waiting } = useMaking(surface);
  const [problem, setProblem] = useState<unknown>(null);
  const params = { path: { surface_id: surface.id } };
  const name = ["making", surface.id, surface.revision];
  const stop = async () => {
    try {
      client.setQueryData(name, await got(api.DELETE("/api/surfaces/{surface_id}/making", { params })));
    } catch (failed) {
      setProblem(failed);
    }
  };
  const goOn = async () => {
    try {
      client.setQueryData(name, await got(api.POST("/api/surfaces/{surface_id}/making", { params })));
      void client.resetQueries({ queryKey: ["facts"], predicate: (query) => query.state.error instanceof StoneProblem });
      onGoOn();
    } catch (failed) {
      setProblem(failed);
    }
  };
  if (problem !== null) return <ProblemNote error={problem} onClose={() => { setProblem(null); }} />;
  if (!making || making.done === making.total || !(making.stopped || (waiting && making.doing))) return null;
  const parts = `${String(making.done)} of ${String(making.total)}`;
  return (
    <WorkStrip
      title="Making the stages"
      small
      share={making.done / making.total}
      doing={making.stopped ? `${parts}: stopped` : `${parts}: ${making.doing ?? ""}`}
    >
      <Hint text={making.stopped ? "Makes the stages that are missing" : "What is not done yet is not made"}>
        <button type="button" className="underline" onClick={() => void (making.stopped ? goOn() : stop())}>
          {making.stopped ? "Go on" : "Stop"}
        </button>
      </Hint>
    </WorkStrip>
  );
}
