import type { ReactNode } from "react";
import type { Schemas } from "@/api/client";
import { FolderButton } from "./FolderForm";

interface Props {
  project: string;
  /** The game folder, where its files are listed. */
  game: Schemas["GameFolderView"] | null;
  onSeveral: () => void;
  /** What chooses the layout. */
  layout: ReactNode;
  /** What is said of the list. */
  children: ReactNode;
}

/** The line under the list: how much there is, where it lies, and in which layout it is shown. */
export function Foot({ project, game, onSeveral, layout, children }: Props) {
  return (
    <div className="flex h-8 shrink-0 items-center gap-3 border-t border-joint px-3 text-small whitespace-nowrap text-ink-2">
      {children}
      {game && (
        <>
          <FolderButton project={project} root={game.root} />
          <span className="figures min-w-0 truncate">
            {game.loose} loose, {game.containers} containers, version {game.version || "unknown"}
          </span>
          {game.left_out.length > 0 && (
            <span title={game.left_out.map((x) => `${x.path} ${x.why}`).join("\n")}>{game.left_out.length} left out</span>
          )}
        </>
      )}
      <span className="ml-auto" />
      {game && (
        <button type="button" className="underline" title="Edited pictures, each called like the file that it replaces" onClick={onSeveral}>
          Put many back
        </button>
      )}
      {layout}
    </div>
  );
}
