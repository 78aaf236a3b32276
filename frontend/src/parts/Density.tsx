import { useState } from "react";
import { api, got } from "@/api/client";
import { renew, useProjects } from "@/api/queries";
import { Hint } from "./Hint";

/** Texels on a metre of a surface, against what the project asks for. */
export function Density({ project, texels, metres }: { project: string; texels: number; metres: number }) {
  const { data: projects } = useProjects();
  const wanted = projects?.find((p) => p.id === project)?.texels_per_metre;
  const here = texels / metres;
  const times = wanted ? here / wanted : 1;
  const words =
    times > 1.4 ? `${times.toFixed(1)} × the project's` : times < 0.71 ? `${times.toFixed(2)} of the project's` : "as the project";
  return (
    <Hint text={`One tile is ${metres.toFixed(1)} m wide; the project asks for ${String(wanted ?? "…")} texels a metre. The width is set with the material.`}>
      <span>
        <span className="figures">{Math.round(here)}/m</span> <span className="text-ink-2">{words}</span>
      </span>
    </Hint>
  );
}

/** What the project asks for, typed. */
export function WantedDensity({ project }: { project: string }) {
  const { data: projects } = useProjects();
  const [typed, setTyped] = useState<string | null>(null);
  const wanted = projects?.find((p) => p.id === project)?.texels_per_metre;
  const settle = async () => {
    const value = Number(typed);
    setTyped(null);
    if (!Number.isInteger(value) || value < 8 || value > 16384 || value === wanted) return;
    await got(
      api.PUT("/api/projects/{project_id}/density", {
        params: { path: { project_id: project } },
        body: { texels_per_metre: value },
      }),
    );
    void renew(["projects"]);
  };
  return (
    <Hint text="Every surface is held against this, so that one pattern keeps one scale">
      <label className="flex items-center gap-1.5 text-small">
        Texels a metre
        <input
          inputMode="numeric"
          className="figures h-6 w-14 rounded-sm border border-joint bg-lime px-1 text-right"
          value={typed ?? String(wanted ?? "")}
          onChange={(event) => { setTyped(event.target.value); }}
          onBlur={() => { if (typed !== null) void settle(); }}
          onKeyDown={(event) => { if (event.key === "Enter") event.currentTarget.blur(); }}
        />
      </label>
    </Hint>
  );
}
