import { createContext, useContext } from "react";

/** What lines of single texels are drawn with; it is the artist's, not the surface's. */
export interface Pencil {
  colour: string;
  /** Side of its square nib, in texels. */
  nib: number;
  /** Whether it gives back what was there. */
  takes: boolean;
  /** Whether the next press takes a colour from the picture instead. */
  picks: boolean;
}

export const PENCIL: Pencil = { colour: "#1d1a16", nib: 1, takes: false, picks: false };

export const PencilContext = createContext<[Pencil, (pencil: Pencil) => void]>([PENCIL, () => undefined]);

export function usePencil(): [Pencil, (pencil: Pencil) => void] {
  return useContext(PencilContext);
}
