import { useEffect, useState, type RefObject } from "react";
import type { Schemas } from "@/api/client";
import { isLaid, scaleOf, toView, type Layout } from "@/gl/layout";

/** The size of an element, as it changes. */
export function useSize(element: RefObject<HTMLElement | null>): { width: number; height: number } {
  const [size, setSize] = useState({ width: 0, height: 0 });
  useEffect(() => {
    const watched = element.current;
    if (!watched) return;
    const observer = new ResizeObserver(() => {
      setSize({ width: watched.clientWidth, height: watched.clientHeight });
    });
    observer.observe(watched);
    return () => {
      observer.disconnect();
    };
  }, [element]);
  return size;
}

/** Spots that stand out, ringed in every repeat; other faults, boxed and numbered; and the shown part of a larger canvas. */
export function Marks({
  layout,
  culprits,
  faults,
  joins,
  parts,
  visible,
}: {
  layout: Layout;
  culprits: Schemas["CulpritView"][];
  faults: Schemas["Fault"][];
  joins: Schemas["RenderFacts"]["joins"];
  /** Outlines of what a check has found. */
  parts: Schemas["MapFinding"]["parts"];
  visible: Schemas["Area"] | null;
}) {
  const { size, repeat } = layout;
  if (!isLaid(layout)) return null;
  const scale = scaleOf(layout);
  const cells = Array.from({ length: repeat * repeat }, (_, n) => [n % repeat, Math.floor(n / repeat)] as const);
  const longest = Math.max(size.width, size.height);
  return (
    <svg aria-hidden className="pointer-events-none absolute inset-0 h-full w-full overflow-hidden">
      {cells.map(([column, row]) => (
        <g key={`${String(column)}-${String(row)}`}>
          {joins.map((join, n) => (
            <Line key={n} points={pairs(join).map(([x, y]) => toView(layout, column + x, row + y))} />
          ))}
          {parts.map((part, n) => (
            <Found key={n} points={pairs(part).map(([x, y]) => toView(layout, column + x, row + y))} />
          ))}
          {culprits.map((spot, n) => {
            const at = toView(layout, column + spot.x, row + spot.y);
            return <Ring key={n} x={at.x} y={at.y} radius={Math.max(7, spot.radius * longest * scale * 1.3)} />;
          })}
          {faults.map((fault, n) => {
            if (fault.everywhere || fault.kind === "spot") return null;
            const [left = 0, top = 0, wide = 0, high = 0] = fault.box;
            const from = toView(layout, column + left / size.width, row + top / size.height);
            return <Numbered key={n} number={n + 1} x={from.x} y={from.y} width={wide * scale} height={high * scale} />;
          })}
          {visible && <Outline layout={layout} column={column} row={row} area={visible} />}
        </g>
      ))}
    </svg>
  );
}

function pairs(values: number[]): [number, number][] {
  return values.flatMap((x, n) => (n % 2 === 0 ? [[x, values[n + 1] ?? 0] satisfies [number, number]] : []));
}

/** Where a picture was joined. */
function Line({ points }: { points: { x: number; y: number }[] }) {
  const path = points.map(({ x, y }) => `${x.toFixed(1)},${y.toFixed(1)}`).join(" ");
  return (
    <g data-join>
      <polyline points={path} fill="none" stroke="#000" strokeOpacity={0.6} strokeWidth={2.5} />
      <polyline points={path} fill="none" stroke="#fff" strokeWidth={1} strokeDasharray="1 3" />
    </g>
  );
}

/** What a check has found: a dashed line round it. */
function Found({ points }: { points: { x: number; y: number }[] }) {
  const path = points.map(({ x, y }) => `${x.toFixed(1)},${y.toFixed(1)}`).join(" ");
  return (
    <g data-found>
      <polygon points={path} fill="none" stroke="#000" strokeWidth={3} />
      <polygon points={path} fill="none" stroke="#fff" strokeWidth={1.25} strokeDasharray="6 3" />
    </g>
  );
}

