import { api } from "@/api/client";
import { manyFiles, oneFile, type Entry } from "@/api/games";
import { PutPlan } from "@/parts/PutPlan";

/** What is to be put into the game: a picture for one place, or several by their names. */
export type Putting = { entry: Entry; file: File } | { files: File[] };

/** The plan of what is to be put, before anything is replaced. */
export function PutBack({ game, putting, onClose }: { game: string; putting: Putting; onClose: (done: boolean) => void }) {
  if ("files" in putting) {
    const { files } = putting;
    return (
      <PutPlan
        name={files.map((f) => `${f.name}-${String(f.lastModified)}`).join("/")}
        title={`Put ${String(files.length)} edited pictures back by name`}
        plan={() => api.POST("/api/games/{game_id}/plan", { params: { path: { game_id: game } }, ...manyFiles(files) })}
        put={(ticked) => api.POST("/api/games/{game_id}/put", { params: { path: { game_id: game }, query: { ticked } }, ...manyFiles(files) })}
        onClose={onClose}
      />
    );
  }
  const { entry, file } = putting;
  const path = { game_id: game, entry_id: entry.id };
  return (
    <PutPlan
      name={`${String(entry.id)}-${file.name}-${String(file.lastModified)}`}
      title={`Put ${file.name} in the place of ${entry.name}`}
      plan={() => api.POST("/api/games/{game_id}/entries/{entry_id}/plan", { params: { path }, ...oneFile(file) })}
      put={(ticked) => api.POST("/api/games/{game_id}/entries/{entry_id}/put", { params: { path, query: { ticked } }, ...oneFile(file) })}
      onClose={onClose}
    />
  );
}
