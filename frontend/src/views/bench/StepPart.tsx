import { useEffect, useState } from "react";
import type { Edit, Stage, Step, SurfaceMap, SurfaceView } from "@/api/client";
import type { Layout } from "@/gl/layout";
import { finely } from "./MaskPart";
import { PartOverlay, type Box } from "./PartOverlay";

type Laid = Extract<Step["params"], { kind: "lay_picture" }>;

interface Props {
  surface: SurfaceView;
  map: SurfaceMap;
  step: string;
  layout: Layout;
  change: (edit: Edit) => void;
  look: (edit: Edit, map: string, stage: Stage) => void;
}

/** Where a step's picture lies on the tile, with handles. */
export function StepPart({ surface, map, step: id, layout, change, look }: Props) {
  const [draft, setDraft] = useState<Box | null>(null);
  useEffect(() => {
    setDraft(null);
  }, [surface.revision]);
  const step = map.steps.find((s) => s.id === id);
  if (step?.params.kind !== "lay_picture") return null;
  const params = step.params;
  const edit = (box: Box): Edit => ({ kind: "set_step", map: map.id, step: { ...step, params: placed(params, box) } });
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

/** Where a picture lies: its width is a share of the map's, its height follows from its own proportions. */
function boxOf(params: Laid, { size }: Layout): Box {
  const { picture, x, y, width, stretch, turn } = params;
  const ratio = picture.width > 0 ? picture.height / picture.width : 1;
  return { x, y, width, height: (width * size.width * ratio * stretch) / size.height, turn };
}

function placed(params: Laid, box: Box): Laid {
  return { ...params, x: finely(box.x), y: finely(box.y), width: Math.min(4, finely(box.width)) };
}
