import { useEffect, useState } from "react";
import type { Edit, Schemas, Stage, SurfaceView } from "@/api/client";
import type { Layout } from "@/gl/layout";
import { PartOverlay, type Box } from "./PartOverlay";

type Mask = Schemas["Mask"];
type Sides = Pick<Box, "x" | "y" | "width" | "height">;

interface Props {
  surface: SurfaceView;
  mask: Mask;
  /** The map that is looked at, and its stage. */
  map: string;
  stage: Stage;
  layout: Layout;
  change: (edit: Edit) => void;
  look: (edit: Edit, map: string, stage: Stage) => void;
}

/** A mask's outline and handles, over the picture that it was drawn on. */
export function MaskPart({ surface, mask, map, stage, layout, change, look }: Props) {
  const [draft, setDraft] = useState<Box | null>(null);
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
  const edit = (box: Box): Edit => ({ kind: "set_mask", mask: masked(mask, box) });
  // Not every kind of mask has sides to drag; the others have their figures below the sheet.
  const { x, y, width, height } = mask.shape as Partial<Sides>;
  if (x === undefined || y === undefined || width === undefined || height === undefined) return null;
  return (
    <PartOverlay
      label={mask.title}
      layout={layout}
      box={draft ?? { x: x + width / 2, y: y + height / 2, width, height, turn: 0 }}
      keep={false}
      onMove={(box) => {
        setDraft(box);
        look(edit(box), map, "steps");
      }}
      onSettle={(box) => {
        setDraft(box);
        change(edit(box));
      }}
    />
  );
}

/** As finely as places are kept. */
export function finely(value: number): number {
  return Math.round(value * 1e4) / 1e4;
}

function masked(mask: Mask, box: Box): Mask {
  const [width, height] = [Math.min(1, finely(box.width)), Math.min(1, finely(box.height))];
  const sides: Sides = { x: finely(box.x - width / 2), y: finely(box.y - height / 2), width, height };
  return { ...mask, shape: { ...mask.shape, ...sides } };
}
