import type { Schemas } from "@/api/client";

type Mask = Schemas["Mask"];

/** A new id for something inside a document. */
export function newId(): string {
  return Array.from(crypto.getRandomValues(new Uint8Array(5)), (byte) => byte.toString(16).padStart(2, "0")).join("");
}

/** A rectangle in the middle, to begin with. */
export function firstMask(masks: readonly Mask[]): Mask {
  return maskOf(`Part ${String(masks.length + 1)}`, { kind: "rectangle", x: 0.25, y: 0.25, width: 0.5, height: 0.5, soft: 0.02 });
}

/** A mask of one shape, with nothing done to it. */
export function maskOf(title: string, shape: Mask["shape"]): Mask {
  return {
    id: newId(),
    title,
    shape,
    parts: [],
    grow: 0,
    feather: 0,
    inverted: false,
    inside: 1,
    outside: 0,
    on: "tile",
  };
}
