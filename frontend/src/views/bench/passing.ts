import { useCallback, useEffect, useRef, useState } from "react";
import { look as lookAt, type Look } from "@/api/texels";
import { api, got, isLeft, StoneProblem, type Edit, type Schemas, type Stage, type SurfaceView } from "@/api/client";

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
/** Milliseconds after which a look came late: the next is coarser, after much too late or twice. */
const LATE = 100;
const MUCH_TOO_LATE = 140;
/** A look is finer, with so many times more texels, where it would come within so many milliseconds. */
const FINER = 4;
const SOON = 90;
/** So many looks after a coarser one are no finer, so that they do not go to and fro. */
const STEADY = 20;
/** Milliseconds without a move after which the hand rests. */
const RESTING = 180;

/** Look at an edit, with its texels where it is not compressed; null where there is nothing to see. */
async function looked(surface_id: string, body: Schemas["PreviewRequest"]): Promise<Look | null> {
  try {
    if (body.stage !== "compress") return await lookAt(surface_id, body);
    const params = { path: { surface_id } };
    const { key } = await got(api.POST("/api/surfaces/{surface_id}/preview", { params, body }));
    return key === null ? null : { key, took: LATE };
  } catch (error) {
    if (isLeft(error)) return null;
    throw error;
  }
}

interface Wanted {
  edit: Edit;
  map: string;
  stage: Stage;
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
  const wanted = useRef<Wanted | null>(null);
  const busy = useRef(false);
  const turn = useRef(0);
  const asked = useRef(0);
  const side = useRef(FIRST);
  /** The finest side whose look found all that it is made of, so that another need not wait for that. */
  const warm = useRef(FIRST);
  const pace = useRef({ late: false, steady: 0 });
  const rest = useRef(0);

  const over = useCallback(() => {
    turn.current += 1;
    wanted.current = null;
    clearTimeout(rest.current);
    setNow(null);
  }, []);
  useEffect(over, [over, surface.revision, surface.id]);
  useEffect(() => {
    warm.current = FIRST;
  }, [surface.id]);

  /** Show a look at one side, if that is still wanted; tell how long all took, and the server. */
  const shownAt = useCallback(
    async (at: number, { edit, map, stage }: Wanted, isWanted: () => boolean) => {
      const began = performance.now();
      const seen = await looked(surface.id, { edit, map, stage, longest: SIDES[at] ?? SIDES[FIRST] });
      if (!seen) return null;
      if (isWanted()) setNow({ map, stage, key: seen.key });
      return { took: performance.now() - began, server: seen.took };
    },
    [surface.id],
  );

  /** What suffices for the flat view; the light view is content with the second. */
  const enough = useCallback(
    () => (shown.current > SIDES[FIRST] * STRETCHED ? SIDES.length - 1 : FIRST),
    [shown],
  );

  /** The hand rests: the same look finer, beside whatever is asked next. */
  const finer = useCallback(
    (at: number, held: Wanted) => {
      clearTimeout(rest.current);
      const [started, last] = [turn.current, asked.current];
      const isWanted = () => started === turn.current && last === asked.current;
      rest.current = window.setTimeout(() => {
        if (busy.current || !isWanted() || at >= enough() || held.stage === "compress") return;
        shownAt(at + 1, held, isWanted)
          .then(() => {
            warm.current = Math.max(warm.current, at + 1);
          })
          .catch(refused);
      }, RESTING);
    },
    [enough, shownAt],
  );

  const run = useCallback(async () => {
    if (busy.current) return;
    busy.current = true;
    try {
      while (wanted.current) {
        const next = wanted.current;
        const started = turn.current;
        wanted.current = null;
        const at = Math.min(side.current, enough());
        const found = await shownAt(at, next, () => started === turn.current);
        finer(at, next);
        if (found) {
          const before = pace.current;
          const coarser = found.took > MUCH_TOO_LATE || (before.late && found.took > LATE);
          const late = found.took > LATE && !coarser;
          pace.current = { late, steady: coarser ? STEADY : Math.max(0, before.steady - 1) };
          const soon = found.took + (FINER - 1) * found.server < SOON;
          if (coarser) side.current = Math.max(0, at - 1);
          else if (soon && before.steady === 0 && at < warm.current) side.current = at + 1;
        }
      }
    } catch (error) {
      wanted.current = null;
      refused(error);
    } finally {
      busy.current = false;
    }
  }, [enough, finer, shownAt]);

  const look = useCallback(
    (edit: Edit, map: string, stage: Stage) => {
      clearTimeout(rest.current);
      asked.current += 1;
      wanted.current = { edit, map, stage };
      void run();
    },
    [run],
  );
  return { now, look, over };
}

/** A value that cannot be previewed is refused, in words, when it is set. */
function refused(error: unknown): void {
  if (!(error instanceof StoneProblem)) throw error;
}
