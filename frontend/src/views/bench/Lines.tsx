import type { Schemas, SurfaceMap, SurfaceView } from "@/api/client";

/** Height of a row of the course sheet, and of its head. */
const ROW = 47;
const HEAD = 24;
const LANE = 5;
/** Room for lanes at the left of the sheet. */
export const GUTTER = 18;
const LANES = Math.floor((GUTTER - 4) / LANE);

interface Line {
  from: number;
  to: number[];
  lane: number;
}

/** The maps that a map is made of: its origin, and what its steps bring in. */
export function madeOf(map: SurfaceMap, knowledge: Schemas["Knowledge"]): string[] {
  const origin = map.origin?.kind === "map" ? [map.origin.map] : [];
  const read = map.steps.filter((step) => step.enabled).flatMap((step) => mapsRead(step.params, knowledge));
  return [...new Set([...origin, ...read])];
}

/** The maps that a step brings in, by what its kind says it reads. */
export function mapsRead(params: SurfaceMap["steps"][number]["params"], knowledge: Schemas["Knowledge"]): string[] {
  const reads = knowledge.steps.find((kind) => kind.name === params.kind)?.reads ?? {};
  const values = params as unknown as Record<string, { map: string } | null>;
  return Object.entries(reads).flatMap(([field, what]) => (what === "map" && values[field] ? [values[field].map] : []));
}

/** Lines at the left of the course sheet, from each map to those that are made of it. */
export function Lines({ surface, knowledge }: { surface: SurfaceView; knowledge: Schemas["Knowledge"] }) {
  const maps = surface.document.maps;
  const lines = laned(
    maps.map((source, from) => ({
      from,
      to: maps.flatMap((map, n) => (madeOf(map, knowledge).includes(source.id) ? [n] : [])),
    })),
  );
  const middle = (row: number) => HEAD + row * ROW + ROW / 2;
  return (
    <svg aria-hidden width={GUTTER} height={HEAD + maps.length * ROW} className="pointer-events-none absolute top-0 left-0">
      {lines.map(({ from, to, lane }) => {
        const x = GUTTER - 4 - lane * LANE;
        const rows = [from, ...to];
        return (
          <g key={from} data-from={maps[from]?.role} className="stroke-ink-2" fill="none">
            <path d={`M${String(x)} ${String(middle(Math.min(...rows)))}V${String(middle(Math.max(...rows)))}`} />
            <circle cx={x} cy={middle(from)} r={2} className="fill-ink-2" />
            {to.map((row) => (
              <path
                key={row}
                data-to={maps[row]?.role}
                // A frozen map does not follow.
                strokeDasharray={maps[row]?.frozen ? "2 2" : undefined}
                d={`M${String(x)} ${String(middle(row))}H${String(GUTTER)}m-3 -2.5l3 2.5l-3 2.5`}
              />
            ))}
          </g>
        );
      })}
    </svg>
  );
}

/** Give each line a lane in which no other lies beside it, the shortest ones nearest to the names. */
function laned(wanted: Omit<Line, "lane">[]): Line[] {
  const span = ({ from, to }: Omit<Line, "lane">) => [Math.min(from, ...to), Math.max(from, ...to)] as const;
  const length = (line: Omit<Line, "lane">) => span(line)[1] - span(line)[0];
  const placed: Line[] = [];
  for (const line of wanted.filter(({ to }) => to.length > 0).sort((a, b) => length(a) - length(b))) {
    const [top, bottom] = span(line);
    const beside = placed.filter((other) => span(other)[0] <= bottom && span(other)[1] >= top).map((other) => other.lane);
    const free = Array.from({ length: LANES }, (_, lane) => lane).find((lane) => !beside.includes(lane));
    placed.push({ ...line, lane: free ?? LANES - 1 });
  }
  return placed;
}
