import { useProjects } from "@/api/queries";
import { Hint } from "./Hint";

/** Texels on a metre of a surface, against what the project asks for. */
export function Density({ project, texels, metres }: { project: string; texels: number; metres: number }) {
  const { data: projects } = useProjects();
  const wanted = projects?.find((p) => p.id === project)?.texels_per_metre;
  const here = texels / metres;
  const times = wanted ? here / wanted : 1;
  const words =
    times > 1.4 ? `${times.toFixed(1)} times the project's` : times < 0.71 ? `${times.toFixed(2)} of the project's` : "as the project";
  return (
    <Hint text={`One tile is ${metres.toFixed(1)} m wide; the project asks for ${String(wanted ?? "…")} texels a metre. The width is set with the material.`}>
      <span>
        <span className="figures">{Math.round(here)}/m</span> <span className="text-ink-2">{words}</span>
      </span>
    </Hint>
  );
}
