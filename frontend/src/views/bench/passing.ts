import { useCallback, useEffect, useRef, useState } from "react";
import { api, got, pictureUrl, type Edit, type Stage, type SurfaceView } from "@/api/client";

/** A look at an edit that is not made yet: shown while a control moves. */
export interface Passing {
  map: string;
  stage: Stage;
  key: string;
}

/** The longest side while a control moves: about what a view shows. */
const LONGEST = 512;

/** Ask for passing looks: one at a time, always the newest; over when the surface changes. */
export function usePassing(surface: SurfaceView): {
  now: Passing | null;
  look: (edit: Edit, map: string, stage: Stage) => void;
  /** The edit is made, or refused: what was shown ahead of it is let go. */
  over: () => void;
} {
  const [now, setNow] = useState<Passing | null>(null);
  const wanted = useRef<{ edit: Edit; map: string; stage: Stage } | null>(null);
  const busy = useRef(false);
  const turn = useRef(0);

  const over = useCallback(() => {
    turn.current += 1;
    wanted.current = null;
    setNow(null);
  }, []);
  useEffect(over, [over, surface.revision, surface.id]);

  const run = useCallback(async () => {
    if (busy.current) return;
    busy.current = true;
    try {
      while (wanted.current) {
        const { edit, map, stage } = wanted.current;
        const started = turn.current;
        wanted.current = null;
        const params = { path: { surface_id: surface.id } };
        const body = { edit, map, stage, longest: LONGEST };
        const { key } = await got(api.POST("/api/surfaces/{surface_id}/preview", { params, body }));
        // Wait for the picture too, so that the server works on one at a time, always the newest.
        if (key) await fetch(pictureUrl(key)).then((answer) => answer.blob());
        if (key && started === turn.current) setNow({ map, stage, key });
      }
    } catch {
      // A value that cannot be previewed is refused, in words, when it is set.
      wanted.current = null;
    } finally {
      busy.current = false;
    }
  }, [surface.id]);

  const look = useCallback(
    (edit: Edit, map: string, stage: Stage) => {
      wanted.current = { edit, map, stage };
      void run();
    },
    [run],
  );
  return { now, look, over };
}
