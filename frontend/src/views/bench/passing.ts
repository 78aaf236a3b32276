import { useCallback, useEffect, useRef, useState } from "react";
import { texels } from "@/api/texels";
import { api, got, isLeft, type Edit, type Stage, type SurfaceView } from "@/api/client";

/** A look at an edit that is not made yet: shown while a control moves. */
export interface Passing {
  map: string;
  stage: Stage;
  key: string;
}

/** Longest sides while a control moves: as fine as a view shows, as far as that is there soon enough. */
const SIDES = [256, 512, 1024] as const;
const FIRST = 1;
/** A side serves a view of so many times its pixels. */
const STRETCHED = 1.25;
/** Milliseconds after which a look came too late, and before which there is time for a finer one. */
const LATE = 120;
const EARLY = 35;

/** Whether the texels of a look came, and were not left for a newer one. */
function isThere(key: string): Promise<boolean> {
  return texels(key).then(
    () => true,
    (error: unknown) => {
      if (isLeft(error)) return false;
      throw error;
    },
  );
}

/** Ask for passing looks: one at a time, always the newest; over when the surface changes. */
export function usePassing(
  surface: SurfaceView,
  /** Pixels of the screen that one tile takes. */
  shown: { readonly current: number },
): {
  now: Passing | null;
  look: (edit: Edit, map: string, stage: Stage) => void;
  /** The edit is made, or refused: what was shown ahead of it is let go. */
  over: () => void;
} {
  const [now, setNow] = useState<Passing | null>(null);
  const wanted = useRef<{ edit: Edit; map: string; stage: Stage } | null>(null);
  const busy = useRef(false);
  const turn = useRef(0);
  const step = useRef(FIRST);

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
        // What suffices for the flat view; the light view is content with the second.
        const enough = shown.current > SIDES[FIRST] * STRETCHED ? SIDES.length - 1 : FIRST;
        const at = Math.min(step.current, enough);
        const longest = SIDES[at] ?? SIDES[FIRST];
        const body = { edit, map, stage, longest };
        const began = performance.now();
        const { key } = await got(api.POST("/api/surfaces/{surface_id}/preview", { params, body }));
        // Wait for the picture too, so that the server works on one at a time, always the newest.
        const there = key !== null && (stage === "compress" || (await isThere(key)));
        const took = performance.now() - began;
        step.current = Math.max(0, at + (took > LATE ? -1 : took < EARLY ? 1 : 0));
        if (there && started === turn.current) setNow({ map, stage, key });
      }
    } catch {
      // A value that cannot be previewed is refused, in words, when it is set.
      wanted.current = null;
    } finally {
      busy.current = false;
    }
  }, [surface.id, shown]);

  const look = useCallback(
    (edit: Edit, map: string, stage: Stage) => {
      wanted.current = { edit, map, stage };
      void run();
    },
    [run],
  );
  return { now, look, over };
}
