import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useLocation } from "wouter";
import { api, got } from "@/api/client";
import { renew, useKnowledge } from "@/api/queries";
import { Button } from "@/parts/Button";
import { Empty } from "@/parts/Empty";
import { ProblemNote } from "@/parts/ProblemNote";

/** The first thing on an empty data folder: begin a project. */
export function StartProject() {
  const [title, setTitle] = useState("");
  const [folder, setFolder] = useState("");
  const [target, setTarget] = useState<string | null>(null);
  const { data: knowledge } = useKnowledge();
  const { data: fitting } = useQuery({
    queryKey: ["target-of", folder.trim()],
    queryFn: () => got(api.GET("/api/target-of-folder", { params: { query: { folder: folder.trim() } } })),
  });
  // What the folder tells, unless the artist says otherwise.
  const chosen = target ?? fitting?.name ?? null;
  const [problem, setProblem] = useState<unknown>(null);
  const [, navigate] = useLocation();
  const start = async () => {
    setProblem(null);
    try {
      const body = { title: title.trim(), game_folder: folder.trim() || null, target: chosen };
      const made = await got(api.POST("/api/projects", { body }));
      await renew(["projects"]);
      navigate(folder.trim() ? `/p/${made.id}/sources` : `/p/${made.id}/surfaces`);
    } catch (failed) {
      setProblem(failed);
    }
  };
  return (
    <>
      <h1 className="sr-only">Stone Stack</h1>
    <Empty title="Start a project">
      <p className="mb-3">A project holds one game&apos;s texture work. To look round first, start the server with the demo.</p>
      <form
        className="flex w-96 flex-col gap-3 text-ink"
        onSubmit={(event) => {
          event.preventDefault();
          void start();
        }}
      >
        <label className="flex flex-col gap-1 text-small">
          Title
          <input
            required
            maxLength={80}
            value={title}
            className="h-8 rounded-sm border border-joint bg-lime px-2"
            onChange={(event) => {
              setTitle(event.target.value);
            }}
          />
        </label>
        <label className="flex flex-col gap-1 text-small">
          Game folder, if there is one yet
          <input
            value={folder}
            spellCheck={false}
            className="figures h-8 rounded-sm border border-joint bg-lime px-2"
            onChange={(event) => {
              setFolder(event.target.value);
            }}
          />
        </label>
        <label className="flex flex-col gap-1 text-small">
          What the game takes
          <select
            value={chosen ?? ""}
            className="h-8 rounded-sm border border-joint bg-lime px-1.5"
            onChange={(event) => {
              setTarget(event.target.value);
            }}
          >
            {knowledge?.targets.map((t) => (
              <option key={t.name} value={t.name}>
                {t.title}
              </option>
            ))}
          </select>
          <span className="text-ink-2">{knowledge?.targets.find((t) => t.name === chosen)?.hint}</span>
        </label>
        {problem !== null && <ProblemNote error={problem} />}
        <Button look="solid" type="submit" className="self-start" disabled={!title.trim()}>
          Start
        </Button>
      </form>
    </Empty>
    </>
  );
}
