import * as Popover from "@radix-ui/react-popover";
import { useState } from "react";
import { api, got } from "@/api/client";
import { gameChanged } from "@/api/games";
import { renew } from "@/api/queries";
import { Button } from "@/parts/Button";
import { ProblemNote } from "@/parts/ProblemNote";

/** Point a project to its game folder: where it moved to, or another one. */
export function FolderForm({ project, root }: { project: string; root: string }) {
  const [place, setPlace] = useState(root);
  const [problem, setProblem] = useState<unknown>(null);
  const point = async (moved: boolean) => {
    setProblem(null);
    try {
      const params = { path: { project_id: project } };
      await got(api.PUT("/api/projects/{project_id}/registered-game", { params, body: { root: place, moved } }));
      void renew(["projects"]);
      gameChanged();
    } catch (failed) {
      setProblem(failed);
    }
  };
  return (
    <form
      className="flex flex-col gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        void point(false);
      }}
    >
      <label className="flex flex-col gap-1 text-small">
        Game folder
        <input
          value={place}
          required
          spellCheck={false}
          className="figures h-7 border border-joint bg-lime px-2"
          onChange={(event) => {
            setPlace(event.target.value);
          }}
        />
      </label>
      {problem !== null && <ProblemNote error={problem} />}
      <div className="flex gap-2">
        <Button look="solid" type="submit" disabled={!place.trim()}>
          Register this folder
        </Button>
        <Button look="line" disabled={!place.trim()} hint="The same game at another place: safe and names go on" onClick={() => void point(true)}>
          It moved here
        </Button>
      </div>
    </form>
  );
}

/** Shows where the game folder lies, and lets it be changed. */
export function FolderButton({ project, root }: { project: string; root: string }) {
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <button type="button" title={root} className="figures max-w-40 truncate underline">
          {root.split(/[\\/]/).pop()}
        </button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="start" sideOffset={6} className="w-96 rounded-sm border border-ink bg-lime p-4">
          <FolderForm project={project} root={root} />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
