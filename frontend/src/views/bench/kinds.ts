import type { Role, SurfaceView } from "@/api/client";
import type { Kind } from "@/gl/textures";

/** What the numbers of a surface's map mean to a shader. */
export function kindOf(surface: SurfaceView, role: Role): Kind {
  const map = surface.document.maps.find((m) => m.role === role);
  if (role === "colour" || (map?.colours && map.origin?.kind === "source")) return "colour";
  return role === "normal" ? "vector" : "data";
}
