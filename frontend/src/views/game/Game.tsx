import { useQuery } from "@tanstack/react-query";
import { Link } from "wouter";
import { api, got, type Schemas } from "@/api/client";
import { useDeliveries, useProjects } from "@/api/queries";
import { BarActions } from "@/app/BarActions";
import { Empty } from "@/parts/Empty";
import { ProblemNote } from "@/parts/ProblemNote";

/** Where the surfaces are seen: the sample game's room, or how to look in a game of one's own. */
export function Game({ project }: { project: string }) {
  const { data: projects } = useProjects();
  const here = projects?.find((p) => p.id === project);
  if (!here) return <div className="h-full" aria-busy />;
  return here.target.room ? <Room project={project} /> : <OwnGame project={here} />;
}

function OwnGame({ project }: { project: Schemas["ProjectView"] }) {
  const { data: deliveries } = useDeliveries(project.id);
  const { game_folder: folder, put_into } = project;
  const inGame = deliveries?.filter((d) => d.in_game) ?? [];
  return (
    <Empty title="Look in your own game">
      <p className="mb-3">
        {inGame.length > 0 ? "Start" : "Put a surface in the game, or a texture back, then start"} the game and go to where the
        surface is seen. Look from near and far, and in moving light. Come back here to change it.
      </p>
      <p className="mb-3">
        {folder ? (
          <>
            The game lies in <span className="figures break-all select-all">{folder}</span>
          </>
        ) : (
          "No game folder is registered yet."
        )}
      </p>
      {inGame.map((delivery) => {
        const build = delivery.builds.find((b) => b.installed);
        return (
          <div key={delivery.id} className="mb-3">
            <p>
              <span className="font-semibold text-ink">{delivery.document.title}</span>
              {build && `, build ${String(build.number)}, is in it: ${String(build.files)} files`}
              {put_into && <> in <span className="figures">{put_into}</span></>}
            </p>
          </div>
        );
      })}
      <Link
        href={`/p/${project.id}/${!folder ? "sources" : deliveries?.length ? "deliveries" : "surfaces"}`}
        className="inline-flex h-7 items-center rounded-sm border border-ink bg-ink px-2.5 font-medium text-lime hover:border-verdigris hover:bg-verdigris"
      >
        {!folder ? "Choose the game folder" : deliveries?.length ? "To the deliveries" : "To the surfaces"}
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
      <iframe title="Saltglass, the sample game" src={`${game.address}&fresh`} className="block h-full w-full border-0" />
    </>
  );
}
