import { fetched, texelsUrl } from "./client";

const MOST = 4;
const latest = new Map<string, Promise<ArrayBuffer>>();

/** The plain texels of a look that passes, fetched once for all views that show it. */
export function texels(key: string): Promise<ArrayBuffer> {
  const known = latest.get(key);
  if (known) return known;
  const coming = fetched(texelsUrl(key));
  latest.set(key, coming);
  coming.catch(() => latest.delete(key));
  const oldest = latest.keys().next().value;
  if (latest.size > MOST && oldest !== undefined) latest.delete(oldest);
  return coming;
}
