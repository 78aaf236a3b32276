import { useId } from "react";
import type { Edit, Step, SurfaceMap, SurfaceView } from "@/api/client";
import { Button } from "@/parts/Button";
import { Swatch } from "@/parts/Swatch";
import { firstMask } from "./ids";

/** Where a step works: on all of the map, or on a mask of the surface. */
export function StepMask({
  surface,
  map,
  step,
  change,
  chosen,
  onChoose,
}: {
  surface: SurfaceView;
  map: SurfaceMap;
  step: Step;
  change: (edit: Edit) => void;
  /** The mask that is worked on: its handles are in the flat view. */
  chosen: string | null;
  onChoose: (mask: string | null) => void;
}) {
  const id = useId();
  const masks = surface.document.masks;
  return (
    <div className="flex flex-col gap-1 py-1">
      <div className="flex items-center gap-2">
        <label htmlFor={id} className="w-[92px] shrink-0">
          Works on
        </label>
        <select
          id={id}
          value={step.mask ?? ""}
          className="h-6 min-w-0 flex-1 rounded-sm border border-joint bg-lime px-1"
          onChange={(event) => {
            change({ kind: "set_step", map: map.id, step: { ...step, mask: event.target.value || null } });
          }}
        >
          <option value="">all of the map</option>
          {masks.map((m) => (
            <option key={m.id} value={m.id}>
              {m.title}
            </option>
          ))}
        </select>
        {step.mask && <Swatch contentKey={surface.masks[step.mask]} alt="" size={24} longest={48} />}
      </div>
      <div className="flex items-center justify-end gap-2">
        {step.mask && (
          <Button
            look={chosen === step.mask ? "solid" : "line"}
            className="h-6"
            hint="Its outline and handles are in the flat view, its figures below the course sheet"
            onClick={() => {
              onChoose(chosen === step.mask ? null : step.mask);
            }}
          >
            {chosen === step.mask ? "Done" : "Work on it"}
          </Button>
        )}
        <Button
          className="h-6"
          hint="A part of the surface that any step of any map can be limited to"
          onClick={() => {
            const mask = firstMask(masks);
            change({ kind: "add_mask", mask, map: map.id, step: step.id });
            onChoose(mask.id);
          }}
        >
          New mask
        </Button>
      </div>
    </div>
  );
}
