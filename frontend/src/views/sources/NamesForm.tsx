import * as Popover from "@radix-ui/react-popover";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, got } from "@/api/client";
import { gameChanged } from "@/api/games";
import { Button } from "@/parts/Button";
import { ProblemNote } from "@/parts/ProblemNote";

/** Attach a table of names that people know, and put one's own out. */
export function NamesForm({ game }: { game: string }) {
  const params = { path: { game_id: game } };
  const { data } = useQuery({ queryKey: ["names", game], queryFn: () => got(api.GET("/api/games/{game_id}/names", { params })) });
  const [place, setPlace] = useState("names.csv");
  const [problem, setProblem] = useState<unknown>(null);
  const attach = async () => {
    setProblem(null);
    try {
      await got(api.POST("/api/games/{game_id}/names", { params, body: { place } }));
      gameChanged();
    } catch (failed) {
      setProblem(failed);
    }
  };
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <Button look="bare">{data?.from_tables ? `${String(data.from_tables)} known names` : "Attach names"}</Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="end" sideOffset={6} className="w-80 rounded-sm border border-ink bg-lime p-4">
          <form
            className="flex flex-col gap-2"
            onSubmit={(event) => {
              event.preventDefault();
              void attach();
            }}
          >
            <label className="flex flex-col gap-1 text-small">
              Table of names
              <input value={place} className="figures h-7 border border-joint bg-lime px-2" onChange={(event) => { setPlace(event.target.value); }} />
            </label>
            <p className="text-small text-ink-2">
              CSV or JSON with code name and known name, or a folder whose file names carry both. A path below the game
              folder, or a whole one.
            </p>
            {problem !== null && <ProblemNote error={problem} />}
            <div className="flex items-center gap-2">
              <Button look="solid" type="submit">Attach</Button>
              <a className="text-small underline" href={`/api/games/${game}/names.csv`} download>
                Put out your own names ({data?.own ?? 0})
              </a>
            </div>
          </form>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
