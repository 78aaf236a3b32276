import { asProblem } from "@/api/client";
import { FaultIcon } from "./icons";

/** What went wrong, where it happened, and what to do. */
export function ProblemNote({ error, onClose }: { error: unknown; onClose?: () => void }) {
  const problem = asProblem(error);
  return (
    <div role="alert" className="flex items-start gap-2 rounded-sm bg-madder-wash px-2.5 py-1.5 text-small">
      <span className="mt-0.5 text-madder">
        <FaultIcon />
      </span>
      <p className="min-w-0 flex-1 break-words">
        <strong className="font-semibold text-madder">{problem.message}</strong> {problem.fix}
      </p>
      {onClose && (
        <button type="button" onClick={onClose} className="shrink-0 underline">
          Close
        </button>
      )}
    </div>
  );
}