/** The block that is seen near, in every repeat. */
export function BlockMark({ layout, size, block }: { layout: Layout; size: Layout["size"]; block: { x: number; y: number } }) {
  if (!isLaid(layout)) return null;
  const { repeat } = layout;
  const [left, top] = [block.x - (block.x % 4), block.y - (block.y % 4)];
  const across = Math.min(4, size.width - left) / size.width;
  const down = Math.min(4, size.height - top) / size.height;
  return (
    <svg aria-hidden data-block className="pointer-events-none absolute inset-0 h-full w-full overflow-hidden">
      {Array.from({ length: repeat * repeat }, (_, n) => {
        const [u, v] = [(n % repeat) + left / size.width, Math.floor(n / repeat) + top / size.height];
        const from = toView(layout, u, v);
        const to = toView(layout, u + across, v + down);
        // What is small on screen is ringed with some room.
        const room = Math.max(2, (14 - (to.x - from.x)) / 2);
        const box = { x: from.x - room, y: from.y - room, width: to.x - from.x + 2 * room, height: to.y - from.y + 2 * room };
        return (
          <g key={n}>
            <rect {...box} fill="none" stroke="#000" strokeWidth={3} />
            <rect {...box} fill="none" stroke="#fff" strokeWidth={1.25} />
          </g>
        );
      })}
    </svg>
  );
}

/** Seen on light and on dark. */
function Ring({ x, y, radius }: { x: number; y: number; radius: number }) {
  return (
    <>
      <circle cx={x} cy={y} r={radius} fill="none" stroke="#000" strokeWidth={3} />
      <circle cx={x} cy={y} r={radius} fill="none" stroke="#fff" strokeWidth={1.25} strokeDasharray="5 3" />
    </>
  );
}

const LEAST = 9;

/** A box that leaves room around what is thin, with the number that it has in the list. */
function Numbered({ number, x, y, width, height }: { number: number; x: number; y: number; width: number; height: number }) {
  const wide = Math.max(LEAST, width);
  const high = Math.max(LEAST, height);
  const box = { x: x - (wide - width) / 2, y: y - (high - height) / 2, width: wide, height: high };
  return (
    <g data-fault={number}>
      <rect {...box} fill="none" stroke="#000" strokeWidth={3} />
      <rect {...box} fill="none" stroke="#fff" strokeWidth={1.25} strokeDasharray="2 3" />
      <rect x={box.x - 1} y={box.y - 1} width={14} height={14} fill="#000" />
      <text x={box.x + 6} y={box.y + 10} fontSize={11} textAnchor="middle" fill="#fff" className="figures">
        {number}
      </text>
    </g>
  );
}

function Outline({ layout, column, row, area }: { layout: Layout; column: number; row: number; area: Schemas["Area"] }) {
  const from = toView(layout, column + area.x, row + area.y);
  const to = toView(layout, column + area.x + area.width, row + area.y + area.height);
  const box = { x: from.x, y: from.y, width: to.x - from.x, height: to.y - from.y };
  return (
    <>
      <rect {...box} fill="none" stroke="#000" strokeWidth={3} />
      <rect {...box} fill="none" stroke="#fff" strokeWidth={1.25} strokeDasharray="8 4" />
    </>
  );
}

/** The scores of both pairs of edges, where they lie. */
export function EdgeScores({ x, y }: { x: number; y: number }) {
  const chip = "figures pointer-events-none absolute rounded-sm bg-label/85 px-1.5 py-0.5 text-label-ink";
  return (
    <>
      <span className={`${chip} top-1/2 right-1.5 -translate-y-1/2`} title="Left edge against right">{`↔ ${x.toFixed(2)}`}</span>
      <span className={`${chip} top-2.5 left-1/3 -translate-x-1/2`} title="Top edge against bottom">{`↕ ${y.toFixed(2)}`}</span>
    </>
  );
}
