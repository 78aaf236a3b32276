import { lazy, type ComponentType } from "react";

/** A component whose script is loaded when it is first shown. */
export function opened<N extends string, P extends object>(load: () => Promise<Record<N, ComponentType<P>>>, name: N) {
  return lazy(async () => ({ default: (await load())[name] }));
}
