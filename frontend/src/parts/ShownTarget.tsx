import { useState } from "react";
import { api, got } from "@/api/client";
import { renew, useProjects } from "@/api/queries";
import { ProblemNote } from "./ProblemNote";

/** Say which targets a project is for, the shown one first; all that depends on it is fetched anew. */
export async function chooseTargets(project: string, targets: string[]) {
  const params = { path: { project_id: project } };
  const view = await got(api.PUT("/api/projects/{project_id}/targets", { params, body: { targets } }));
  for (const list of ["projects", "surface", "surfaces", "materials", "material", "deliveries", "actions", "game-names"]) {
    void renew([list]);
  }
  return view;
}

/** For which target things are shown; a choice where the project has several. */
export function ShownTarget({ project, shown }: { project: string; shown: string }) {
  const { data: projects } = useProjects();
  const [problem, setProblem] = useState<unknown>(null);
  const targets = projects?.find((p) => p.id === project)?.targets ?? [];
  const choose = async (name: string) => {
    setProblem(null);
    try {
      await chooseTargets(project, [name, ...targets.map((t) => t.name).filter((other) => other !== name)]);
    } catch (failed) {
      setProblem(failed);
    }
  };
  if (targets.length < 2) {
    return <p className="text-small text-ink-2">For {targets.find((t) => t.name === shown)?.title ?? shown}</p>;
  }
  return (
    <label className="flex items-center gap-2 text-small">
      For
      <select
        aria-label="For which game"
        value={shown}
        className="h-6 min-w-0 flex-1 rounded-sm border border-joint bg-lime px-1"
        onChange={(event) => void choose(event.target.value)}
      >
        {targets.map((target) => (
          <option key={target.name} value={target.name}>{target.title}</option>
        ))}
      </select>
      {problem !== null && <ProblemNote error={problem} />}
    </label>
  );
}
