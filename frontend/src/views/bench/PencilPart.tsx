import { api, got, type Edit, type Stage, type Step, type SurfaceMap, type SurfaceView } from "@/api/client";
import { isLaid, type Layout } from "@/gl/layout";
import { ColourRow } from "@/parts/ColourRow";
import { NumberRow } from "@/parts/NumberRow";
import { Tick } from "@/parts/Tick";
import { DrawOverlay, type Trace } from "./DrawOverlay";
import { usePencil } from "./pencil";
import { PickOverlay } from "./PickOverlay";

type Drawn = Step & { params: Extract<Step["params"], { kind: "pencil" }> };

export function isDrawn(step: Step): step is Drawn {
  return step.params.kind === "pencil";
}

/** Whole texels drawn on over the picture, or a colour taken from it. */
export function PencilPart({
  surface,
  map,
  step,
  layout,
  change,
  onProblem,
}: {
  surface: SurfaceView;
  map: SurfaceMap;
  step: Drawn;
  layout: Layout;
  change: (edit: Edit) => void;
  onProblem: (problem: unknown) => void;
}) {
  const [pencil, setPencil] = usePencil();
  const stage: Stage = step.finish ? "finish" : "steps";
  if (!isLaid(layout)) return null;
  if (pencil.picks) {
    return (
      <PickOverlay
        label="Pencil: take a colour"
        contentKey={surface.keys[map.id]?.[stage] ?? undefined}
        exact
        layout={layout}
        onPick={(colour) => {
          setPencil({ ...pencil, colour, picks: false, takes: false });
        }}
        onProblem={onProblem}
      />
    );
  }
  const drawn = async (trace: Trace) => {
    const { nib, colour, takes } = pencil;
    const points = trace.map(({ x, y }) => ({ x, y, pressure: 1 }));
    const before = step.params.strokes.sha256;
    const stroke = { size: 0.01, soft: 0, nib, colour, takes, points };
    const strokes = await got(api.POST("/api/strokes", { body: { before, stroke } }));
    change({ kind: "set_step", map: map.id, step: { ...step, params: { ...step.params, strokes } } });
  };
  return (
    <DrawOverlay
      label="Pencil: draw"
      layout={layout}
      size={pencil.nib / layout.size.width}
      takes={pencil.takes}
      texels={layout.size}
      colour={pencil.colour}
      onDrawn={(trace) => {
        drawn(trace).catch(onProblem);
      }}
    />
  );
}

/** What the pencil is: its colour, its nib, and whether it gives back. */
export function PencilTools({ step, chosen, onChoose }: { step: Drawn; chosen: boolean; onChoose: (chosen: boolean) => void }) {
  const [pencil, setPencil] = usePencil();
  const lines = step.params.strokes.count;
  return (
    <div role="group" aria-label="Pencil" className="flex flex-col text-small">
      <p className="flex items-center justify-between gap-2">
        <span className="figures">
          {lines} {lines === 1 ? "line" : "lines"}
        </span>
        <button
          type="button"
          aria-pressed={chosen}
          className="underline"
          onClick={() => {
            setPencil({ ...pencil, picks: false });
            onChoose(!chosen);
          }}
        >
          {chosen ? "Done drawing" : "Draw"}
        </button>
      </p>
      {chosen && (
        <>
          <ColourRow
            label="Colour"
            hint="Of the next line"
            value={pencil.colour}
            onSettle={(colour) => {
              setPencil({ ...pencil, colour });
            }}
          />
          <NumberRow
            label="Nib"
            hint="Texels on each side"
            value={pencil.nib}
            min={1}
            max={16}
            step={1}
            usual={1}
            onSettle={(nib) => {
              setPencil({ ...pencil, nib });
            }}
          />
          <p className="text-fine text-ink-2">The wheel comes nearer to a texel; the middle button moves the picture</p>
          <div className="flex items-center justify-between">
            <Tick
              className="flex h-6 items-center gap-1.5"
              checked={pencil.takes}
              onChange={(takes) => {
                setPencil({ ...pencil, takes });
              }}
            >
              Gives back what was there
            </Tick>
            <button
              type="button"
              aria-pressed={pencil.picks}
              className="underline"
              onClick={() => {
                setPencil({ ...pencil, picks: !pencil.picks });
              }}
            >
              Take a colour
            </button>
          </div>
        </>
      )}
    </div>
  );
}
