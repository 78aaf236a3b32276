import { QueryClient, useIsFetching, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, got, StoneProblem, type Edit, type Schemas, type Stage, type SurfaceView } from "./client";
import { carriedOver } from "./edits";
import { mutations } from "./refusals";
import { inSlot } from "./slots";

export const queries = new QueryClient({
  mutationCache: mutations,
  defaultOptions: {
    queries: {
      staleTime: 5_000,
      // What was left for a newer change may be wanted again: after an undo, or by another view.
      retry: (count, error) => (!(error instanceof StoneProblem) || error.problem.code === "not-wanted") && count < 2,
    },
  },
});

/** What is kept under this key has changed: it is asked for anew, also where an answer is on its way. */
export async function renew(queryKey: readonly unknown[]) {
  // A first answer that somebody waits for would be taken as the new one, though it was asked for before.
  await queries.cancelQueries({ queryKey });
  await queries.invalidateQueries({ queryKey });
}

export function useKnowledge() {
  return useQuery({ queryKey: ["knowledge"], queryFn: () => got(api.GET("/api/knowledge")), staleTime: Infinity });
}

export function useProjects() {
  return useQuery({ queryKey: ["projects"], queryFn: () => got(api.GET("/api/projects")) });
}

export function useSurfaces(project: string) {
  return useQuery({
    queryKey: ["surfaces", project],
    queryFn: () => got(api.GET("/api/projects/{project_id}/surfaces", { params: { path: { project_id: project } } })),
  });
}

export function useGameNames(project: string) {
  return useQuery({
    queryKey: ["game-names", project],
    queryFn: () => got(api.GET("/api/projects/{project_id}/game-names", { params: { path: { project_id: project } } })),
  });
}

export function useSources(project: string) {
  return useQuery({
    queryKey: ["sources", project],
    queryFn: () => got(api.GET("/api/projects/{project_id}/sources", { params: { path: { project_id: project } } })),
  });
}

/** Keep an answer about a surface, unless a newer one came meanwhile; returns the newer. */
export function keepNewer(client: QueryClient, answer: SurfaceView): SurfaceView {
  const known = client.getQueryData<SurfaceView>(["surface", answer.id]);
  const newer = known && known.moves > answer.moves ? known : answer;
  client.setQueryData(["surface", answer.id], newer);
  return newer;
}

export function useSurface(id: string) {
  const client = useQueryClient();
  return useQuery({
    queryKey: ["surface", id],
    // What was asked for before an edit may be answered after it.
    queryFn: async () => {
      const answer = await got(api.GET("/api/surfaces/{surface_id}", { params: { path: { surface_id: id } } }));
      const known = client.getQueryData<SurfaceView>(["surface", id]);
      return known && known.moves > answer.moves ? known : answer;
    },
  });
}

export function useHistory(id: string, moves: number) {
  return useQuery({
    queryKey: ["history", id, moves],
    queryFn: () => got(api.GET("/api/documents/{document_id}/history", { params: { path: { document_id: id } } })),
    // An open list stays open while its newer state is on its way.
    placeholderData: (before) => before,
  });
}

/** What was done in a project, newest first. */
export function useActions(project: string) {
  return useQuery({
    queryKey: ["actions", project],
    queryFn: () => got(api.GET("/api/projects/{project_id}/actions", { params: { path: { project_id: project } } })),
    staleTime: 0,
  });
}

/** The content keys of an earlier revision; they never change. */
export function useRevision(id: string, number: number | null) {
  return useQuery({
    queryKey: ["revision", id, number],
    queryFn: () =>
      got(
        api.GET("/api/surfaces/{surface_id}/revisions/{number}", {
          params: { path: { surface_id: id, number: number ?? 0 } },
        }),
      ),
    enabled: number !== null,
    staleTime: Infinity,
  });
}

/** What is different between two states of a surface, in words; neither ever changes. */
export function useChanged(id: string, before: number | null, after: number) {
  return useQuery({
    queryKey: ["changed", id, before, after],
    queryFn: () => {
      const params = { path: { surface_id: id }, query: { before: before ?? 0, after } };
      return got(api.GET("/api/surfaces/{surface_id}/changed", { params }));
    },
    enabled: before !== null,
    staleTime: Infinity,
  });
}

