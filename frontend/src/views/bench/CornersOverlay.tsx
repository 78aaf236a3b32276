import { useState } from "react";
import { fromView, isLaid, toView, type Layout } from "@/gl/layout";
import { DrawOverlay } from "./DrawOverlay";
import { finely } from "./placing";

export interface Corner {
  x: number;
  y: number;
}

interface Props {
  label: string;
  layout: Layout;
  corners: readonly Corner[];
  onMove: (corners: Corner[]) => void;
  onSettle: (corners: Corner[]) => void;
}

const MOST_HANDLES = 24;
/** Corners of a drawn outline lie at least so far apart, in shares of the tile. */
const APART = 0.006;

/** An outline with its corners: each is dragged or moved by keys, one is set on a side, or all are drawn anew in one line. */
export function CornersOverlay({ label, layout, corners, onMove, onSettle }: Props) {
  const [drawing, setDrawing] = useState(false);
  if (!isLaid(layout)) return null;
  const cell = Math.floor((layout.repeat - 1) / 2);
  const seen = corners.map((c) => toView(layout, cell + c.x, cell + c.y));
  const bar = (
    <button
      type="button"
      aria-pressed={drawing}
      className="absolute top-10 left-1/2 z-10 -translate-x-1/2 rounded-sm bg-label/85 px-2 py-1 text-small text-label-ink"
      onClick={() => {
        setDrawing(!drawing);
      }}
    >
      {drawing ? "Draw round it in one line" : "Draw it anew"}
    </button>
  );
  if (drawing) {
    return (
      <>
        <DrawOverlay
          label={`${label}: outline`}
          layout={layout}
          size={0}
          takes={false}
          onDrawn={(trace) => {
            const thinned = trace.filter((p, n) => {
              const before = trace[n - 1];
              return !before || n % Math.ceil(trace.length / 400) === 0 || Math.hypot(p.x - before.x, p.y - before.y) > APART;
            });
            setDrawing(false);
            if (thinned.length >= 3) onSettle(thinned.slice(0, 512).map(({ x, y }) => ({ x, y })));
          }}
        />
        {bar}
      </>
    );
  }
  const drag = (event: React.PointerEvent<SVGElement>, place: number, begun: readonly Corner[]) => {
    const frame = event.currentTarget.ownerSVGElement?.getBoundingClientRect() ?? { left: 0, top: 0 };
    const target = event.currentTarget;
    target.setPointerCapture(event.pointerId);
    let last = [...begun];
    const move = (at: PointerEvent) => {
      const { u, v } = fromView(layout, at.clientX - frame.left, at.clientY - frame.top);
      last = begun.map((c, n) => (n === place ? { x: inReach(u - cell), y: inReach(v - cell) } : c));
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
  const keyed = (event: React.KeyboardEvent, place: number) => {
    const by = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
    if (by) {
      event.preventDefault();
      event.stopPropagation();
      const reach = event.shiftKey ? 0.05 : 0.005;
      const next = corners.map((c, n) =>
        n === place ? { x: inReach(c.x + (by[0] ?? 0) * reach), y: inReach(c.y + (by[1] ?? 0) * reach) } : c,
      );
      onSettle(next);
    }
    if ((event.key === "Delete" || event.key === "Backspace") && corners.length > 3) {
      event.preventDefault();
      onSettle(corners.filter((_, n) => n !== place));
    }
    if (event.key === "Enter") {
      event.preventDefault();
      onSettle(split(corners, place));
    }
  };
  const outline = seen.map((p) => `${String(p.x)},${String(p.y)}`).join(" ");
  return (
    <>
      <svg className="absolute inset-0 h-full w-full overflow-hidden" aria-label={label} role="group" pointerEvents="none">
        <polygon points={outline} fill="none" stroke="#000" strokeWidth={3} />
        <polygon points={outline} fill="none" stroke="#fff" strokeWidth={1.25} strokeDasharray="6 4" />
        {corners.length <= MOST_HANDLES &&
          seen.map((p, n) => {
            const next = seen[(n + 1) % seen.length] ?? p;
            return (
              <circle
                key={`side ${String(n)}`}
                cx={(p.x + next.x) / 2}
                cy={(p.y + next.y) / 2}
                r={5}
                fill="#fffefb"
                fillOpacity={0.6}
                stroke="#212b33"
                pointerEvents="all"
                className="cursor-copy"
                onPointerDown={(event) => {
                  const added = split(corners, n);
                  onMove(added);
                  drag(event, n + 1, added);
                }}
              />
            );
          })}
        {corners.length <= MOST_HANDLES &&
          seen.map((p, n) => (
            <rect
              key={n}
              x={p.x - 6}
              y={p.y - 6}
              width={12}
              height={12}
              rx={2}
              fill="#fffefb"
              stroke="#212b33"
              pointerEvents="all"
              tabIndex={0}
              role="slider"
              aria-label={`${label}: corner ${String(n + 1)}`}
              aria-valuenow={Math.round((corners[n]?.x ?? 0) * 100)}
              aria-valuetext={`${String(Math.round((corners[n]?.x ?? 0) * 100))} % across, ${String(Math.round((corners[n]?.y ?? 0) * 100))} % down`}
              className="cursor-grab focus-visible:outline-2 focus-visible:outline-verdigris"
              onPointerDown={(event) => {
                drag(event, n, corners);
              }}
              onKeyDown={(event) => {
                keyed(event, n);
              }}
            />
          ))}
      </svg>
      {bar}
    </>
  );
}

function inReach(value: number): number {
  return finely(Math.min(2, Math.max(-1, value)));
}

/** A further corner in the middle of the side behind one. */
function split(corners: readonly Corner[], place: number): Corner[] {
  const [one, other] = [corners[place], corners[(place + 1) % corners.length]];
  if (!one || !other) return [...corners];
  const between = { x: finely((one.x + other.x) / 2), y: finely((one.y + other.y) / 2) };
  return [...corners.slice(0, place + 1), between, ...corners.slice(place + 1)];
}
