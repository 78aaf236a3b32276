import type { Step } from "@/api/client";
import type { Box } from "./PartOverlay";

type Params = Step["params"];
/** Steps that lie at a place of the map, and have handles in the flat view. */
export type Placed = Extract<Params, { kind: "lay_picture" | "lettering" | "borrow" }>;

export function isPlaced(params: Params): params is Placed {
  return params.kind === "lay_picture" || params.kind === "lettering" || params.kind === "borrow";
}

/** A box over the tile, and how it is put back into a step. */
export interface Handle {
  label: string;
  box: Box;
  keep: boolean;
  put: (box: Box) => Params;
}

/** As finely as places are kept. */
export function finely(value: number): number {
  return Math.round(value * 1e4) / 1e4;
}

/**
 * The boxes of a step, in shares of a tile's sides.
 *
 * @param tall The tile's height over its width.
 * @param words The height of its words over their width, for lettering.
 */
export function handlesOf(params: Placed, tall: number, words: number): Handle[] {
  if (params.kind === "borrow") {
    const { x, y, from_x, from_y, width, height } = params;
    const sides = { width, height: height / tall, turn: 0 };
    const sized = (box: Box) => ({ width: within(box.width), height: within(box.height * tall) });
    return [
      {
        label: "To",
        box: { x, y, ...sides },
        keep: false,
        put: (box) => ({ ...params, ...sized(box), x: finely(box.x), y: finely(box.y) }),
      },
      {
        label: "From",
        box: { x: from_x, y: from_y, ...sides },
        keep: false,
        put: (box) => ({ ...params, ...sized(box), from_x: finely(box.x), from_y: finely(box.y) }),
      },
    ];
  }
  const { x, y, width, stretch, turn } = params;
  const ratio = params.kind === "lettering" ? words : params.picture.width > 0 ? params.picture.height / params.picture.width : 1;
  return [
    {
      label: params.kind === "lettering" ? params.text : params.picture.name,
      box: { x, y, width, height: (width * ratio * stretch) / tall, turn },
      keep: true,
      put: (box) => ({ ...params, x: finely(box.x), y: finely(box.y), width: Math.min(4, finely(box.width)) }),
    },
  ];
}

function within(share: number): number {
  return Math.min(1, Math.max(0.005, finely(share)));
}
