import { useEffect, useRef, useState } from "react";
import type { Edit, Schemas, Stage, SurfaceView } from "@/api/client";
import { useFacts, useHistory, useKnowledge, useRevision } from "@/api/queries";
import { useKeys } from "@/app/keys";
import { fromView, isLaid, scaleOf, type Layout } from "@/gl/layout";
import { CELLS, FlatView, type Cells, type Channel, type FlatLook } from "@/gl/flat";
import type { Loaded, TextureSource } from "@/gl/textures";
import { Choice } from "@/parts/Choice";
import type { Framing } from "./FrameControls";
import { AS_IT_WAS, FlatGround } from "./FlatGround";
import { FrameOverlay } from "./FrameOverlay";
import { kindOf } from "./kinds";
import { levelSize, type Inspected } from "./losses";
import { BlockMark, EdgeScores, Marks, useSize } from "./Over";
import { useMapFindings } from "./MapChecks";
import { MaskPart } from "./MaskPart";
import type { Marker, MaskView } from "./maskShapes";
import { Missed, Pane } from "./Pane";
import type { Passing } from "./passing";
import { States } from "./States";
import { StepPart } from "./StepPart";

const REPEATS = ["1", "2", "4", "8"] as const;
type Repeat = (typeof REPEATS)[number];

function source(
  surface: SurfaceView,
  map: string,
  stage: Stage,
  knowledge: Schemas["Knowledge"] | undefined,
): TextureSource | null {
  const key = surface.keys[map]?.[stage];
  if (!key || !knowledge) return null;
  // At the start a derived map is still the map that it comes from.
  const origin = surface.document.maps.find((m) => m.id === map)?.origin;
  const seen = (stage === "source" || stage === "raw") && origin?.kind === "map" ? origin.map : map;
  return { key, compressed: stage === "compress", kind: kindOf(surface, seen, knowledge), whole: surface.document.whole_texels };
}

