import { useCallback, useEffect, useRef } from "react";

interface Turns {
  base: number;
  under: number;
  last: Promise<unknown>;
}

/**
 * Changes of one document, one after the other, each on the state that the one before has made: keys may be
 * pressed faster than lists are fetched anew.
 */
export function useTurns(revision: number) {
  const turns = useRef<Turns>({ base: revision, under: 0, last: Promise.resolve() });
  useEffect(() => {
    if (turns.current.under === 0) turns.current.base = revision;
  }, [revision]);
  return useCallback(<T extends { revision: number }>(work: (base: number) => Promise<T>): Promise<T> => {
    const now = turns.current;
    now.under += 1;
    const turn = async () => {
      try {
        const made = await work(now.base);
        now.base = made.revision;
        return made;
      } finally {
        now.under -= 1;
      }
    };
    // One that was refused does not keep the next from its turn.
    const mine = now.last.then(turn, turn);
    now.last = mine;
    return mine;
  }, []);
}
