import { useEffect, useState } from "react";
import { api, got, type Edit, type Stage, type SurfaceView } from "@/api/client";
import type { Layout } from "@/gl/layout";
import { CornersOverlay } from "./CornersOverlay";
import { DrawOverlay, type Trace } from "./DrawOverlay";
import { MaskShown } from "./MaskShown";
import type { Marker, Mask, MaskView, Shape } from "./maskShapes";
import { PartOverlay, type Box } from "./PartOverlay";
import { PickOverlay } from "./PickOverlay";
import { finely } from "./placing";

interface Props {
  surface: SurfaceView;
  mask: Mask;
  /** The map that is looked at, and its stage. */
  map: string;
  stage: Stage;
  layout: Layout;
  view: MaskView;
  marker: Marker;
  /** The share of the view at the left where something else is shown. */
  wiped: number;
  change: (edit: Edit) => void;
  look: (edit: Edit, map: string, stage: Stage) => void;
  onProblem: (problem: unknown) => void;
}

/** A mask over the picture that it was drawn on: how far it reaches, and the handles of its last part. */
export function MaskPart({ surface, mask, map, stage, layout, view, marker, wiped, change, look, onProblem }: Props) {
  const [draft, setDraft] = useState<Shape | null>(null);
  useEffect(() => {
    setDraft(null);
  }, [surface.revision]);
  const at = stage === "source" || stage === "raw" ? "source" : "tile";
  if (at !== mask.on) {
    return (
      <p className="absolute inset-x-0 top-10 mx-auto w-fit rounded-sm bg-label/85 px-2 py-1 text-label-ink">
        {mask.title} is drawn on the {mask.on}; its handles are {mask.on === "source" ? "at the stage Source" : "at the stages after it"}
      </p>
    );
  }
  // The part that came last is the one that is worked on.
  const part = mask.parts[mask.parts.length - 1];
  const settled = part?.shape ?? mask.shape;
  const shape = draft ?? settled;
  const edit = (next: Shape): Edit => ({
    kind: "set_mask",
    mask: part ? { ...mask, parts: mask.parts.map((p) => (p.id === part.id ? { ...p, shape: next } : p)) } : { ...mask, shape: next },
  });
  const handle = {
    move: (next: Shape) => {
      setDraft(next);
      look(edit(next), map, stage === "finish" ? "finish" : "steps");
    },
    settle: (next: Shape) => {
      setDraft(next);
      change(edit(next));
    },
  };
  const drawn = async (before: string, trace: Trace) => {
    const points = trace.map(({ x, y, pressure }) => ({ x, y, pressure }));
    const strokes = await got(api.POST("/api/strokes", { body: { before, stroke: { ...marker, nib: null, colour: null, points } } }));
    change(edit({ kind: "strokes", strokes }));
  };
  return (
    <>
      <MaskShown contentKey={surface.masks[mask.id]} layout={layout} view={view} wiped={wiped} />
      {(shape.kind === "rectangle" || shape.kind === "ellipse") && (
        <PartOverlay
          label={mask.title}
          layout={layout}
          box={{ x: shape.x + shape.width / 2, y: shape.y + shape.height / 2, width: shape.width, height: shape.height, turn: 0 }}
          keep={false}
          onMove={(box) => {
            handle.move({ ...shape, ...sidesOf(box) });
          }}
          onSettle={(box) => {
            handle.settle({ ...shape, ...sidesOf(box) });
          }}
        />
      )}
      {shape.kind === "outline" && (
        <CornersOverlay
          label={mask.title}
          layout={layout}
          corners={shape.corners}
          onMove={(corners) => {
            handle.move({ ...shape, corners });
          }}
          onSettle={(corners) => {
            handle.settle({ ...shape, corners });
          }}
        />
      )}
      {shape.kind === "strokes" && (
        <DrawOverlay
          label={`${mask.title}: draw`}
          layout={layout}
          size={marker.size}
          takes={marker.takes}
          onDrawn={(trace) => {
            drawn(shape.strokes.sha256, trace).catch(onProblem);
          }}
        />
      )}
      {shape.kind === "colour_range" && (
        <PickOverlay
          label={`${mask.title}: pick a colour`}
          contentKey={surface.laid[shape.map.map]}
          layout={layout}
          onPick={(colour) => {
            handle.settle({ ...shape, colour });
          }}
          onProblem={onProblem}
        />
      )}
    </>
  );
}

function sidesOf(box: Box): { x: number; y: number; width: number; height: number } {
  const [width, height] = [Math.min(1, finely(box.width)), Math.min(1, finely(box.height))];
  return { x: finely(box.x - width / 2), y: finely(box.y - height / 2), width, height };
}
