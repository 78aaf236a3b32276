import { useState } from "react";
import { api, got, type Edit, type SurfaceMap, type SurfaceView } from "@/api/client";
import { useStraightened } from "@/api/queries";
import { Button } from "@/parts/Button";
import { NumberRow } from "@/parts/NumberRow";
import { ProblemNote } from "@/parts/ProblemNote";
import { Tick } from "@/parts/Tick";
import { angleOf, turned, WHOLE, type Frame } from "./frames";

/** The frame that is being moved, before it is settled. */
export interface Framing {
  open: boolean;
  keep: boolean;
  draft: Frame | null;
}

export const NOT_FRAMING: Framing = { open: false, keep: false, draft: null };

interface Props {
  surface: SurfaceView;
  map: SurfaceMap;
  change: (edit: Edit) => void;
  framing: Framing;
  onFraming: (framing: Framing) => void;
}

/** Straighten and crop a map's own picture; the frame itself is drawn in the flat view. */
export function FrameControls({ surface, map, change, framing, onFraming }: Props) {
  const [found, setFound] = useState("");
  const [problem, setProblem] = useState<unknown>(null);
  const [looking, setLooking] = useState<"frame" | "corners" | null>(null);
  const { data: out } = useStraightened(surface, map.id, framing.open && map.origin?.kind === "source");
  if (map.origin?.kind !== "source") return null;
  const frame = framing.draft ?? map.origin.frame;
  const aspect = map.origin.width / Math.max(1, map.origin.height);
  const set = (next: Frame) => {
    onFraming({ ...framing, draft: next });
    change({ kind: "set_frame", map: map.id, frame: next });
  };
  const find = async (what: "frame" | "corners") => {
    setProblem(null);
    setLooking(what);
    try {
      const params = { path: { surface_id: surface.id }, query: { map: map.id } };
      const answer = await got(api.GET(`/api/surfaces/{surface_id}/${what}`, { params }));
      setFound(answer.words);
      if (answer.frame) {
        onFraming({ ...framing, open: true, draft: null });
        change({ kind: "set_frame", map: map.id, frame: answer.frame });
      }
    } catch (failed) {
      setProblem(failed);
    } finally {
      setLooking(null);
    }
  };
  return (
    <section aria-label="Straighten and crop" className="flex flex-col gap-1.5 border-t border-mortar pt-2">
      <div className="flex items-center justify-between">
        <h3 className="head">Straighten and crop</h3>
        <Button look={framing.open ? "solid" : "line"} className="h-6" onClick={() => { onFraming({ ...framing, open: !framing.open }); }}>
          {framing.open ? "Done" : "Frame"}
        </Button>
      </div>
      {framing.open && (
        <>
          <p className="text-fine text-ink-2">Drag the corners onto a flat part of the surface; drag inside to move it all.</p>
          <NumberRow
            label="Turn"
            hint="Degrees; the frame turns about its middle"
            value={Number(angleOf(frame, aspect).toFixed(1))}
            min={-45}
            max={45}
            step={0.1}
            usual={0}
            onMove={(degrees) => { onFraming({ ...framing, draft: turned(frame, degrees, aspect) }); }}
            onSettle={(degrees) => { set(turned(frame, degrees, aspect)); }}
          />
          <Tick className="flex items-center gap-1.5 text-small" checked={framing.keep} onChange={(keep) => { onFraming({ ...framing, keep }); }}>
            Corners keep the proportions
          </Tick>
          <NumberRow
            label="Width : height"
            hint="Of what comes out; 0 takes it from the perspective of the corners, for a picture that was not cropped before"
            value={frame.ratio}
            min={0}
            max={4}
            step={0.01}
            usual={0}
            onSettle={(ratio) => { set({ ...frame, ratio }); }}
          />
          {out && <p className="text-fine text-ink-2" role="status">Comes out {out.ratio.toFixed(2)} : 1, {out.words}.</p>}
          <NumberRow
            label="Lens fall-off"
            hint="How much darker the lens made the corners of the picture"
            value={frame.vignette}
            min={0}
            max={1}
            step={0.01}
            usual={0}
            onSettle={(vignette) => { set({ ...frame, vignette }); }}
          />
        </>
      )}
      <div className="flex flex-wrap gap-2">
        <Button className="h-6" disabled={looking !== null} hint="For bricks, boards, tiles seen at a slant: puts the corners on lines that run together" onClick={() => void find("corners")}>
          {looking === "corners" ? "Looking…" : "Straighten by its lines"}
        </Button>
        <Button className="h-6" disabled={looking !== null} hint="For bricks, tiles, weave: looks for what recurs, and frames whole repeats of it" onClick={() => void find("frame")}>
          {looking === "frame" ? "Looking…" : "Frame whole repeats"}
        </Button>
        <Button look="bare" className="h-6" onClick={() => { setFound(""); set(WHOLE); }}>
          Whole picture
        </Button>
      </div>
      {found && <p className="text-small" role="status">{found}</p>}
      {problem !== null && <ProblemNote error={problem} />}
    </section>
  );
}
