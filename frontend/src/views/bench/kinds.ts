import type { Role } from "@/api/client";
import type { Kind } from "@/gl/textures";

/** What the numbers of a role's map mean to a shader. */
export function kindOf(role: Role): Kind {
  if (role === "colour") return "colour";
  return role === "normal" ? "vector" : "data";
}
