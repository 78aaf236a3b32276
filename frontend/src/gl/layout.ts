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
