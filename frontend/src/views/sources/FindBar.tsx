import type { RefObject } from "react";
import type { Schemas } from "@/api/client";
import type { Search } from "@/api/games";
import { Choice } from "@/parts/Choice";
import { Filter } from "./Filter";

/** Where is looked: among the game's files, or among what was brought in. */
export type Where = "game" | "brought";

interface Props {
  field: RefObject<HTMLInputElement | null>;
  search: Search;
  where: Where;
  counts: Record<Where, number>;
  facets: Schemas["Facets"] | undefined;
  onSearch: (changes: Partial<Search>) => void;
  onWhere: (where: Where) => void;
}

/** The words and filters that sift whatever is listed below. */
export function FindBar({ field, search, where, counts, facets, onSearch, onWhere }: Props) {
  return (
    <>
      <input
        ref={field}
        type="search"
        value={search.words}
        aria-label={where === "game" ? "Find in the game" : "Find in what was brought in"}
        placeholder="Find by any name, code or known"
        className="h-9 w-[330px] border-b-2 border-ink bg-transparent text-[17px] outline-offset-4 placeholder:text-ink-2"
        onChange={(event) => { onSearch({ words: event.target.value }); }}
        onKeyDown={(event) => {
          if (event.key === "ArrowDown" || event.key === "Escape" || event.key === "Enter") {
            event.preventDefault();
            field.current?.blur();
          }
        }}
      />
      <Choice
        label="Where"
        value={where}
        options={[["game", `In the game ${String(counts.game)}`], ["brought", `Brought in ${String(counts.brought)}`]] as const}
        onChoose={onWhere}
      />
      <Filter label="Role" any="Any role" value={search.role} options={Object.keys(facets?.roles ?? {})} onChoose={(role) => { onSearch({ role }); }} />
      <Filter label="Kind" any="Any kind" value={search.kind} options={Object.keys(facets?.kinds ?? {})} onChoose={(kind) => { onSearch({ kind }); }} />
      <Filter label="Use" any="Any use" value={search.use} options={["surface", "icon", "sheet", "card", "unknown"]} onChoose={(use) => { onSearch({ use }); }} />
      <Filter label="Alpha" any="Any alpha" value={search.alpha} options={["none", "opaque", "used"]} onChoose={(alpha) => { onSearch({ alpha }); }} />
      <Filter label="Size" any="Any size" value={search.least ? String(search.least) : ""} options={["64", "128", "256", "512", "1024"]} words={(v) => `${v} and more`} onChoose={(v) => { onSearch({ least: Number(v) || 0 }); }} />
    </>
  );
}
