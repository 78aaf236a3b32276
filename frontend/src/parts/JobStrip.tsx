import { useEffect } from "react";
import { api, StoneProblem, type Schemas } from "@/api/client";
import { isOver, useJob } from "@/api/queries";
import { Button } from "./Button";
import { ProblemNote } from "./ProblemNote";
import { WorkStrip } from "./WorkStrip";

interface Props {
  id: string;
  onDone: (job: Schemas["JobView"]) => void;
  onClose: () => void;
}

/** Long work: what it does, how far it is, and a way to stop it. */
export function JobStrip({ id, onDone, onClose }: Props) {
  const { data: job, error } = useJob(id);
  const state = job?.state;
  useEffect(() => {
    if (job && state === "done") onDone(job);
    // Told once, when the state turns; the callback's identity does not matter.
    // oxlint-disable-next-line react/exhaustive-deps
  }, [state]);
  if (error) return <ProblemNote error={error} onClose={onClose} />;
  if (job?.problem) return <ProblemNote error={new StoneProblem(job.problem, 422)} onClose={onClose} />;
  if (!job || (isOver(job) && job.state !== "stopped")) return null;
  return (
    <WorkStrip title={job.title} share={job.progress} doing={job.doing}>
      {job.state === "stopped" ? (
        <Button look="bare" onClick={onClose}>
          Close
        </Button>
      ) : (
        <Button
          look="bare"
          onClick={() => void api.DELETE("/api/jobs/{job_id}", { params: { path: { job_id: id } } })}
        >
          Stop
        </Button>
      )}
    </WorkStrip>
  );
}
