import { useEffect, useRef, useState } from "react";

export interface CurvePoint {
  x: number;
  y: number;
}

const WIDE = 256;
const HIGH = 150;
const APART = 0.01;
const STEP = 0.01;

/** A curve to be bent: press on it to set a point, drag it, or move it by the arrow keys. */
export function CurveRow({
  label,
  points: settled,
  histogram,
  onMove,
  onSettle,
}: {
  label: string;
  points: readonly CurvePoint[];
  /** How common each tone is before this step, 0 to 1, a list a channel. */
  histogram: readonly (readonly number[])[];
  onMove: (points: CurvePoint[]) => void;
  onSettle: (points: CurvePoint[]) => void;
}) {
  const frame = useRef<SVGSVGElement>(null);
  const [draft, setDraft] = useState<CurvePoint[] | null>(null);
  useEffect(() => {
    setDraft(null);
  }, [settled]);
  const points = draft ?? [...settled];
  const at = (event: { clientX: number; clientY: number }): CurvePoint => {
    const box = frame.current?.getBoundingClientRect() ?? { left: 0, top: 0, width: 1, height: 1 };
    return { x: clean((event.clientX - box.left) / box.width), y: clean(1 - (event.clientY - box.top) / box.height) };
  };
  const moved = (place: number, to: CurvePoint): CurvePoint[] => {
    const low = (points[place - 1]?.x ?? -APART) + APART;
    const high = (points[place + 1]?.x ?? 1 + APART) - APART;
    return points.map((p, n) => (n === place ? { x: clean(Math.min(high, Math.max(low, to.x))), y: to.y } : p));
  };
  const drag = (target: Element, pointer: number, begun: CurvePoint[], place: number) => {
    target.setPointerCapture(pointer);
    let last = begun;
    const move = (event: Event) => {
      const to = at(event as PointerEvent);
      const low = (begun[place - 1]?.x ?? -APART) + APART;
      const high = (begun[place + 1]?.x ?? 1 + APART) - APART;
      last = begun.map((p, n) => (n === place ? { x: clean(Math.min(high, Math.max(low, to.x))), y: to.y } : p));
      setDraft(last);
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
  const begin = (event: React.PointerEvent<SVGSVGElement>) => {
    const to = at(event);
    const place = points.findIndex((p) => p.x > to.x);
    const whole = place === -1 ? [...points, to] : [...points.slice(0, place), to, ...points.slice(place)];
    const mine = place === -1 ? whole.length - 1 : place;
    if (whole.length > 16 || whole.some((p, n) => n > 0 && p.x - (whole[n - 1]?.x ?? 0) < APART / 2)) return;
    setDraft(whole);
    onMove(whole);
    drag(event.currentTarget, event.pointerId, whole, mine);
  };
  const keyed = (event: React.KeyboardEvent, place: number) => {
    const point = points[place];
    const by = { ArrowLeft: [-STEP, 0], ArrowRight: [STEP, 0], ArrowUp: [0, STEP], ArrowDown: [0, -STEP] }[event.key];
    if (point && by) {
      event.preventDefault();
      event.stopPropagation();
      const next = moved(place, { x: point.x + (by[0] ?? 0), y: clean(point.y + (by[1] ?? 0)) });
      setDraft(next);
      onSettle(next);
    }
    if ((event.key === "Delete" || event.key === "Backspace") && points.length > 2) {
      event.preventDefault();
      onSettle(points.filter((_, n) => n !== place));
    }
  };
  return (
    <div className="flex flex-col gap-1 text-small" role="group" aria-label={label}>
      <svg
        ref={frame}
        viewBox={`0 0 ${String(WIDE)} ${String(HIGH)}`}
        className="w-full cursor-crosshair border border-joint bg-lime"
        onPointerDown={begin}
      >
        <title>{label}</title>
        <Hills histogram={histogram} />
        <path d={`M0 ${String(HIGH)}L${String(WIDE)} 0`} stroke="var(--mortar)" />
        <path d={line(points)} fill="none" stroke="var(--ink)" strokeWidth={1.75} />
        {points.map((point, n) => (
          <rect
            key={n}
            x={point.x * WIDE - 5}
            y={(1 - point.y) * HIGH - 5}
            width={10}
            height={10}
            fill="var(--lime)"
            stroke="var(--ink)"
            tabIndex={0}
            role="slider"
            aria-label={`${label}, point ${String(n + 1)}`}
            aria-valuenow={Math.round(point.y * 100)}
            aria-valuetext={`${point.x.toFixed(2)} becomes ${point.y.toFixed(2)}`}
            className="cursor-grab focus-visible:outline-2 focus-visible:outline-verdigris"
            onPointerDown={(event) => {
              event.stopPropagation();
              drag(event.currentTarget, event.pointerId, points, n);
            }}
            onDoubleClick={() => {
              if (points.length > 2) onSettle(points.filter((_, m) => m !== n));
            }}
            onKeyDown={(event) => {
              keyed(event, n);
            }}
          />
        ))}
      </svg>
      <p className="text-fine text-ink-2">Press to set a point; double click, or Delete, takes it out</p>
    </div>
  );
}

function Hills({ histogram }: { histogram: readonly (readonly number[])[] }) {
  return histogram.map((counts, n) => (
    <path key={n} d={hills(counts)} fill={TONES[histogram.length === 1 ? 3 : n] ?? "#8a857a"} fillOpacity={0.35} />
  ));
}

/** How common each tone is before a step, dark to light. */
export function Tones({ histogram }: { histogram: readonly (readonly number[])[] }) {
  if (histogram.length === 0) return null;
  return (
    <svg viewBox={`0 0 ${String(WIDE)} ${String(HIGH)}`} preserveAspectRatio="none" className="h-14 w-full border border-joint bg-lime" role="img">
      <title>How common each tone is, dark to light</title>
      <Hills histogram={histogram} />
    </svg>
  );
}

const TONES = ["#b3402e", "#3f7d4e", "#33679c", "#8a857a"];

function clean(value: number): number {
  return Math.round(Math.min(1, Math.max(0, value)) * 1e4) / 1e4;
}

function hills(counts: readonly number[]): string {
  const across = WIDE / counts.length;
  const tops = counts.map((n, k) => `L${String(k * across)} ${String(HIGH - n * HIGH)}h${String(across)}`);
  return `M0 ${String(HIGH)}${tops.join("")}V${String(HIGH)}Z`;
}

/** The curve as it is computed: monotone between its points (Fritsch and Carlson 1980), level beyond them. */
function line(points: readonly CurvePoint[]): string {
  const slopes = slopesOf(points);
  const place = (x: number, y: number) => `${String(x * WIDE)} ${String((1 - y) * HIGH)}`;
  const [first, last] = [points[0], points[points.length - 1]];
  if (!first || !last) return "";
  const parts = [`M${place(0, first.y)}L${place(first.x, first.y)}`];
  points.slice(0, -1).forEach((p, n) => {
    const q = points[n + 1];
    if (!q) return;
    const third = (q.x - p.x) / 3;
    const [a, b] = [slopes[n] ?? 0, slopes[n + 1] ?? 0];
    parts.push(`C${place(p.x + third, p.y + a * third)} ${place(q.x - third, q.y - b * third)} ${place(q.x, q.y)}`);
  });
  return `${parts.join("")}L${place(1, last.y)}`;
}

function slopesOf(points: readonly CurvePoint[]): number[] {
  const steps = points.slice(0, -1).map((p, n) => {
    const q = points[n + 1] ?? p;
    return { wide: q.x - p.x, slope: (q.y - p.y) / Math.max(1e-6, q.x - p.x) };
  });
  if (steps.length === 1) return [steps[0]?.slope ?? 0, steps[0]?.slope ?? 0];
  return points.map((_, n) => {
    const [before, after] = [steps[n - 1], steps[n]];
    if (!before || !after) return ending(n === 0 ? steps : [...steps].reverse());
    if (before.slope * after.slope <= 0) return 0;
    const [w1, w2] = [2 * after.wide + before.wide, after.wide + 2 * before.wide];
    return (w1 + w2) / (w1 / before.slope + w2 / after.slope);
  });
}

function ending(steps: readonly { wide: number; slope: number }[]): number {
  const [near, next] = steps;
  if (!near || !next) return 0;
  const slope = ((2 * near.wide + next.wide) * near.slope - near.wide * next.slope) / (near.wide + next.wide);
  if (slope * near.slope <= 0) return 0;
  return near.slope * next.slope <= 0 && Math.abs(slope) > 3 * Math.abs(near.slope) ? 3 * near.slope : slope;
}
