import { useQuery } from "@tanstack/react-query";
import { api, got } from "@/api/client";
import { BarActions } from "@/app/BarActions";
import { ProblemNote } from "@/parts/ProblemNote";

/** The sample game's room, on its own page, which reads nothing but its game folder. */
export function Game({ project }: { project: string }) {
  const { data: game, error } = useQuery({
    queryKey: ["game", project],
    queryFn: () => got(api.POST("/api/projects/{project_id}/game", { params: { path: { project_id: project } } })),
    staleTime: 0,
    gcTime: 0,
  });
  if (error) return <div className="p-6"><ProblemNote error={error} /></div>;
  if (!game) return <p role="status" className="p-6 text-ink-2">Starting the sample game…</p>;
  return (
    <>
      <BarActions>
        <a href={game.address} target="_blank" rel="noreferrer" className="px-2 text-small underline">
          Open the room on its own page
        </a>
      </BarActions>
      {/* The room reads its folder anew whenever it is opened from here. */}
      <iframe title="Saltglass, the sample game" src={`${game.address}?fresh`} className="block h-full w-full border-0" />
    </>
  );
}
