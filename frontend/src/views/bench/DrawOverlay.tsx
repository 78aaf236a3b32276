import { useRef, useState } from "react";
import { fromView, isLaid, scaleOf, toView, type Layout } from "@/gl/layout";
import { finely } from "./placing";

/** Where a line went, in shares of the tile, and how hard it was pressed. */
export type Trace = { x: number; y: number; pressure: number }[];

interface Props {
  label: string;
  layout: Layout;
  /** Width of the line, a share of the tile's; 0 is a thin one. */
  size: number;
  takes: boolean;
  /** Where only whole texels are drawn on: their number. */
  texels?: { width: number; height: number };
  colour?: string;
  onDrawn: (trace: Trace) => void;
}

/** What is known of a pointer, whichever way its event came. */
type Touch = Pick<PointerEvent, "clientX" | "clientY" | "pointerType" | "pressure">;

const STEP = 0.02;
const MOST = 20_000;

/** A line drawn over the tile by pointer, pen or keys: arrows move the cross, Space begins and ends a line. */
export function DrawOverlay({ label, layout, size, takes, texels, colour = "#e0218a", onDrawn }: Props) {
  const [trace, setTrace] = useState<Trace>([]);
  const [cross, setCross] = useState({ x: 0.5, y: 0.5 });
  const [down, setDown] = useState(false);
  const live = useRef<Trace>([]);
  if (!isLaid(layout)) return null;
  const cell = Math.floor((layout.repeat - 1) / 2);
  const scale = scaleOf(layout);
  const put = (next: Trace) => {
    live.current = next;
    setTrace(next);
  };
  const end = () => {
    const whole = live.current;
    put([]);
    if (whole.length > 0) onDrawn(whole);
  };
  const at = (event: Touch, frame: DOMRect, home: { x: number; y: number }) => {
    const { u, v } = fromView(layout, event.clientX - frame.left, event.clientY - frame.top);
    // A mouse knows no pressure, and says a half.
    const pressure = event.pointerType === "pen" ? event.pressure : 1;
    return { ...snapped({ x: u - home.x, y: v - home.y }, texels), pressure: finely(pressure) };
  };
  const points = trace.map((p) => toView(layout, cell + p.x, cell + p.y));
  const middle = toView(layout, cell + cross.x, cell + cross.y);
  const wide = Math.max(2, size * layout.size.width * scale);
  return (
    <svg
      className="absolute inset-0 h-full w-full cursor-crosshair touch-none overflow-hidden focus-visible:outline-2 focus-visible:outline-verdigris"
      role="application"
      aria-label={label}
      aria-roledescription="drawing"
      tabIndex={0}
      data-down={down}
      onPointerDown={(event) => {
        const target = event.currentTarget;
        target.setPointerCapture(event.pointerId);
        // Where a line begins says which repeat is meant; it may leave it.
        const frame = target.getBoundingClientRect();
        const { u, v } = fromView(layout, event.clientX - frame.left, event.clientY - frame.top);
        const home = { x: Math.floor(u), y: Math.floor(v) };
        put([at(event, frame, home)]);
        const move = (to: PointerEvent) => {
          if (live.current.length < MOST) put([...live.current, at(to, frame, home)]);
        };
        target.addEventListener("pointermove", move);
        target.addEventListener(
          "pointerup",
          () => {
            target.removeEventListener("pointermove", move);
            end();
          },
          { once: true },
        );
      }}
      onKeyDown={(event) => {
        const by = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
        if (by) {
          event.preventDefault();
          event.stopPropagation();
          const reach = event.shiftKey ? 5 : 1;
          const step = texels ? { x: 1 / texels.width, y: 1 / texels.height } : { x: STEP, y: STEP };
          const next = snapped({ x: cross.x + (by[0] ?? 0) * reach * step.x, y: cross.y + (by[1] ?? 0) * reach * step.y }, texels);
          setCross(next);
          if (down) put([...live.current, { ...next, pressure: 1 }]);
        }
        if (event.key === " " || event.key === "Enter") {
          event.preventDefault();
          event.stopPropagation();
          if (down) end();
          else put([{ ...snapped(cross, texels), pressure: 1 }]);
          setDown(!down);
        }
        if (event.key === "Escape" && down) {
          put([]);
          setDown(false);
        }
      }}
    >
      {points.length > 0 && (
        <polyline
          points={points.map((p) => `${String(p.x)},${String(p.y)}`).join(" ")}
          fill="none"
          stroke={takes ? "#212b33" : colour}
          strokeOpacity={texels ? 0.9 : 0.55}
          strokeWidth={wide}
          strokeLinecap={texels ? "square" : "round"}
          strokeLinejoin={texels ? "miter" : "round"}
        />
      )}
      <g aria-hidden stroke="#fff" strokeWidth={1.25} fill="none">
        <circle cx={middle.x} cy={middle.y} r={Math.max(4, wide / 2)} stroke="#000" strokeWidth={2.5} />
        <circle cx={middle.x} cy={middle.y} r={Math.max(4, wide / 2)} strokeDasharray={down ? "" : "3 3"} />
      </g>
    </svg>
  );
}

/** A place as finely as it is kept; on whole texels the middle of one. */
function snapped(place: { x: number; y: number }, texels: Props["texels"]): { x: number; y: number } {
  if (!texels) return { x: finely(place.x), y: finely(place.y) };
  const middle = (share: number, side: number) => Math.round(((Math.floor(share * side + 1e-6) + 0.5) / side) * 1e6) / 1e6;
  return { x: middle(place.x, texels.width), y: middle(place.y, texels.height) };
}