/** The map laid flat, at the chosen stage; the wipe shows its source beside it. */
export function FlatPane({
  surface,
  map,
  stage,
  passing,
  framing,
  again,
  onFraming,
  change,
  look: lookAhead,
  chosenStep,
  chosenMask,
  maskView,
  marker,
  inspected,
  onInspect,
  onProblem,
  shownPixels,
}: {
  surface: SurfaceView;
  map: string;
  stage: Stage;
  passing: Passing | null;
  /** Set while the source's frame is being moved over the raw picture. */
  framing: Framing | null;
  /** Another number: what could not be shown is asked for again. */
  again: number;
  onFraming: (framing: Framing) => void;
  change: (edit: Edit) => void;
  look: (edit: Edit, map: string, stage: Stage) => void;
  /** The step whose picture, and the mask, that have their handles shown. */
  chosenStep: string | null;
  chosenMask: string | null;
  maskView: MaskView;
  marker: Marker;
  /** How a compressed map is looked at. */
  inspected: Inspected;
  onInspect: (inspected: Inspected) => void;
  onProblem: (problem: unknown) => void;
  /** Is told how many pixels of the screen one tile takes. */
  shownPixels: { current: number };
}) {
  const { data: knowledge } = useKnowledge();
  const stand = useRef<HTMLDivElement>(null);
  const view_ = useSize(stand);
  const canvas = useRef<HTMLCanvasElement>(null);
  const view = useRef<FlatView | null>(null);
  const [repeat, setRepeat] = useState<Repeat>("2");
  const [seams, setSeams] = useState(false);
  const [cells, setCells] = useState<Cells>("plain");
  const [channel, setChannel] = useState<Channel>("all");
  const [wipe, setWipe] = useState(0);
  const [held, setHeld] = useState(false);
  const [place, setPlace] = useState(AS_IT_WAS);
  const [problem, setProblem] = useState<unknown>(null);
  const [shown, setShown] = useState<Loaded | null>(null);

  const [showing, setShowing] = useState<number | null>(null);
  const { data: other } = useRevision(surface.id, showing);
  const whole = surface.document.whole_texels;
  const then = showing === null ? undefined : other?.keys[map]?.[stage];
  const current =
    framing
      ? source(surface, map, "raw", knowledge)
      : then && knowledge
        ? { key: then, compressed: stage === "compress", kind: kindOf(surface, map, knowledge), whole }
      : passing?.map === map && knowledge
        ? { key: passing.key, compressed: passing.stage === "compress", kind: kindOf(surface, map, knowledge), passing: true, whole }
        : source(surface, map, stage, knowledge);
  const [against, setAgainst] = useState<number | null>(null);
  const { data: history } = useHistory(surface.id, surface.moves);
  const { data: earlier } = useRevision(surface.id, against);
  const old = earlier?.keys[map]?.[stage];
  const raw = surface.keys[map]?.raw !== surface.keys[map]?.source;
  const before: TextureSource | null =
    framing || !knowledge ? null : against !== null && old
      ? { key: old, compressed: stage === "compress", kind: kindOf(surface, map, knowledge), whole }
      : stage === "compress" && current?.compressed
        ? { ...current, before: true }
      : stage === "source"
        ? raw ? source(surface, map, "raw", knowledge) : null
        : source(surface, map, "source", knowledge);
  const found = surface.document.maps.find((m) => m.id === map);
  const parts = useMapFindings(surface, map).flatMap((finding) => finding.parts);
  const mask = surface.document.masks.find((m) => m.id === chosenMask);
  const facts = useFacts(surface.keys[map]?.[stage], stage);
  // Measured after the steps; a stretch to the finished size moves nothing.
  const measured = useFacts(surface.keys[map]?.steps, "steps");
  const fit = found?.size.fit;
  const scores = stage === "steps" || (stage !== "source" && stage !== "finish" && fit === "stretch") ? (measured.data?.scores ?? null) : null;
  const look: FlatLook = {
    right: current,
    left: before,
    wipe: held ? 1 : wipe,
    repeat: framing ? 1 : Number(repeat),
    cells: framing ? "plain" : cells,
    seams: seams && !framing,
    channel,
    level: inspected.level,
    seen: inspected.seen,
    gain: inspected.gain,
    backdrop: "checks",
    // A little room all round, so that corners at the picture's own can be taken hold of.
    ...(framing ? { zoom: 0.88, panX: 0, panY: 0 } : place),
  };
  const layout = {
    view: view_,
    size: { width: shown?.width ?? 0, height: shown?.height ?? 0 },
    repeat: look.repeat,
    zoom: look.zoom,
    panX: look.panX,
    panY: look.panY,
  };
  const tile = isLaid(layout) ? scaleOf(layout) * Math.max(layout.size.width, layout.size.height) * devicePixelRatio : 0;
  useEffect(() => {
    shownPixels.current = tile;
  }, [shownPixels, tile]);
  const origin = found?.origin;
  const latest = useRef(look);
  useEffect(() => {
    latest.current = look;
  });

  useEffect(() => {
    if (!canvas.current) return;
    const made = new FlatView(canvas.current, setProblem, (loaded) => {
      setShown(loaded);
      setProblem(null);
    });
    view.current = made;
    void made.show(latest.current);
    return () => {
      made.dispose();
      view.current = null;
    };
  }, []);
  const right = current?.key;
  const left = before?.key;
  useEffect(() => {
    void view.current?.show(latest.current);
  }, [right, left, map, stage, again]);
  useEffect(() => {
    view.current?.adjust(latest.current);
  }, [repeat, cells, seams, channel, wipe, held, place, framing, inspected]);

  useKeys({
    ...Object.fromEntries(
      REPEATS.map((n) => [
        n,
        () => {
          setRepeat(n);
        },
      ]),
    ),
    s: () => {
      setSeams((on) => !on);
    },
    Space: () => {
      setHeld(true);
    },
  });
  useEffect(() => {
    const release = (event: KeyboardEvent) => {
      if (event.key === " ") setHeld(false);
    };
    window.addEventListener("keyup", release);
    return () => {
      window.removeEventListener("keyup", release);
    };
  }, []);

  const size = facts.data ? `${facts.data.width} × ${facts.data.height}` : "";
  return (
    <Pane
      title="Flat"
      tools={
        <>
          <Choice
            label="Repeat"
            value={repeat}
            options={REPEATS.map((n) => [n, n === "1" ? "1" : `${n} × ${n}`] as const)}
            onChoose={setRepeat}
          />
          <label className="flex items-center gap-1.5 text-small">
            <input
              type="checkbox"
              className="accent-verdigris"
              checked={seams}
              onChange={(event) => {
                setSeams(event.target.checked);
              }}
            />
            Seams and spots
          </label>
          {current?.kind === "colour" && (
            <Choice
              label="Channel"
              className="ml-auto"
              value={channel}
              options={[
                ["all", "All"],
                ["r", "R"],
                ["g", "G"],
                ["b", "B"],
                ["a", "A"],
              ]}
              onChoose={setChannel}
            />
          )}
        </>
      }
    >
      {!framing && (
        <label className="absolute right-2 bottom-2 z-10 flex items-center gap-1.5 rounded-sm bg-label/80 px-1.5 py-0.5 text-small text-label-ink">
          Cells
          <select
            value={cells}
            className="h-[19px] w-[96px] rounded-sm bg-label text-label-ink"
            onChange={(event) => {
              const next = CELLS.find(([name]) => name === event.target.value)?.[0];
              if (next) setCells(next);
            }}
          >
            {CELLS.map(([name, words]) => (
              <option key={name} value={name}>
                {words}
              </option>
            ))}
          </select>
        </label>
      )}
      {!framing && (history?.length ?? 0) > 1 && (
        <States
          surface={surface.id}
          revision={surface.revision}
          history={history}
          plain={stage === "compress" ? "uncompressed" : "the source"}
          beside={against}
          shown={showing}
          onBeside={(number) => {
            setAgainst(number);
            if (number !== null && wipe === 0) setWipe(0.5);
          }}
          onShown={setShowing}
        />
      )}
      <div ref={stand} className="absolute inset-0" />
      <FlatGround
        layout={layout}
        fixed={framing !== null}
        onPlace={setPlace}
        onPress={stage === "compress" && current ? (x, y) => { onInspect({ ...inspected, block: blockAt(layout, inspected, x, y) }); } : undefined}
      >
      <canvas
        ref={canvas}
        data-testid="flat"
        aria-label={`The ${map} map at stage ${stage}, laid flat`}
        tabIndex={0}
        className="block h-full w-full cursor-grab -outline-offset-2"
        onKeyDown={(event) => {
          const step = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
          if (step) setPlace((p) => ({ ...p, panX: p.panX + (step[0] ?? 0) * 0.02, panY: p.panY + (step[1] ?? 0) * 0.02 }));
        }}
      />
      {!framing && cells === "plain" && facts.data && (
        <>
          <Marks
            layout={layout}
            culprits={seams ? (scores?.culprits ?? []) : []}
            faults={seams ? (scores?.faults ?? []) : []}
            joins={seams ? facts.data.joins : []}
            parts={parts}
            visible={facts.data.visible}
          />
          {seams && scores && <EdgeScores x={scores.x} y={scores.y} />}
        </>
      )}
      {!framing && cells === "plain" && inspected.block && (
        <BlockMark layout={layout} size={levelSize(layout.size, inspected.level ?? 0)} block={inspected.block} />
      )}
      {framing && origin?.kind === "source" && (
        <FrameOverlay
          layout={layout}
          frame={framing.draft ?? origin.frame}
          keep={framing.keep}
          onMove={(draft) => {
            onFraming({ ...framing, draft });
          }}
          onSettle={(next) => {
            // It is held until the surface has it, so that the next corner starts from here.
            onFraming({ ...framing, draft: next });
            change({ kind: "set_frame", map, frame: next });
          }}
        />
      )}
      {!framing && cells === "plain" && found && chosenStep && !mask && (
        <StepPart
          surface={surface}
          map={found}
          step={chosenStep}
          layout={layout}
          knowledge={knowledge}
          change={change}
          look={lookAhead}
          onProblem={onProblem}
        />
      )}
      {!framing && cells === "plain" && mask && current && (
        <MaskPart
          surface={surface}
          mask={mask}
          map={map}
          stage={stage}
          layout={layout}
          view={maskView}
          marker={marker}
          wiped={before ? look.wipe : 0}
          change={change}
          look={lookAhead}
          onProblem={onProblem}
        />
      )}
      </FlatGround>
      {!current && (
        <p className="absolute inset-0 flex items-center justify-center px-10 text-center text-label-ink">
          Drop a picture here to begin with it
        </p>
      )}
      {current && (
        <span className="figures pointer-events-none absolute top-2.5 right-2.5 rounded-sm bg-label/85 px-1.5 py-0.5 text-label-ink">
          {stageWords(framing ? "raw" : stage)} {shown?.stored !== "picture" && stage === "compress" ? shown?.stored : ""}{" "}
          {framing && shown ? `${String(shown.width)} × ${String(shown.height)}` : inspected.level === null ? size : levelWords(layout.size, inspected.level)}
        </span>
      )}
      {before && <Wipe words={against !== null ? (history?.find((entry) => entry.id === against)?.words ?? "Before") : before.before ? "Before compression" : stage === "source" ? "As it came" : "Source"} at={held ? 1 : wipe} onMove={setWipe} />}
      {problem !== null && <Missed error={problem} />}
    </Pane>
  );
}

