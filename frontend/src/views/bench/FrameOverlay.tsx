import { fromView, isLaid, toView, type Layout } from "@/gl/layout";
import { CORNERS, CORNER_WORDS, cornered, moved, type CornerName, type Frame, type Point } from "./frames";

interface Props {
  layout: Layout;
  frame: Frame;
  keep: boolean;
  onMove: (frame: Frame) => void;
  onSettle: (frame: Frame) => void;
}

/** The frame over the raw picture: corners are dragged one by one, what lies between them moves it whole. */
export function FrameOverlay({ layout, frame, keep, onMove, onSettle }: Props) {
  if (!isLaid(layout)) return null;
  const at = (name: CornerName): Point => toView(layout, frame[name].x, frame[name].y);
  const points = CORNERS.map(at);
  const path = points.map((p) => `${String(p.x)},${String(p.y)}`).join(" ");
  const thirds = [1 / 3, 2 / 3];
  const [tl, tr, br, bl] = points;
  if (!tl || !tr || !br || !bl) return null;
  const between = (a: Point, b: Point, t: number): Point => ({ x: a.x + (b.x - a.x) * t, y: a.y + (b.y - a.y) * t });
  const drag = (event: React.PointerEvent<SVGElement>, change: (to: { u: number; v: number }, by: Point) => Frame) => {
    const box = event.currentTarget.ownerSVGElement?.getBoundingClientRect() ?? { left: 0, top: 0 };
    const start = fromView(layout, event.clientX - box.left, event.clientY - box.top);
    const target = event.currentTarget;
    target.setPointerCapture(event.pointerId);
    let last = frame;
    const move = (next: PointerEvent) => {
      const to = fromView(layout, next.clientX - box.left, next.clientY - box.top);
      last = change(to, { x: to.u - start.u, y: to.v - start.v });
      onMove(last);
    };
    const end = () => {
      target.removeEventListener("pointermove", move);
      onSettle(last);
    };
    target.addEventListener("pointermove", move);
    target.addEventListener("pointerup", end, { once: true });
  };
  return (
    <svg className="absolute inset-0 h-full w-full" aria-label="Frame of the picture" role="group">
      <path d={`M0 0H${String(layout.view.width)}V${String(layout.view.height)}H0Z M${path.replaceAll(" ", " L")}Z`} fillRule="evenodd" fill="#21282e" fillOpacity={0.55} pointerEvents="none" />
      <polygon
        points={path}
        fill="transparent"
        className="cursor-move"
        onPointerDown={(event) => {
          drag(event, (_, by) => moved(frame, by.x, by.y));
        }}
      />
      <g pointerEvents="none" stroke="#fff" strokeOpacity={0.6}>
        {thirds.map((t) => {
          const [a, b, c, d] = [between(tl, tr, t), between(bl, br, t), between(tl, bl, t), between(tr, br, t)];
          return (
            <g key={t}>
              <line x1={a.x} y1={a.y} x2={b.x} y2={b.y} />
              <line x1={c.x} y1={c.y} x2={d.x} y2={d.y} />
            </g>
          );
        })}
        <polygon points={path} fill="none" stroke="#000" strokeOpacity={1} strokeWidth={3} />
        <polygon points={path} fill="none" strokeOpacity={1} strokeWidth={1.25} />
      </g>
      {CORNERS.map((name, n) => {
        const p = points[n];
        if (!p) return null;
        return (
          <rect
            key={name}
            x={p.x - 7}
            y={p.y - 7}
            width={14}
            height={14}
            rx={2}
            fill="#fffefb"
            stroke="#212b33"
            tabIndex={0}
            role="slider"
            aria-label={CORNER_WORDS[name]}
            aria-valuenow={Math.round(frame[name].x * 100)}
            aria-valuetext={`${String(Math.round(frame[name].x * 100))} % across, ${String(Math.round(frame[name].y * 100))} % down`}
            className="cursor-grab focus-visible:outline-2 focus-visible:outline-verdigris"
            onPointerDown={(event) => {
              drag(event, (to) => cornered(frame, name, { x: to.u, y: to.v }, keep));
            }}
            onKeyDown={(event) => {
              const by = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
              if (!by) return;
              event.preventDefault();
              event.stopPropagation();
              const reach = event.shiftKey ? 0.05 : 0.005;
              onSettle(cornered(frame, name, { x: frame[name].x + (by[0] ?? 0) * reach, y: frame[name].y + (by[1] ?? 0) * reach }, keep));
            }}
          />
        );
      })}
    </svg>
  );
}
