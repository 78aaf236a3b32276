import type { Schemas, SurfaceView } from "@/api/client";
import type { Kind } from "@/gl/textures";

type Knowledge = Schemas["Knowledge"];

const KINDS: Record<Schemas["Space"], Kind> = { linear: "colour", data: "data", vector: "vector" };

/** What the numbers of a surface's map mean to a shader. */
export function kindOf(surface: SurfaceView, map: string, knowledge: Knowledge): Kind {
  const found = surface.document.maps.find((m) => m.id === map);
  if (!found) return "data";
  if (found.colours && found.origin?.kind === "source") return "colour";
  return KINDS[knowledge.roles[found.role]?.space ?? "data"];
}

/** The title of a surface's map. */
export function titleOf(surface: SurfaceView, map: string, knowledge: Knowledge): string {
  const role = surface.document.maps.find((m) => m.id === map)?.role;
  return role ? (knowledge.roles[role]?.title ?? role) : "";
}
