import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { api, got, type Schemas } from "./client";
import { renew } from "./queries";

export type Entry = Schemas["EntryView"];
export type Placed = Schemas["PlacedState"];
export type Sort = Schemas["Sort"];

export interface Search {
  words: string;
  role: string;
  kind: string;
  use: string;
  alpha: string;
  least: number;
  /** Whether files that are no pictures and belong to none are listed too. */
  others: boolean;
  sort: Sort;
  down: boolean;
}

const PAGE = 240;

export function useGame(project: string) {
  return useQuery({
    queryKey: ["registered-game", project],
    queryFn: () =>
      got(api.GET("/api/projects/{project_id}/registered-game", { params: { path: { project_id: project } } })),
  });
}

/** What was brought into a project, catalogued like a game's files. */
export function useShelf(project: string) {
  return useQuery({
    queryKey: ["shelf", project],
    queryFn: () => got(api.GET("/api/projects/{project_id}/shelf", { params: { path: { project_id: project } } })),
  });
}

export function useSets(project: string) {
  return useQuery({
    queryKey: ["source-sets", project],
    queryFn: () => got(api.GET("/api/projects/{project_id}/source-sets", { params: { path: { project_id: project } } })),
  });
}

export function useEntries(game: string | undefined, search: Search) {
  return useInfiniteQuery({
    queryKey: ["entries", game, search],
    initialPageParam: 0,
    queryFn: ({ pageParam, signal }) =>
      got(
        api.GET("/api/games/{game_id}/entries", {
          params: { path: { game_id: game ?? "" }, query: { ...search, offset: pageParam, limit: PAGE } },
          signal,
        }),
      ),
    getNextPageParam: (last, pages) => {
      const held = pages.reduce((sum, page) => sum + page.entries.length, 0);
      return held < last.total ? held : undefined;
    },
    enabled: game !== undefined,
    placeholderData: (before) => before,
  });
}

export function useFacets(game: string | undefined) {
  return useQuery({
    queryKey: ["facets", game],
    queryFn: () => got(api.GET("/api/games/{game_id}/facets", { params: { path: { game_id: game ?? "" } } })),
    enabled: game !== undefined,
  });
}

export function useEntry(game: string | undefined, entry: number | null) {
  return useQuery({
    queryKey: ["entry", game, entry],
    queryFn: () =>
      got(
        api.GET("/api/games/{game_id}/entries/{entry_id}", {
          params: { path: { game_id: game ?? "", entry_id: entry ?? 0 } },
        }),
      ),
    enabled: game !== undefined && entry !== null,
  });
}

export function useOurs(game: string | undefined) {
  return useQuery({
    queryKey: ["ours", game],
    queryFn: () => got(api.GET("/api/games/{game_id}/ours", { params: { path: { game_id: game ?? "" } } })),
    enabled: game !== undefined,
    refetchInterval: 5_000,
  });
}

/** The catalogue, or what is ours in the game, has changed: what shows it is asked for anew. */
export function gameChanged() {
  for (const key of ["entries", "entry", "ours", "facets", "registered-game", "names"]) {
    void renew([key]);
  }
}

export function entryPicture(entry: Entry, longest?: number, level = 0): string {
  const query = new URLSearchParams();
  if (longest !== undefined) query.set("longest", String(longest));
  if (level > 0) query.set("level", String(level));
  if (entry.sha256) query.set("sha256", entry.sha256);
  return `/api/games/${entry.game_id}/entries/${String(entry.id)}/picture.png?${query.toString()}`;
}

/** A form with several files, each under its own name. */
export function manyFiles(files: File[]): { body: { files: string[] }; bodySerializer: () => FormData } {
  const form = new FormData();
  for (const file of files) form.append("files", file, file.name);
  return { body: { files: files.map((f) => f.name) }, bodySerializer: () => form };
}

/** A form with one file; the serializer hands over the real one, for which the types have no words. */
export function oneFile(file: File): { body: { file: string }; bodySerializer: () => FormData } {
  const form = new FormData();
  form.append("file", file, file.name);
  return { body: { file: file.name }, bodySerializer: () => form };
}
