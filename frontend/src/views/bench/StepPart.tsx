import { useEffect, useState } from "react";
import type { Edit, Schemas, Stage, Step, SurfaceMap, SurfaceView } from "@/api/client";
import type { Layout } from "@/gl/layout";
import { PartOverlay, type Box } from "./PartOverlay";

type Mask = Schemas["Mask"];
type Laid = Extract<Step["params"], { kind: "lay_picture" }>;

interface Props {
  surface: SurfaceView;
  map: SurfaceMap;
  step: string;
  layout: Layout;
  change: (edit: Edit) => void;
  look: (edit: Edit, map: string, stage: Stage) => void;
}

/** The part of the tile that a step is about, with handles: where its picture lies, or its mask. */
export function StepPart({ surface, map, step: id, layout, change, look }: Props) {
  const [draft, setDraft] = useState<Box | null>(null);
  useEffect(() => {
    setDraft(null);
  }, [surface.revision]);
  const step = map.steps.find((s) => s.id === id);
  if (!step) return null;
  const params = step.params;
  if (params.kind === "lay_picture") {
    const edit = (box: Box): Edit => ({
      kind: "set_step",
      map: map.id,
      step: { ...step, params: placed(params, box) },
    });
    return (
      <PartOverlay
        label={params.picture.name}
        layout={layout}
        box={draft ?? boxOf(params, layout)}
        keep
        onMove={(box) => {
          setDraft(box);
          look(edit(box), map.id, "steps");
        }}
        onSettle={(box) => {
          setDraft(box);
          change(edit(box));
        }}
      />
    );
  }
  const mask = surface.document.masks.find((m) => m.id === step.mask);
  if (!mask) return null;
  const edit = (box: Box): Edit => ({ kind: "set_mask", mask: masked(mask, box) });
  const { x, y, width, height } = mask.shape;
  return (
    <PartOverlay
      label={mask.title}
      layout={layout}
      box={draft ?? { x: x + width / 2, y: y + height / 2, width, height, turn: 0 }}
      keep={false}
      onMove={(box) => {
        setDraft(box);
        look(edit(box), map.id, "steps");
      }}
      onSettle={(box) => {
        setDraft(box);
        change(edit(box));
      }}
    />
  );
}

function finely(value: number): number {
  return Math.round(value * 1e4) / 1e4;
}

function masked(mask: Mask, box: Box): Mask {
  const [width, height] = [Math.min(1, finely(box.width)), Math.min(1, finely(box.height))];
  const shape = { ...mask.shape, x: finely(box.x - width / 2), y: finely(box.y - height / 2), width, height };
  return { ...mask, shape };
}

/** Where a picture lies: its width is a share of the map's, its height follows from its own proportions. */
function boxOf(params: Laid, { size }: Layout): Box {
  const { picture, x, y, width, stretch, turn } = params;
  const ratio = picture.width > 0 ? picture.height / picture.width : 1;
  return { x, y, width, height: (width * size.width * ratio * stretch) / size.height, turn };
}

function placed(params: Laid, box: Box): Laid {
  return { ...params, x: finely(box.x), y: finely(box.y), width: Math.min(4, finely(box.width)) };
}