/** The numbers of a stage. They belong to a content key, so they never go stale. */
export function useFacts(key: string | null | undefined, stage: Stage) {
  return useQuery({
    queryKey: ["facts", key, stage],
    queryFn: ({ signal }) =>
      inSlot(signal, () =>
        got(api.GET("/api/renders/{key}/facts", { params: { path: { key: key ?? "" }, query: { stage } }, signal })),
      ),
    enabled: Boolean(key),
    staleTime: Infinity,
  });
}

/** How common each tone is before a step of a map. */
export function useHistogram(surface: SurfaceView, map: string, step: string, wanted: boolean) {
  const path = { surface_id: surface.id };
  return useQuery({
    queryKey: ["histogram", surface.id, map, step, surface.revision],
    queryFn: () => got(api.GET("/api/surfaces/{surface_id}/histogram", { params: { path, query: { map, step } } })),
    enabled: wanted,
    staleTime: Infinity,
    placeholderData: (before) => before,
  });
}

/** How far a map is from the picture that a step matches it to. */
export function useDifferences(surface: SurfaceView, map: string, step: string, wanted: boolean) {
  const path = { surface_id: surface.id };
  return useQuery({
    queryKey: ["differences", surface.id, map, step, surface.revision],
    queryFn: () => got(api.GET("/api/surfaces/{surface_id}/differences", { params: { path, query: { map, step } } })),
    enabled: wanted,
    staleTime: Infinity,
    placeholderData: (before) => before,
  });
}

/** How much of what a step lays over a map lies inside a mask. */
export function useInside(surface: SurfaceView, map: string, step: string, mask: string | null) {
  const path = { surface_id: surface.id };
  return useQuery({
    queryKey: ["inside", surface.id, map, step, mask, surface.revision],
    queryFn: () => got(api.GET("/api/surfaces/{surface_id}/inside", { params: { path, query: { map, step, mask: mask ?? "" } } })),
    enabled: mask !== null,
    staleTime: Infinity,
    placeholderData: (before) => before,
  });
}

/** The height of words over their width. */
export function useProportion(text: string, font: Schemas["Lettering"]["font"], wanted: boolean) {
  return useQuery({
    queryKey: ["lettering", text, font],
    queryFn: () => got(api.GET("/api/lettering", { params: { query: { text, font } } })),
    enabled: wanted,
    staleTime: Infinity,
    placeholderData: (before) => before,
  });
}

/** Every way of making a map a tile, tried small; what is found belongs to a content key. */
export function useWays(surface: SurfaceView, map: string, wanted: boolean) {
  const { data: known } = useQuery({
    queryKey: ["ways-key", surface.id, map, surface.revision],
    queryFn: () =>
      got(api.GET("/api/surfaces/{surface_id}/ways", { params: { path: { surface_id: surface.id }, query: { map } } })),
    enabled: wanted,
    staleTime: Infinity,
    placeholderData: (before) => before,
  });
  const key = known?.key;
  return useQuery({
    queryKey: ["ways", key],
    queryFn: ({ signal }) => got(api.GET("/api/renders/{key}/ways", { params: { path: { key: key ?? "" } }, signal })),
    enabled: wanted && Boolean(key),
    staleTime: Infinity,
  });
}

/** What there is to look at in a surface's maps, once nothing else of it is on its way. */
export function useChecks(surface: SurfaceView) {
  const waiting = useIsFetching({ queryKey: ["facts"] }) > 0;
  return useQuery({
    queryKey: ["checks", surface.id, surface.revision, surface.target, surface.material?.cutout],
    queryFn: ({ signal }) =>
      inSlot(signal, () =>
        got(api.GET("/api/surfaces/{surface_id}/checks", { params: { path: { surface_id: surface.id } }, signal })),
      ),
    enabled: !waiting,
    staleTime: Infinity,
    placeholderData: (before) => before,
  });
}

/** What a map's frame comes out as, and how its proportions were found. */
export function useStraightened(surface: SurfaceView, map: string, wanted: boolean) {
  return useQuery({
    queryKey: ["straightened", surface.id, map, surface.revision],
    queryFn: () =>
      got(api.GET("/api/surfaces/{surface_id}/straightened", { params: { path: { surface_id: surface.id }, query: { map } } })),
    enabled: wanted,
    staleTime: Infinity,
    placeholderData: (before) => before,
  });
}

