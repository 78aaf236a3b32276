import { useQuery } from "@tanstack/react-query";
import { api, got } from "@/api/client";
import { isOver } from "@/api/queries";
import { WorkStrip } from "@/parts/WorkStrip";

const AGAIN_MS = 1000;

/** Said while what computes is compiled, after the first start or a change of the program; pages work meanwhile. */
export function Preparing() {
  const { data } = useQuery({
    queryKey: ["preparing"],
    queryFn: () => got(api.GET("/api/preparing")),
    staleTime: Infinity,
    refetchInterval: ({ state }) => (state.data?.job && !isOver(state.data.job) ? AGAIN_MS : false),
  });
  const job = data?.job;
  if (!job || isOver(job)) return null;
  return (
    <div className="flex min-w-0 items-center px-3" title={job.doing}>
      <WorkStrip title="Preparing" share={job.progress} doing="Preparing" small>
        {null}
      </WorkStrip>
    </div>
  );
}
