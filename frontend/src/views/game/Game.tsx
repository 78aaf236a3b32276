import { useQuery } from "@tanstack/react-query";
import { Link } from "wouter";
import { api, got } from "@/api/client";
import { useProjects } from "@/api/queries";
import { BarActions } from "@/app/BarActions";
import { Empty } from "@/parts/Empty";
import { ProblemNote } from "@/parts/ProblemNote";

/** Where the surfaces are seen: the sample game's room, or how to look in a game of one's own. */
export function Game({ project }: { project: string }) {
  const { data: projects } = useProjects();
  const here = projects?.find((p) => p.id === project);
  if (!here) return <div className="h-full" aria-busy />;
  return here.target.room ? <Room project={project} /> : <OwnGame project={project} folder={here.game_folder} />;
}

function OwnGame({ project, folder }: { project: string; folder: string | null }) {
  return (
    <Empty title="Look in your own game">
      <p className="mb-3">
        Build a delivery, or put a texture back, then start the game and go to where the surface is seen. Look from near and
        far, and in moving light. Come back here to change it.
      </p>
      <p className="mb-3">
        {folder ? (
          <>
            The game lies in <span className="figures select-all">{folder}</span>
          </>
        ) : (
          "No game folder is registered yet; do that on Sources."
        )}
      </p>
      <Link href={`/p/${project}/${folder ? "deliveries" : "sources"}`} className="underline">
        {folder ? "To the deliveries" : "To the sources"}
      </Link>
    </Empty>
  );
}

/** The sample game's room, on its own page, which reads nothing but its game folder. */
function Room({ project }: { project: string }) {
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
