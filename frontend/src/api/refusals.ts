import { MutationCache } from "@tanstack/react-query";
import { useSyncExternalStore } from "react";

let count = 0;
const heard = new Set<() => void>();

/** Every change goes through here; those that were refused are counted. */
export const mutations = new MutationCache({
  onError: () => {
    count += 1;
    for (const tell of heard) tell();
  },
});

function subscribe(tell: () => void) {
  heard.add(tell);
  return () => heard.delete(tell);
}

/** How many changes were refused: with each, a control lets go of what it showed ahead of the answer. */
export function useRefusals(): number {
  return useSyncExternalStore(subscribe, () => count);
}
