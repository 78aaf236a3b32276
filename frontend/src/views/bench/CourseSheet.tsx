import { useRef, type ReactNode } from "react";
import { isStopped, type Edit, type Schemas, type Stage, type SurfaceMap, type SurfaceView } from "@/api/client";
import { useFacts } from "@/api/queries";
import { COLUMNS, type Column } from "@/app/address";
import { titleOf } from "./kinds";
import { Lines, mapsRead } from "./Lines";
import { Making } from "./Making";
import { AllChecks, CheckSign } from "./MapChecks";
import { Swatch } from "@/parts/Swatch";
import { Verdict } from "@/parts/Verdict";
import { bytes, decibels } from "@/parts/figures";

type Knowledge = Schemas["Knowledge"];

interface Props {
  surface: SurfaceView;
  knowledge: Knowledge;
  map: string;
  column: Column;
  go: (map: string, column: Column) => void;
  drop: (files: FileList, onto: string) => Promise<void>;
  change: (edit: Edit) => void;
  /** Another number: pictures that are missing are asked for again. */
  turn: number;
  /** Called when what was stopped is made after all. */
  again: () => void;
  /** What stands below the maps. */
  children?: ReactNode;
}

const HEADS: Record<Column, string> = {
  source: "Source",
  steps: "Steps",
  size: "Size",
  finish: "Finish",
  compress: "Compress",
  output: "Output",
};

/** The course sheet: a row a map, a column a stage. */
export function CourseSheet({ surface, knowledge, map: chosen, column, go, drop, change, turn, again, children }: Props) {
  const grid = useRef<HTMLDivElement>(null);
  const maps = surface.document.maps;
  const roles = Object.keys(knowledge.roles) as Schemas["Role"][];
  const missing = roles.filter((role) => !maps.some((m) => m.role === role));
  const step = (rows: number, columns: number) => {
    const y = Math.min(maps.length - 1, Math.max(0, maps.findIndex((m) => m.id === chosen) + rows));
    const x = Math.min(COLUMNS.length - 1, Math.max(0, COLUMNS.indexOf(column) + columns));
    const [map, next] = [maps[y], COLUMNS[x]];
    if (!map || !next) return;
    go(map.id, next);
    grid.current?.querySelector<HTMLElement>(`[data-cell="${map.id}-${next}"]`)?.focus();
  };
  return (
    <div className="shrink-0 border-t border-joint bg-plaster">
    <div
      ref={grid}
      role="grid"
      aria-label="Course sheet"
      tabIndex={-1}
      className="relative grid max-h-[260px] overflow-y-auto grid-cols-[120px_minmax(0,1.1fr)_minmax(0,1.3fr)_minmax(0,0.8fr)_minmax(0,0.75fr)_minmax(0,1.3fr)_minmax(0,1.25fr)]"
      onKeyDown={(event) => {
        const by = { ArrowLeft: [0, -1], ArrowRight: [0, 1], ArrowUp: [-1, 0], ArrowDown: [1, 0] }[event.key];
        if (!by) return;
        event.preventDefault();
        step(by[0] ?? 0, by[1] ?? 0);
      }}
    >
      <div role="row" className="contents">
        <div role="columnheader" className="sticky top-0 z-10 flex h-6 items-center gap-1 border-b-2 border-mortar bg-plaster px-2.5 text-fine font-semibold">
          <span className="min-w-0 flex-1 truncate">{surface.document.title}</span>
        </div>
        {COLUMNS.map((c) => (
          <div
            key={c}
            role="columnheader"
            className="head sticky top-0 z-10 flex h-6 items-center justify-between gap-2 border-b-2 border-l-2 border-mortar bg-plaster px-2.5"
          >
            {HEADS[c]}
            {c === "output" && <Making surface={surface} onGoOn={again} />}
          </div>
        ))}
      </div>
      <Lines surface={surface} knowledge={knowledge} />
      {maps.map((map) => (
        <div key={map.id} role="row" className="contents">
          <div role="rowheader" className="flex h-[47px] flex-col justify-center border-b border-mortar bg-lime pr-1.5 pl-5">
            <span className="flex items-center justify-between gap-1">
              <span className="font-semibold">{knowledge.roles[map.role]?.title}</span>
              <CheckSign surface={surface} map={map.id} />
            </span>
            <span className="narrow truncate text-fine text-ink-2">{begins(map, surface, knowledge)}</span>
          </div>
          {COLUMNS.map((c) => (
            <Cell
              key={`${c} ${String(turn)}`}
              surface={surface}
              map={map}
              column={c}
              knowledge={knowledge}
              chosen={map.id === chosen && c === column}
              onChoose={() => {
                go(map.id, c);
              }}
              onDrop={(files) => void drop(files, map.id)}
            />
          ))}
        </div>
      ))}
    </div>
    <div className="flex min-h-8 flex-wrap items-center gap-x-3 px-2">
      <MadeOf surface={surface} knowledge={knowledge} change={change} />
      <AllChecks
        surface={surface}
        map={chosen}
        onGo={(map) => {
          go(map, "steps");
        }}
      />
      {missing.length > 0 && (
        <select
          aria-label="Add a map"
          value=""
          className="h-6 w-28 rounded-sm border border-transparent bg-transparent text-small text-ink-2 hover:border-joint"
          onChange={(event) => {
            const role = missing.find((r) => r === event.target.value);
            if (role) change({ kind: "add_map", role });
          }}
        >
          <option value="">Add a map…</option>
          {missing.map((role) => (
            <option key={role} value={role}>
              {knowledge.roles[role]?.title}: {knowledge.roles[role]?.hint.toLowerCase()}
            </option>
          ))}
        </select>
      )}
      {children}
    </div>
    </div>
  );
}