function stageWords(stage: Stage): string {
  return { raw: "As it came", source: "Source", steps: "Steps", size: "Size", finish: "Finish", compress: "Compressed" }[stage];
}

function levelWords(whole: Layout["size"], level: number): string {
  const { width, height } = levelSize(whole, level);
  return `level ${String(level)}, ${String(width)} × ${String(height)}`;
}

/** The texel of a level under a point of the view. */
function blockAt(layout: Layout, { level }: Inspected, x: number, y: number): Inspected["block"] {
  if (!isLaid(layout)) return null;
  const { u, v } = fromView(layout, x, y);
  const { width, height } = levelSize(layout.size, level ?? 0);
  return { x: Math.floor((u - Math.floor(u)) * width), y: Math.floor((v - Math.floor(v)) * height) };
}

/** The line of the wipe: left of it is what the map is held against. */
function Wipe({ words, at, onMove }: { words: string; at: number; onMove: (at: number) => void }) {
  return (
    <>
      {at > 0.02 && (
        <span className="figures pointer-events-none absolute top-2.5 left-2.5 rounded-sm bg-label/85 px-1.5 py-0.5 text-label-ink">
          {words}
        </span>
      )}
      <div
        role="slider"
        tabIndex={0}
        aria-label={`Wipe: ${words.toLowerCase()} on the left`}
        aria-valuemin={0}
        aria-valuemax={100}
        aria-valuenow={Math.round(at * 100)}
        className="absolute inset-y-0 -ml-2 w-4 cursor-ew-resize before:absolute before:inset-y-0 before:left-[7px] before:w-[2px] before:bg-label-ink after:absolute after:top-1/2 after:left-[2px] after:h-7 after:w-3 after:border after:border-label after:bg-label-ink"
        style={{ left: `max(8px, min(100% - 8px, ${at * 100}%))` }}
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
        }}
        onPointerMove={(event) => {
          const box = event.currentTarget.parentElement?.getBoundingClientRect();
          if (!box || !event.currentTarget.hasPointerCapture(event.pointerId)) return;
          onMove(Math.min(1, Math.max(0, (event.clientX - box.left) / box.width)));
        }}
        onKeyDown={(event) => {
          const by = { ArrowLeft: -0.02, ArrowRight: 0.02, Home: -1, End: 1 }[event.key];
          if (by === undefined) return;
          event.stopPropagation();
          onMove(Math.min(1, Math.max(0, at + by)));
        }}
      />
    </>
  );
}
