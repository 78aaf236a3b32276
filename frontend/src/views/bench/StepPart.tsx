import { useEffect, useState } from "react";
import type { Edit, Schemas, Stage, SurfaceMap, SurfaceView } from "@/api/client";
import { useProportion } from "@/api/queries";
import type { Layout } from "@/gl/layout";
import { Guide } from "./Guide";
import { isDrawn, PencilPart } from "./PencilPart";
import { PartOverlay, type Box } from "./PartOverlay";
import { handlesOf, isPlaced } from "./placing";

interface Props {
  surface: SurfaceView;
  map: SurfaceMap;
  step: string;
  layout: Layout;
  change: (edit: Edit) => void;
  look: (edit: Edit, map: string, stage: Stage) => void;
  knowledge: Schemas["Knowledge"] | undefined;
  onProblem: (problem: unknown) => void;
}

/** Where a step lies on the tile, with handles. */
export function StepPart({ surface, map, step: id, layout, knowledge, change, look, onProblem }: Props) {
  const [draft, setDraft] = useState<{ handle: number; box: Box } | null>(null);
  const [guide, setGuide] = useState<string | null>(null);
  useEffect(() => {
    setDraft(null);
  }, [surface.revision]);
  const step = map.steps.find((s) => s.id === id);
  const words = step?.params.kind === "lettering" ? step.params : null;
  const { data: measured } = useProportion(words?.text ?? "", words?.font ?? "slab", words !== null);
  if (step && isDrawn(step)) {
    return <PencilPart surface={surface} map={map} step={step} layout={layout} change={change} onProblem={onProblem} />;
  }
  if (!step || !isPlaced(step.params) || (words && !measured)) return null;
  const lays = step.params.kind !== "borrow";
  const tall = layout.size.width > 0 ? layout.size.height / layout.size.width : 1;
  return (
    <>
      {lays && (
        <Guide
          surface={surface}
          map={map.id}
          step={id}
          layout={layout}
          knowledge={knowledge}
          mask={guide}
          onMask={setGuide}
          change={change}
        />
      )}
      {handlesOf(step.params, tall, measured?.height ?? 1).map((handle, n) => {
        const edit = (box: Box): Edit => ({ kind: "set_step", map: map.id, step: { ...step, params: handle.put(box) } });
        return (
          <PartOverlay
            key={handle.label}
            label={handle.label}
            layout={layout}
            box={draft?.handle === n ? draft.box : handle.box}
            keep={handle.keep}
            onMove={(box) => {
              setDraft({ handle: n, box });
              look(edit(box), map.id, step.finish ? "finish" : "steps");
            }}
            onSettle={(box) => {
              setDraft({ handle: n, box });
              change(edit(box));
            }}
          />
        );
      })}
    </>
  );
}