/** What the surface is made of: guessed when it starts, and changed by one choice. */
function MadeOf({ surface, knowledge, change }: Pick<Props, "surface" | "knowledge" | "change">) {
  const { matter, matter_guessed: sure, matter_why: why } = surface.document;
  const matters = Object.entries(knowledge.matters) as [Schemas["Matter"], { title: string }][];
  return (
    <label
      className="flex items-center gap-1.5 text-small text-ink-2"
      title="Sets where relief, specular, gloss, occlusion and cavity begin, within what was measured of such matter"
    >
      Made of
      <select
        value={matter ?? ""}
        className="h-6 rounded-sm border border-joint bg-lime px-1 text-small text-ink"
        onChange={(event) => {
          const chosen = matters.find(([name]) => name === event.target.value);
          if (chosen) change({ kind: "set_matter", matter: chosen[0], guessed: null, why: "" });
        }}
      >
        {!matter && <option value="">not told</option>}
        {matters.map(([name, { title }]) => (
          <option key={name} value={name}>
            {title}
          </option>
        ))}
      </select>
      {matter && typeof sure === "number" && <span className="figure text-fine" title={why && `Because: ${why}`}>guessed, {Math.round(sure * 100)} %</span>}
    </label>
  );
}

function begins(map: SurfaceMap, surface: SurfaceView, knowledge: Knowledge): string {
  if (map.frozen) return surface.out_of_date.includes(map.id) ? "frozen, out of date" : "frozen";
  if (!map.origin) return "no source yet";
  if (map.origin.kind === "map") return `from ${titleOf(surface, map.origin.map, knowledge)}`;
  const read = new Set(map.steps.flatMap((step) => mapsRead(step.params, knowledge)).map((id) => titleOf(surface, id, knowledge)));
  return read.size > 0 ? `own source, ${[...read].join(", ")}` : "own source";
}

interface CellProps {
  surface: SurfaceView;
  map: SurfaceMap;
  column: Column;
  knowledge: Knowledge;
  chosen: boolean;
  onChoose: () => void;
  onDrop: (files: FileList) => void;
}

/** A dressed block: the map at that stage, its number and its verdict. */
function Cell({ surface, map, column, knowledge, chosen, onChoose, onDrop }: CellProps) {
  return (
    <div role="gridcell" className="h-[47px] border-b border-l-2 border-mortar p-px">
      <button
        type="button"
        data-cell={`${map.id}-${column}`}
        aria-pressed={chosen}
        tabIndex={chosen ? 0 : -1}
        onClick={onChoose}
        onDragOver={(event) => {
          event.preventDefault();
        }}
        onDrop={(event) => {
          event.preventDefault();
          event.stopPropagation();
          onDrop(event.dataTransfer.files);
        }}
        className={`relative flex h-full w-full items-center gap-2 overflow-hidden px-1 text-left -outline-offset-2 ${chosen ? "bg-lime ring-2 ring-verdigris ring-inset" : "hover:bg-lime"}`}
      >
        <span className="sr-only">{`${knowledge.roles[map.role]?.title ?? ""}, ${HEADS[column]}: `}</span>
        <Inside surface={surface} map={map} column={column} knowledge={knowledge} />
      </button>
    </div>
  );
}

