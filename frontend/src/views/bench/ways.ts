import { useEffect, useRef } from "react";
import type { Edit, Schemas, Step, SurfaceView } from "@/api/client";
import { useWays } from "@/api/queries";
import { usualValues, type Values } from "@/parts/SchemaForm";
import { newId } from "./ids";

type StepInfo = Schemas["StepInfo"];

/** Another way with its usual values, but for those that both ways have. */
export function carried(step: Step, other: StepInfo): Step["params"] {
  const before = step.params as unknown as Values;
  const shared = ["axes", "seed"].filter((name) => name in before && name in (other.parameters["properties"] as object));
  return fresh(other, Object.fromEntries(shared.map((name) => [name, before[name]]))).params;
}

/** A step with all its usual values, and some that are given. */
export function fresh(kind: StepInfo, params: Values): Step {
  return {
    id: newId(),
    enabled: true,
    mask: null,
    amount: 1,
    blend: "normal",
    finish: false,
    proposed: false,
    params: { kind: kind.name, ...usualValues(kind.parameters), ...params } as unknown as Step["params"],
  };
}

/**
 * Take the way that suits best, once the ways were tried and as long as nobody has chosen one. What was undone
 * is not done again.
 */
export function useProposedWay(surface: SurfaceView, map: string, steps: StepInfo[], change: (edit: Edit) => void) {
  const asked = useRef("");
  const step = surface.document.maps.find((m) => m.id === map)?.steps.find((s) => s.proposed && s.enabled);
  const open = step !== undefined && surface.redo === null;
  const { data: ways } = useWays(surface, map, open);
  const best = steps.find((kind) => kind.name === ways?.tried[0]?.kind);
  const name = `${surface.id} ${ways?.reason ?? ""}`;
  useEffect(() => {
    // A scene is framed first: no way makes a good tile of it.
    if (!open || !best || ways?.advice || best.name === step.params.kind || asked.current === name) return;
    asked.current = name;
    change({ kind: "take_way", map, step: { ...step, params: carried(step, best) } });
  }, [open, best, ways, step, name, map, change]);
}
