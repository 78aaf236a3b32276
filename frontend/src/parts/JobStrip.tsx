import { useEffect } from "react";
import { api, type Schemas } from "@/api/client";
import { isOver, useJob } from "@/api/queries";
import { Button } from "./Button";
import { ProblemNote } from "./ProblemNote";
import { StoneProblem } from "@/api/client";

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
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [state]);
  if (error) return <ProblemNote error={error} onClose={onClose} />;
  if (job?.problem) return <ProblemNote error={new StoneProblem(job.problem, 422)} onClose={onClose} />;
  if (!job || (isOver(job) && job.state !== "stopped")) return null;
  return (
    <div role="status" className="flex items-center gap-3 text-small">
      <div
        role="progressbar"
        aria-label={job.title}
        aria-valuenow={Math.round(job.progress * 100)}
        aria-valuemin={0}
        aria-valuemax={100}
        className="h-1.5 w-28 bg-mortar"
      >
        <div className="h-full bg-verdigris" style={{ width: `${job.progress * 100}%` }} />
      </div>
      <span className="max-w-60 truncate">{job.doing}</span>
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
    </div>
  );
}
