import { api, got, type Schemas, type Step, type SurfaceView } from "@/api/client";
import { usualValues, type Values } from "@/parts/SchemaForm";

export type Mask = Schemas["Mask"];
export type Shape = Mask["shape"];
export type MaskInfo = Schemas["MaskInfo"];

/** How masks are shown over the picture. */
export interface MaskView {
  shown: "outline" | "tint" | "off";
  /** Of the tint, 0 to 1. */
  opacity: number;
}

/** The marker that strokes are drawn with. */
export interface Marker {
  size: number;
  soft: number;
  takes: boolean;
}

/** The steps that a mask limits. */
export function users(surface: SurfaceView, mask: Mask): number {
  const made = (step: Step) => "mask" in step.params && step.params.mask.mask === mask.id;
  return surface.document.maps.flatMap((m) => m.steps).filter((step) => step.mask === mask.id || made(step)).length;
}

export function used(surface: SurfaceView, mask: Mask): string {
  const steps = users(surface, mask);
  return steps === 0 ? "no step works on it" : steps === 1 ? "1 step works on it" : `${String(steps)} steps work on it`;
}

/** The other masks of a surface that one can be made of. */
export function otherMasks(surface: SurfaceView, mask: Mask): { id: string; title: string }[] {
  return surface.document.masks.filter((m) => m.id !== mask.id).map(({ id, title }) => ({ id, title }));
}

/** A shape of a kind with its usual values, and something for all that it is made of. */
export async function freshShape(kind: MaskInfo, map: string, masks: readonly { id: string }[]): Promise<Shape> {
  const values: Values = { kind: kind.name, ...usualValues(kind.parameters) };
  for (const [field, what] of Object.entries(kind.reads)) {
    if (what === "map") values[field] = { map };
    if (what === "mask") values[field] = { mask: masks[0]?.id ?? "" };
    if (what === "strokes") values[field] = await noStrokes();
  }
  return values as unknown as Shape;
}

/** A drawing with nothing in it yet. */
export function noStrokes(): Promise<Schemas["StrokesRef"]> {
  return got(api.POST("/api/strokes", { body: { before: null, stroke: null } }));
}

/** Kinds of mask that can be made here: one of another mask needs another. */
export function offeredKinds(kinds: readonly MaskInfo[], others: readonly unknown[]): MaskInfo[] {
  return kinds.filter((kind) => others.length > 0 || !Object.values(kind.reads).includes("mask"));
}
