import type { Kind } from "./textures";

/** How a flat view lays a picture out: the same sum as its shader's, for what lies over it. */
export interface Layout {
  /** The view and one tile, in the same pixels. */
  view: { width: number; height: number };
  size: { width: number; height: number };
  repeat: number;
  zoom: number;
  panX: number;
  panY: number;
}

/** Whether both the view and the picture are there yet; before that, no place has a number. */
export function isLaid({ view, size }: Layout): boolean {
  return view.width > 0 && view.height > 0 && size.width > 0 && size.height > 0;
}

/** Pixels of the view for one of the tile. */
export function scaleOf({ view, size, repeat, zoom }: Layout): number {
  const across = view.width / (size.width * repeat);
  const down = view.height / (size.height * repeat);
  return (repeat < 1.5 ? Math.min(across, down) : Math.max(across, down)) * zoom;
}

/** Where in the view a place of the repeated tile lies; 1 is one tile further. */
export function toView(layout: Layout, u: number, v: number): { x: number; y: number } {
  const { view, size, repeat, panX, panY } = layout;
  const scale = scaleOf(layout);
  const along = (at: number, side: number, pan: number, whole: number) => ((at - repeat / 2) * side - pan * side * repeat) * scale + whole / 2;
  return { x: along(u, size.width, panX, view.width), y: along(v, size.height, panY, view.height) };
}

/** The place of the tile under a point of the view. */
export function fromView(layout: Layout, x: number, y: number): { u: number; v: number } {
  const { view, size, repeat, panX, panY } = layout;
  const scale = scaleOf(layout);
  const along = (at: number, side: number, pan: number, whole: number) => ((at - whole / 2) / scale + pan * side * repeat) / side + repeat / 2;
  return { u: along(x, size.width, panX, view.width), v: along(y, size.height, panY, view.height) };
}

/** Where the view stands. */
export type Stand = Pick<Layout, "zoom" | "panX" | "panY">;

/** The view so much nearer, with what lies under a point of it staying there. */
export function nearer(layout: Layout, by: number, x: number, y: number): Stand {
  const { size, repeat, view } = layout;
  const zoom = Math.min(64, Math.max(0.25, layout.zoom * by));
  if (!isLaid(layout)) return { zoom, panX: layout.panX, panY: layout.panY };
  const { u, v } = fromView(layout, x, y);
  const scale = scaleOf({ ...layout, zoom });
  const pan = (at: number, side: number, point: number, whole: number) =>
    ((at - repeat / 2) * side - (point - whole / 2) / scale) / (side * repeat);
  return { zoom, panX: pan(u, size.width, x, view.width), panY: pan(v, size.height, y, view.height) };
}

/** The view moved along with a pointer by so many of its pixels. */
export function along(layout: Layout, right: number, down: number): Stand {
  const { size, repeat, zoom, panX, panY } = layout;
  if (!isLaid(layout)) return { zoom, panX, panY };
  const scale = scaleOf(layout);
  return { zoom, panX: panX - right / (scale * size.width * repeat), panY: panY - down / (scale * size.height * repeat) };
}

/** What the lightest of the blocks' colours stands for, and more: degrees for vectors, else levels of 255. */
export const MOST_OFF: Record<Kind, number> = { colour: 16, vector: 4, data: 16 };
