import { isLaid, fromView, scaleOf, toView, type Layout } from "@/gl/layout";

/** A box over the tile: its middle, its sides as shares of the tile's, and its turn in degrees. */
export interface Box {
  x: number;
  y: number;
  width: number;
  height: number;
  turn: number;
}

interface Props {
  label: string;
  layout: Layout;
  box: Box;
  /** Whether its height keeps to its width. */
  keep: boolean;
  onMove: (box: Box) => void;
  onSettle: (box: Box) => void;
}

const LEAST = 0.005;
const CORNERS = [
  ["Top left", -1, -1],
  ["Top right", 1, -1],
  ["Bottom right", 1, 1],
  ["Bottom left", -1, 1],
] as const;

/** A part of the tile with handles: dragged inside to move it, at its corners to size it. It may reach over the edges. */
export function PartOverlay({ label, layout, box, keep, onMove, onSettle }: Props) {
  if (!isLaid(layout)) return null;
  // The cell in the middle of the view, so that what reaches over an edge is seen at both.
  const column = Math.floor((layout.repeat - 1) / 2);
  const scale = scaleOf(layout);
  const middle = toView(layout, column + box.x, column + box.y);
  const half = { x: (box.width * layout.size.width * scale) / 2, y: (box.height * layout.size.height * scale) / 2 };
  const turn = (box.turn * Math.PI) / 180;
  const corner = (sx: number, sy: number) => ({
    x: middle.x + sx * half.x * Math.cos(turn) - sy * half.y * Math.sin(turn),
    y: middle.y + sx * half.x * Math.sin(turn) + sy * half.y * Math.cos(turn),
  });
  const outline = CORNERS.map(([, sx, sy]) => corner(sx, sy))
    .map((p) => `${String(p.x)},${String(p.y)}`)
    .join(" ");
  const drag = (event: React.PointerEvent<SVGElement>, next: (u: number, v: number) => Box) => {
    const frame = event.currentTarget.ownerSVGElement?.getBoundingClientRect() ?? { left: 0, top: 0 };
    const target = event.currentTarget;
    const start = fromView(layout, event.clientX - frame.left, event.clientY - frame.top);
    target.setPointerCapture(event.pointerId);
    let last = box;
    const move = (at: PointerEvent) => {
      const to = fromView(layout, at.clientX - frame.left, at.clientY - frame.top);
      last = next(to.u - start.u, to.v - start.v);
      onMove(last);
    };
    target.addEventListener("pointermove", move);
    target.addEventListener(
      "pointerup",
      () => {
        target.removeEventListener("pointermove", move);
        onSettle(last);
      },
      { once: true },
    );
  };
  const moved = (u: number, v: number): Box => ({ ...box, x: within(box.x + u), y: within(box.y + v) });
  const sized = (sx: number, sy: number, u: number, v: number): Box => {
    // Along its own axes, in pixels of the tile; the opposite corner stays where it is.
    const { width: w, height: h } = layout.size;
    const along = (u * w * Math.cos(turn) + v * h * Math.sin(turn)) * sx;
    const across = (-u * w * Math.sin(turn) + v * h * Math.cos(turn)) * sy;
    const width = Math.max(LEAST, box.width + along / w);
    const height = keep ? (box.height * width) / box.width : Math.max(LEAST, box.height + across / h);
    const dx = ((width - box.width) * w * sx) / 2;
    const dy = ((height - box.height) * h * sy) / 2;
    return {
      ...box,
      width,
      height,
      x: within(box.x + (dx * Math.cos(turn) - dy * Math.sin(turn)) / w),
      y: within(box.y + (dx * Math.sin(turn) + dy * Math.cos(turn)) / h),
    };
  };
  const arrows = (event: React.KeyboardEvent, next: (u: number, v: number) => Box) => {
    const by = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
    if (!by) return;
    event.preventDefault();
    event.stopPropagation();
    const reach = event.shiftKey ? 0.05 : 0.005;
    onSettle(next((by[0] ?? 0) * reach, (by[1] ?? 0) * reach));
  };
  return (
    <svg className="absolute inset-0 h-full w-full overflow-hidden" aria-label={label} role="group" pointerEvents="none">
      <polygon points={outline} fill="none" stroke="#000" strokeWidth={3} />
      <polygon points={outline} fill="none" stroke="#fff" strokeWidth={1.25} strokeDasharray="6 4" />
      <polygon
        points={outline}
        fill="transparent"
        pointerEvents="all"
        tabIndex={0}
        role="slider"
        aria-label={`${label}: place`}
        aria-valuenow={Math.round(box.x * 100)}
        aria-valuetext={`${String(Math.round(box.x * 100))} % across, ${String(Math.round(box.y * 100))} % down`}
        className="cursor-move focus-visible:outline-2 focus-visible:outline-verdigris"
        onPointerDown={(event) => {
          drag(event, moved);
        }}
        onKeyDown={(event) => {
          arrows(event, moved);
        }}
      />
      {CORNERS.map(([name, sx, sy]) => {
        const at = corner(sx, sy);
        return (
          <rect
            key={name}
            x={at.x - 6}
            y={at.y - 6}
            width={12}
            height={12}
            rx={2}
            fill="#fffefb"
            stroke="#212b33"
            pointerEvents="all"
            tabIndex={0}
            role="slider"
            aria-label={`${label}: ${name.toLowerCase()}`}
            aria-valuenow={Math.round(box.width * 100)}
            aria-valuetext={`${String(Math.round(box.width * 100))} % wide, ${String(Math.round(box.height * 100))} % high`}
            className="cursor-grab focus-visible:outline-2 focus-visible:outline-verdigris"
            onPointerDown={(event) => {
              drag(event, (u, v) => sized(sx, sy, u, v));
            }}
            onKeyDown={(event) => {
              arrows(event, (u, v) => sized(sx, sy, u, v));
            }}
          />
        );
      })}
    </svg>
  );
}

/** Bring a place back into the tile: over one edge is in at the other. */
function within(at: number): number {
  return at - Math.floor(at);
}
