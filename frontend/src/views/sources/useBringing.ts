import { useCallback, useEffect, useState } from "react";
import { bringAll, pasted, type Brought } from "@/api/bringing";

/** Take files in, from wherever they come; pasted pictures too while `listening`. */
export function useBringing(project: string, listening: boolean) {
  const [doing, setDoing] = useState("");
  const [last, setLast] = useState<Brought | null>(null);
  const take = useCallback(
    async (files: File[]) => {
      if (files.length === 0) return;
      setLast(null);
      setLast(
        await bringAll(project, files, (done) => {
          setDoing(`Bringing in ${String(done + 1)} of ${String(files.length)}`);
        }),
      );
      setDoing("");
    },
    [project],
  );
  useEffect(() => {
    if (!listening) return;
    const paste = (event: ClipboardEvent) => {
      void take(pasted(event.clipboardData));
    };
    window.addEventListener("paste", paste);
    return () => {
      window.removeEventListener("paste", paste);
    };
  }, [take, listening]);
  return { take, doing, last };
}
