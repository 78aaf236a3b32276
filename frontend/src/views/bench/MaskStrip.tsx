import { useEffect, useState } from "react";
import type { Edit, Schemas, Stage, SurfaceView } from "@/api/client";
import { Button } from "@/parts/Button";
import { Choice } from "@/parts/Choice";
import { SchemaForm, usualValues } from "@/parts/SchemaForm";
import { Swatch } from "@/parts/Swatch";
import { Tick } from "@/parts/Tick";
import { firstMask } from "./ids";

type Mask = Schemas["Mask"];

interface Props {
  surface: SurfaceView;
  knowledge: Schemas["Knowledge"];
  /** The map that is looked at: it shows a passing change. */
  map: string;
  chosen: string | null;
  onChoose: (mask: string | null) => void;
  change: (edit: Edit) => void;
  look: (edit: Edit, map: string, stage: Stage) => void;
}

/** The surface's masks below the maps: small named pictures; the one that is worked on is opened to its figures. */
export function MaskStrip({ surface, knowledge, map, chosen, onChoose, change, look }: Props) {
  const masks = surface.document.masks;
  const open = masks.find((m) => m.id === chosen);
  return (
    <>
      <ul aria-label="Masks" className="flex min-w-0 flex-1 items-center gap-1 overflow-x-auto">
        {masks.map((mask) => (
          <li key={mask.id}>
            <button
              type="button"
              aria-pressed={mask.id === chosen}
              title={used(surface, mask)}
              className={`flex h-7 items-center gap-1.5 rounded-sm border px-1 text-small whitespace-nowrap ${mask.id === chosen ? "border-verdigris bg-lime font-semibold" : "border-joint hover:bg-lime"}`}
              onClick={() => {
                onChoose(mask.id === chosen ? null : mask.id);
              }}
            >
              <Swatch contentKey={surface.masks[mask.id]} alt="" size={22} longest={48} />
              {mask.title}
            </button>
          </li>
        ))}
        <li>
          <Button
            look="bare"
            hint="A part of the surface that any step of any map can be limited to"
            onClick={() => {
              const mask = firstMask(masks);
              change({ kind: "add_mask", mask, map: null, step: null });
              onChoose(mask.id);
            }}
          >
            {masks.length === 0 ? "New mask" : "New"}
          </Button>
        </li>
      </ul>
      {open && (
        <OpenMask
          key={open.id}
          surface={surface}
          mask={open}
          kinds={knowledge.masks}
          onMove={(mask) => {
            look({ kind: "set_mask", mask }, map, "steps");
          }}
          onSettle={(mask) => {
            change({ kind: "set_mask", mask });
          }}
          onRemove={() => {
            change({ kind: "remove_mask", mask: open.id });
            onChoose(null);
          }}
          onDone={() => {
            onChoose(null);
          }}
        />
      )}
    </>
  );
}

/** The steps that a mask limits. */
function users(surface: SurfaceView, mask: Mask): number {
  return surface.document.maps.flatMap((m) => m.steps).filter((step) => step.mask === mask.id).length;
}

function used(surface: SurfaceView, mask: Mask): string {
  const steps = users(surface, mask);
  return steps === 0 ? "no step works on it" : steps === 1 ? "1 step works on it" : `${String(steps)} steps work on it`;
}

function OpenMask({
  surface,
  mask,
  kinds,
  onMove,
  onSettle,
  onRemove,
  onDone,
}: {
  surface: SurfaceView;
  mask: Mask;
  kinds: Schemas["MaskInfo"][];
  onMove: (mask: Mask) => void;
  onSettle: (mask: Mask) => void;
  onRemove: () => void;
  onDone: () => void;
}) {
  const [title, setTitle] = useState(mask.title);
  useEffect(() => {
    setTitle(mask.title);
  }, [mask.title]);
  const kind = kinds.find((k) => k.name === mask.shape.kind);
  const shaped = (values: Record<string, unknown>): Mask => ({ ...mask, shape: values as unknown as Mask["shape"] });
  return (
    <div role="group" aria-label={`Mask ${mask.title}`} className="-mx-2 flex w-[calc(100%+1rem)] gap-4 border-t border-mortar bg-lime px-2.5 py-1.5 text-small">
      <div className="flex w-[210px] shrink-0 flex-col gap-1">
        <input
          value={title}
          maxLength={60}
          aria-label="Name of the mask"
          className="h-6 rounded-sm border border-joint bg-lime px-1.5"
          onChange={(event) => {
            setTitle(event.target.value);
          }}
          onBlur={() => {
            if (title.trim() && title !== mask.title) onSettle({ ...mask, title: title.trim() });
            else setTitle(mask.title);
          }}
          onKeyDown={(event) => {
            if (event.key === "Enter") event.currentTarget.blur();
          }}
        />
        <p className="flex items-center gap-1.5 text-fine text-ink-2">
          {kinds.length > 1 ? (
            <select
              aria-label="Kind of the mask"
              value={mask.shape.kind}
              className="h-6 rounded-sm border border-joint bg-lime px-1 text-ink"
              onChange={(event) => {
                const next = kinds.find((k) => k.name === event.target.value);
                if (next) onSettle(shaped({ kind: next.name, ...usualValues(next.parameters) }));
              }}
            >
              {kinds.map((k) => (
                <option key={k.name} value={k.name}>{k.title}</option>
              ))}
            </select>
          ) : (
            `${kind?.title ?? ""};`
          )}
          {used(surface, mask)}
        </p>
        <div className="flex gap-2">
          <Button className="h-6" onClick={onDone}>Done</Button>
          <Button look="bare" className="h-6" disabled={users(surface, mask) > 0} hint="Only a mask that no step works on" onClick={onRemove}>
            Remove
          </Button>
        </div>
      </div>
      <div className="grid flex-1 grid-cols-3 gap-x-6">
        <SchemaForm
          schema={kind?.parameters ?? {}}
          values={mask.shape}
          onMove={(values) => {
            onMove(shaped(values));
          }}
          onSettle={(part) => {
            onSettle(shaped({ ...mask.shape, ...part }));
          }}
        />
        <div className="flex h-6 items-center justify-between">
          Drawn on
          <Choice
            label="Drawn on"
            value={mask.on}
            options={[["tile", "Tile"], ["source", "Source"]] as const}
            onChoose={(on) => {
              onSettle({ ...mask, on });
            }}
          />
        </div>
        <Tick
          className="flex h-6 items-center gap-1.5"
          title="Everywhere outside of it"
          checked={mask.inverted}
          onChange={(inverted) => {
            onSettle({ ...mask, inverted });
          }}
        >
          All but this
        </Tick>
      </div>
    </div>
  );
}