/** How far the making of a surface is; asked for as long as numbers are on their way. */
export function useMaking(surface: SurfaceView) {
  const waiting = useIsFetching({ queryKey: ["facts"] }) > 0;
  const answer = useQuery({
    queryKey: ["making", surface.id, surface.revision],
    queryFn: () => got(api.GET("/api/surfaces/{surface_id}/making", { params: { path: { surface_id: surface.id } } })),
    refetchInterval: waiting ? 400 : false,
  });
  return { ...answer, waiting };
}

export function useMaterials(project: string) {
  return useQuery({
    queryKey: ["materials", project],
    queryFn: () => got(api.GET("/api/projects/{project_id}/materials", { params: { path: { project_id: project } } })),
  });
}

export function useMaterial(id: string | null, revision: number) {
  return useQuery({
    queryKey: ["material", id, revision],
    queryFn: () => got(api.GET("/api/materials/{material_id}", { params: { path: { material_id: id ?? "" } } })),
    enabled: id !== null,
    // What it was is shown until what it is has come.
    placeholderData: (before) => (before?.id === id ? before : undefined),
  });
}

export function useDeliveries(project: string) {
  return useQuery({
    queryKey: ["deliveries", project],
    queryFn: () => got(api.GET("/api/projects/{project_id}/deliveries", { params: { path: { project_id: project } } })),
  });
}

export function useJob(id: string | null) {
  return useQuery({
    queryKey: ["job", id],
    queryFn: () => got(api.GET("/api/jobs/{job_id}", { params: { path: { job_id: id ?? "" } } })),
    enabled: id !== null,
    refetchInterval: (query) => (query.state.data && isOver(query.state.data) ? false : 250),
  });
}

export function isOver(job: Schemas["JobView"]): boolean {
  return job.state !== "waiting" && job.state !== "running";
}

/**
 * Change a surface. Changes run one after the other, each on the revision that the one before
 * has made; one that another tab has overtaken shows the newer surface and says so.
 */
export function useEdit(id: string, onRefused: (error: unknown) => void) {
  const client = useQueryClient();
  const settle = (surface: SurfaceView) => {
    keepNewer(client, surface);
    for (const list of ["surfaces", "materials", "deliveries"]) {
      void renew([list, surface.project_id]);
    }
  };
  // Of the mutation itself, so that one that others wait behind is heard too.
  const onError = (error: unknown) => {
    onRefused(error);
    if (error instanceof StoneProblem && error.status === 409) {
      void renew(["surface", id]);
    }
  };
  const params = { path: { surface_id: id } };
  const known = () => client.getQueryData<SurfaceView>(["surface", id]);
  const base = () => known()?.revision ?? 0;
  return {
    edit: useMutation({
      mutationFn: ({ edit, seen }: { edit: Edit; seen: SurfaceView }) => {
        const now = known() ?? seen;
        const body = { base: now.revision, edit: carriedOver(edit, seen.document, now.document) };
        return got(api.POST("/api/surfaces/{surface_id}/edits", { params, body }));
      },
      onSuccess: settle,
      onError,
      scope: { id },
    }),
    undo: useMutation({
      mutationFn: () => got(api.POST("/api/surfaces/{surface_id}/undo", { params, body: { base: base() } })),
      onSuccess: settle,
      onError,
      scope: { id },
    }),
    redo: useMutation({
      mutationFn: () => got(api.POST("/api/surfaces/{surface_id}/redo", { params, body: { base: base() } })),
      onSuccess: settle,
      onError,
      scope: { id },
    }),
  };
}

/** Bring a file in. */
export async function bring(project: string, file: File): Promise<Schemas["SourceView"]> {
  const form = new FormData();
  form.append("file", file, file.name);
  const source = await got(
    api.POST("/api/projects/{project_id}/sources", {
      params: { path: { project_id: project } },
      // The generated type has no words for a form; the serializer hands over the real one.
      body: { file: file.name },
      bodySerializer: () => form,
    }),
  );
  void renew(["sources", project]);
  return source;
}
