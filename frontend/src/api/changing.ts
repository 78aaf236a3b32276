import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import type { Schemas } from "./client";
import { queries, renew } from "./queries";

/** The lists whose documents are changed as a whole. */
interface Lists {
  projects: Schemas["ProjectView"];
  materials: Schemas["MaterialSummary"];
  deliveries: Schemas["DeliveryView"];
}

/**
 * Changes of one document: one after the other, each made from what the one before has left. Keys may be
 * pressed faster than lists are fetched anew.
 *
 * @param also What else is to be asked for anew after a change.
 */
export function useChanging<L extends keyof Lists>(list: L, id: string, also: readonly string[]) {
  const [error, setError] = useState<Error | null>(null);
  const { mutate } = useMutation({
    scope: { id },
    mutationFn: (work: (now: Lists[L]) => Promise<unknown>) => {
      const known = queries.getQueriesData<Lists[L][]>({ queryKey: [list] });
      const now = known.flatMap(([, all]) => all ?? []).find((one) => one.id === id);
      if (!now) throw new Error(`There is no ${id} in ${list}.`);
      return work(now);
    },
    // Of the mutation itself, so that one that others wait behind is heard too.
    onError: setError,
    // The next change waits for the list: it goes by what it finds there.
    onSettled: () => {
      for (const other of also) void renew([other]);
      return renew([list]);
    },
  });
  return { error, mutate, reset: () => { setError(null); } };
}
