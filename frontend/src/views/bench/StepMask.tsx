import { useId } from "react";
import type { Edit, Schemas, Step, SurfaceMap, SurfaceView } from "@/api/client";
import { Button } from "@/parts/Button";
import { Tick } from "@/parts/Tick";
import { newId } from "./ids";

type Mask = Schemas["Mask"];

/** A rectangle in the middle, to begin with. */
function first(title: string): Mask {
  return {
    id: newId(),
    title,
    shape: { kind: "rectangle", x: 0.25, y: 0.25, width: 0.5, height: 0.5, soft: 0.02 },
    inverted: false,
    on: "tile",
  };
}

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
  /** Whether its mask is shown in the flat view. */
  chosen: boolean;
  onChoose: (step: string | null) => void;
}) {
  const id = useId();
  const masks = surface.document.masks;
  const mask = masks.find((m) => m.id === step.mask);
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
      </div>
      <div className="flex items-center justify-end gap-2">
        {mask && (
          <Tick
            className="mr-auto flex items-center gap-1.5"
            title="Everywhere outside of it"
            checked={mask.inverted}
            onChange={(inverted) => {
              change({ kind: "set_mask", mask: { ...mask, inverted } });
            }}
          >
            All but this
          </Tick>
        )}
        {mask && (
          <Button
            look={chosen ? "solid" : "line"}
            className="h-6"
            hint="Its outline and handles are in the flat view"
            onClick={() => {
              onChoose(chosen ? null : step.id);
            }}
          >
            {chosen ? "Done" : "Show it"}
          </Button>
        )}
        <Button
          className="h-6"
          hint="A part of the surface that any step of any map can be limited to"
          onClick={() => {
            const drawn = first(`Part ${String(masks.length + 1)}`);
            change({ kind: "add_mask", mask: drawn, map: map.id, step: step.id });
            onChoose(step.id);
          }}
        >
          New mask
        </Button>
      </div>
    </div>
  );
}
