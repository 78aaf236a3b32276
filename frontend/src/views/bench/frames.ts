import type { Schemas } from "@/api/client";

export type Frame = Schemas["Frame"];
export type CornerName = "top_left" | "top_right" | "bottom_right" | "bottom_left";
export interface Point {
  x: number;
  y: number;
}

export const CORNERS: readonly CornerName[] = ["top_left", "top_right", "bottom_right", "bottom_left"];
export const CORNER_WORDS: Record<CornerName, string> = {
  top_left: "Top left corner",
  top_right: "Top right corner",
  bottom_right: "Bottom right corner",
  bottom_left: "Bottom left corner",
};
export const WHOLE: Frame = {
  top_left: { x: 0, y: 0 },
  top_right: { x: 1, y: 0 },
  bottom_right: { x: 1, y: 1 },
  bottom_left: { x: 0, y: 1 },
  ratio: 0,
  vignette: 0,
};

const inside = (at: number) => Math.min(1, Math.max(0, at));
const tidy = (p: Point): Point => ({ x: Number(inside(p.x).toFixed(5)), y: Number(inside(p.y).toFixed(5)) });

/** The frame with every corner changed. */
function mapped(frame: Frame, change: (corner: Point) => Point): Frame {
  return { ...frame, ...Object.fromEntries(CORNERS.map((name) => [name, tidy(change(frame[name]))])) };
}

/** The frame with one corner elsewhere; where proportions are kept all follow, about the opposite corner. */
export function cornered(frame: Frame, name: CornerName, to: Point, keep: boolean): Frame {
  if (!keep) return { ...frame, [name]: tidy(to) };
  const opposite = CORNERS[(CORNERS.indexOf(name) + 2) % 4] ?? "top_left";
  const [from, fixed] = [frame[name], frame[opposite]];
  const [dx, dy] = [from.x - fixed.x, from.y - fixed.y];
  const along = ((to.x - fixed.x) * dx + (to.y - fixed.y) * dy) / (dx * dx + dy * dy);
  // As far as the picture goes: beyond it, proportions would be lost.
  const most = Math.min(
    ...CORNERS.flatMap((each) => {
      const [ex, ey] = [frame[each].x - fixed.x, frame[each].y - fixed.y];
      return [room(fixed.x, ex), room(fixed.y, ey)];
    }),
  );
  const times = Math.min(most, Math.max(0.05, along));
  return mapped(frame, (c) => ({ x: fixed.x + (c.x - fixed.x) * times, y: fixed.y + (c.y - fixed.y) * times }));
}

function room(from: number, way: number): number {
  if (Math.abs(way) < 1e-9) return Infinity;
  return way > 0 ? (1 - from) / way : -from / way;
}

/** The frame moved as a whole, as far as the picture goes. */
export function moved(frame: Frame, dx: number, dy: number): Frame {
  const xs = CORNERS.map((name) => frame[name].x);
  const ys = CORNERS.map((name) => frame[name].y);
  const x = Math.min(1 - Math.max(...xs), Math.max(-Math.min(...xs), dx));
  const y = Math.min(1 - Math.max(...ys), Math.max(-Math.min(...ys), dy));
  return mapped(frame, (c) => ({ x: c.x + x, y: c.y + y }));
}

/** How far the top edge leans, in degrees; `aspect` is the picture's width by its height. */
export function angleOf(frame: Frame, aspect: number): number {
  const { top_left: a, top_right: b } = frame;
  return (Math.atan2(b.y - a.y, (b.x - a.x) * aspect) * 180) / Math.PI;
}

/** The frame turned about its middle to an angle, and made smaller where it would leave the picture. */
export function turned(frame: Frame, degrees: number, aspect: number): Frame {
  const by = ((degrees - angleOf(frame, aspect)) * Math.PI) / 180;
  const [c, s] = [Math.cos(by), Math.sin(by)];
  const middle = {
    x: CORNERS.reduce((sum, name) => sum + frame[name].x / 4, 0),
    y: CORNERS.reduce((sum, name) => sum + frame[name].y / 4, 0),
  };
  const at = CORNERS.map((name) => {
    const [x, y] = [(frame[name].x - middle.x) * aspect, frame[name].y - middle.y];
    return { x: (x * c - y * s) / aspect, y: x * s + y * c };
  });
  const fit = Math.min(1, ...at.flatMap((p) => [room(middle.x, p.x), room(middle.y, p.y)]));
  return {
    ...frame,
    ...Object.fromEntries(CORNERS.map((name, n) => [name, tidy({ x: middle.x + (at[n]?.x ?? 0) * fit, y: middle.y + (at[n]?.y ?? 0) * fit })])),
  };
}
