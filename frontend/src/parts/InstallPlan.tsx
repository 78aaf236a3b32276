import { useQuery } from "@tanstack/react-query";
import { useId, useState } from "react";
import { api, got } from "@/api/client";
import { renew, useProjects } from "@/api/queries";
import { ProblemNote } from "./ProblemNote";
import { PutPlan } from "./PutPlan";

interface Props {
  project: string;
  delivery: string;
  onClose: (done: boolean) => void;
}

/** What putting a delivery of loose files into the game would do, and where inside the game they go. */
export function InstallPlan({ project, delivery, onClose }: Props) {
  const { data: projects } = useProjects();
  const into = projects?.find((p) => p.id === project)?.put_into;
  const params = { path: { delivery_id: delivery } };
  if (into === undefined) return null;
  return (
    <PutPlan
      name={`${delivery}-${into}`}
      title="Put the delivery in the game"
      plan={() => api.POST("/api/deliveries/{delivery_id}/plan", { params })}
      put={() => api.POST("/api/deliveries/{delivery_id}/install", { params })}
      words={(places) => (places === 1 ? "Put 1 file in the game" : `Put ${String(places)} files in the game`)}
      onClose={onClose}
    >
      <PutInto project={project} into={into} />
    </PutPlan>
  );
}

/** The folder inside the game where loose files go. */
export function PutInto({ project, into }: { project: string; into: string }) {
  const field = useId();
  const [typed, setTyped] = useState<string | null>(null);
  const [problem, setProblem] = useState<unknown>(null);
  const { data: folders } = useQuery({
    queryKey: ["folders", project],
    queryFn: () => got(api.GET("/api/projects/{project_id}/folders", { params: { path: { project_id: project } } })),
  });
  const settle = async () => {
    if (typed === null) return;
    setProblem(null);
    try {
      const params = { path: { project_id: project } };
      await got(api.PUT("/api/projects/{project_id}/put-into", { params, body: { folder: typed.trim() } }));
      await renew(["projects"]);
      setTyped(null);
    } catch (failed) {
      setProblem(failed);
    }
  };
  return (
    <div className="border-b border-mortar px-5 py-2.5 text-small">
      <label htmlFor={field} className="flex items-center gap-2">
        <span className="whitespace-nowrap">Folder inside the game</span>
        <input
          id={field}
          list={`${field}-folders`}
          value={typed ?? into}
          placeholder="the game folder itself"
          spellCheck={false}
          className="figures h-7 min-w-0 flex-1 rounded-sm border border-joint bg-lime px-2"
          onChange={(event) => {
            setTyped(event.target.value);
          }}
          onBlur={() => void settle()}
          onKeyDown={(event) => {
            if (event.key === "Enter") event.currentTarget.blur();
          }}
        />
      </label>
      <datalist id={`${field}-folders`}>
        {folders?.map((folder) => <option key={folder} value={folder} />)}
      </datalist>
      {problem !== null && <ProblemNote error={problem} />}
    </div>
  );
}
