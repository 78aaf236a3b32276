import { api, fetched, texelsUrl, type Schemas } from "./client";

const MOST = 4;
const latest = new Map<string, Promise<ArrayBuffer>>();

/** The plain texels of a look that passes, fetched once for all views that show it. */
export function texels(key: string): Promise<ArrayBuffer> {
  const known = latest.get(key);
  if (known) return known;
  return kept(key, fetched(texelsUrl(key)));
}

/** An edit that is not made yet, looked at, and how many milliseconds the server took. */
export interface Look {
  key: string;
  took: number;
}

/** Look at an edit that is not made yet: one question, answered by the texels. */
export async function look(surface_id: string, body: Schemas["PreviewRequest"]): Promise<Look | null> {
  const params = { path: { surface_id } };
  const asked = api.POST("/api/surfaces/{surface_id}/look", { params, body, parseAs: "arrayBuffer" });
  const { data, response } = await asked;
  const key = response.headers.get("X-Stone-Key");
  if (key === null || data === undefined) return null;
  void kept(key, Promise.resolve(data));
  return { key, took: Number(/dur=([\d.]+)/.exec(response.headers.get("Server-Timing") ?? "")?.[1] ?? 0) };
}

function kept(key: string, coming: Promise<ArrayBuffer>): Promise<ArrayBuffer> {
  latest.set(key, coming);
  coming.catch(() => latest.delete(key));
  const oldest = latest.keys().next().value;
  if (latest.size > MOST && oldest !== undefined) latest.delete(oldest);
  return coming;
}