function Inside({ surface, map, column, knowledge }: Omit<CellProps, "chosen" | "onChoose" | "onDrop">) {
  if (!map.origin) {
    return <span className="w-full text-center text-small text-ink-2">{column === "source" ? "Drop a picture" : "–"}</span>;
  }
  if (column === "source" && map.origin.kind === "map") {
    return (
      <span className="w-full text-center text-small text-ink-2">from {titleOf(surface, map.origin.map, knowledge)}</span>
    );
  }
  if (column === "finish" && !map.steps.some((s) => s.finish)) {
    return <span className="w-full text-center text-small text-ink-2">as sized</span>;
  }
  if ((column === "compress" || column === "output") && !surface.outputs[map.id]?.delivered) {
    return <span className="w-full text-center text-small text-ink-2">not delivered</span>;
  }
  const stage: Stage = column === "output" ? "compress" : column;
  const key = surface.keys[map.id]?.[stage];
  return (
    <>
      <Swatch contentKey={key} alt="" />
      <span className="flex min-w-0 flex-1 flex-col gap-0.5">
        {column === "output" ? (
          <Output map={map} surface={surface} />
        ) : (
          <Numbers
            map={map}
            stage={stage}
            contentKey={key}
            knowledge={knowledge}
            asInGame={stage === "compress" && surface.outputs[map.id]?.as_in_game === true}
          />
        )}
      </span>
    </>
  );
}

function Numbers({
  map,
  stage,
  contentKey,
  knowledge,
  asInGame,
}: {
  map: SurfaceMap;
  stage: Stage;
  contentKey: string | null | undefined;
  knowledge: Knowledge;
  /** Nothing was done to what was taken from the game: what is shown is not what goes back. */
  asInGame: boolean;
}) {
  const { data: facts, error } = useFacts(contentKey, stage);
  if (error && isStopped(error)) return <Verdict finding={{ level: "look", words: "stopped", fix: "" }} />;
  if (error) {
    return <Verdict finding={{ level: "fault", words: error.message, fix: "" }} />;
  }
  if (!facts) return <span className="figures text-ink-2">…</span>;
  if (asInGame) {
    return (
      <>
        <span className="figures truncate">{facts.format ? knowledge.formats[facts.format]?.title : ""}</span>
        <Verdict finding={{ level: "good", words: "as the game has it", fix: "" }} />
      </>
    );
  }
  return (
    <>
      <span className="figures truncate">{keyNumber(map, stage, facts, knowledge)}</span>
      <Verdict finding={facts.finding} />
    </>
  );
}

function keyNumber(map: SurfaceMap, stage: Stage, facts: Schemas["RenderFacts"], knowledge: Knowledge): string {
  const size = facts.width === facts.height ? `${facts.width}²` : `${facts.width} × ${facts.height}`;
  if (stage === "source") return size;
  if (stage === "size") return size;
  if (stage === "finish") return size;
  if (stage === "steps") {
    const on = map.steps.filter((s) => s.enabled && !s.finish).length;
    const worst = facts.scores ? farther(facts.scores.x, facts.scores.y) : null;
    return `${on} step${on === 1 ? "" : "s"}${worst === null ? "" : `, seam ${worst.toFixed(2)}`}`;
  }
  const format = facts.format ? (knowledge.formats[facts.format]?.title ?? "") : "";
  const quality = facts.angle !== null ? `${facts.angle.toFixed(2)}°` : decibels(facts.psnr);
  return `${format} ${quality} ${bytes(facts.bytes ?? 0)}`;
}

/** The score that is farther from 1, by ratio. */
function farther(a: number, b: number): number {
  return Math.abs(Math.log(a)) > Math.abs(Math.log(b)) ? a : b;
}

const STATES: Record<SurfaceView["state"], Schemas["Finding"]> = {
  empty: { level: "look", words: "no source yet", fix: "" },
  draft: { level: "look", words: "not built yet", fix: "" },
  built: { level: "look", words: "built, not installed", fix: "" },
  installed: { level: "good", words: "installed", fix: "" },
  changed: { level: "look", words: "changed since build", fix: "" },
  unreadable: { level: "fault", words: "cannot be read", fix: "" },
};

function Output({ map, surface }: { map: SurfaceMap; surface: SurfaceView }) {
  const leaves = surface.outputs[map.id];
  const worst = leaves?.findings.find((f) => f.level === "fault") ?? leaves?.findings[0];
  return (
    <>
      <span className="figures truncate">
        {leaves?.name}
        {leaves?.extension}
      </span>
      <Verdict finding={worst ?? STATES[surface.state]} />
    </>
  );
}
