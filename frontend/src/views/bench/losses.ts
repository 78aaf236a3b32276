import { useQuery } from "@tanstack/react-query";
import { api, got, type Schemas } from "@/api/client";
import { inSlot } from "@/api/slots";
import type { Seen } from "@/gl/flat";

/** How a compressed map is looked at; shared by its controls and the flat view. */
export interface Inspected {
  /** The one level that is shown; null is as the distance asks for. */
  level: number | null;
  seen: Seen;
  gain: number;
  /** A texel of the level, whose block is seen near. */
  block: { x: number; y: number } | null;
}

export const NOT_INSPECTED: Inspected = { level: null, seen: "texels", gain: 8, block: null };
export const GAINS = [4, 8, 16, 32] as const;

type Size = Pick<Schemas["Size"], "width" | "height">;

/** Texels of a level: halved and rounded down. */
export function levelSize({ width, height }: Size, level: number): Size {
  return { width: Math.max(1, width >> level), height: Math.max(1, height >> level) };
}

export function levelCount({ width, height }: Size): number {
  return Math.floor(Math.log2(Math.max(width, height))) + 1;
}

/** The texel at the upper left of the block so many blocks away, inside the level. */
export function blockBy(size: Size, from: { x: number; y: number }, right: number, down: number): { x: number; y: number } {
  const along = (at: number, by: number, side: number) => {
    const blocks = Math.ceil(side / 4);
    return ((((Math.floor(at / 4) + by) % blocks) + blocks) % blocks) * 4;
  };
  return { x: along(from.x, right, size.width), y: along(from.y, down, size.height) };
}

/** What compression has cost one level; content keys never go stale. */
export function useLoss(key: string | null | undefined, level: number) {
  return useQuery({
    queryKey: ["loss", key, level],
    queryFn: ({ signal }) =>
      inSlot(signal, () =>
        got(api.GET("/api/renders/{key}/loss", { params: { path: { key: key ?? "" }, query: { level } }, signal })),
      ),
    enabled: Boolean(key),
    staleTime: Infinity,
  });
}

export function useBlock(key: string | null | undefined, level: number, block: Inspected["block"]) {
  return useQuery({
    queryKey: ["block", key, level, block],
    queryFn: () => {
      const query = { level, x: block?.x ?? 0, y: block?.y ?? 0 };
      return got(api.GET("/api/renders/{key}/block", { params: { path: { key: key ?? "" }, query } }));
    },
    enabled: Boolean(key) && block !== null,
    staleTime: Infinity,
    placeholderData: (before) => before,
  });
}

/** Which of the target's formats suits a map, as it is compressed now. */
export function useAdvice(surface: string, map: string, compressed: string | null | undefined) {
  return useQuery({
    queryKey: ["advice", surface, map, compressed],
    queryFn: async ({ signal }) => {
      const path = { surface_id: surface };
      const { key } = await got(api.GET("/api/surfaces/{surface_id}/advice", { params: { path, query: { map } }, signal }));
      if (!key) return null;
      return inSlot(signal, () => got(api.GET("/api/renders/{key}/advice", { params: { path: { key } }, signal })));
    },
    enabled: Boolean(compressed),
    staleTime: Infinity,
  });
}
