import { useCallback, useState } from "react";

/** The job that a view follows; kept in this tab, so that a reload goes on following it. */
export function useKeptJob(name: string): [string | null, (id: string | null) => void] {
  const place = `stone-job-${name}`;
  const [id, setId] = useState(() => sessionStorage.getItem(place));
  const keep = useCallback(
    (next: string | null) => {
      if (next === null) sessionStorage.removeItem(place);
      else sessionStorage.setItem(place, next);
      setId(next);
    },
    [place],
  );
  return [id, keep];
}
