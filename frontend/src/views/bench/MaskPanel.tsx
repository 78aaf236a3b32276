import { useEffect, useId, useState } from "react";
import type { Edit, Schemas, Stage, SurfaceView } from "@/api/client";
import { Button } from "@/parts/Button";
import { Choice } from "@/parts/Choice";
import { NumberRow } from "@/parts/NumberRow";
import { Picker } from "@/parts/Picker";
import { SchemaForm, type Values } from "@/parts/SchemaForm";
import { Tick } from "@/parts/Tick";
import { newId } from "./ids";
import {
  freshShape,
  offeredKinds,
  otherMasks,
  used,
  users,
  type Marker,
  type Mask,
  type MaskInfo,
  type MaskView,
  type Shape,
} from "./maskShapes";
import { NamedChoice } from "./Reads";

interface Props {
  surface: SurfaceView;
  knowledge: Schemas["Knowledge"];
  /** The map that is looked at: it shows a passing change. */
  map: string;
  stage: "steps" | "finish";
  mask: Mask;
  view: MaskView;
  onView: (view: MaskView) => void;
  marker: Marker;
  onMarker: (marker: Marker) => void;
  onDone: () => void;
  change: (edit: Edit) => void;
  look: (edit: Edit, map: string, stage: Stage) => void;
  onProblem: (problem: unknown) => void;
}

/** Fields of a mask that have controls of their own here. */
const OWN = ["title", "shape", "parts", "on"];
/** What masks mostly become, the most usual last. */
const USUAL: readonly string[] = ["blend", "alpha"];

/** The mask that is worked on: its name, its parts one after the other, and what is done with them together. */
export function MaskPanel({ surface, knowledge, map, stage, mask, view, onView, marker, onMarker, onDone, change, look, onProblem }: Props) {
  const others = otherMasks(surface, mask);
  const kinds = offeredKinds(knowledge.masks, others);
  const settle = (next: Mask) => {
    change({ kind: "set_mask", mask: next });
  };
  const move = (next: Mask) => {
    look({ kind: "set_mask", mask: next }, map, stage);
  };
  const withPart = (id: string, shape: Shape): Mask => ({
    ...mask,
    parts: mask.parts.map((part) => (part.id === id ? { ...part, shape } : part)),
  });
  const made = (kind: MaskInfo, then: (shape: Shape) => void) => {
    freshShape(kind, map, others).then(then, onProblem);
  };
  const maps = surface.document.maps.map((m) => ({ id: m.id, title: knowledge.roles[m.role]?.title ?? m.role }));
  const drawn = [mask.shape, ...mask.parts.map((part) => part.shape)].some((shape) => shape.kind === "strokes");
  const common = { kinds, knowledge, maps, masks: others, made };
  return (
    <section role="group" aria-label={`Mask ${mask.title}`} className="flex flex-col gap-1.5 text-small">
      <Title mask={mask} onSettle={settle} />
      <p className="text-fine text-ink-2">{used(surface, mask)}</p>
      <div className="flex gap-2">
        <Button className="h-6" onClick={onDone}>
          Done
        </Button>
        <Button
          look="bare"
          className="h-6"
          disabled={users(surface, mask) > 0}
          hint="Only a mask that no step works on"
          onClick={() => {
            change({ kind: "remove_mask", mask: mask.id });
            onDone();
          }}
        >
          Remove
        </Button>
      </div>
      <div className="flex h-6 items-center justify-between">
        Shown as
        <Choice
          label="Shown as"
          value={view.shown}
          options={[["outline", "Outline"], ["tint", "Tint"], ["off", "Not"]] as const}
          onChoose={(shown) => {
            onView({ ...view, shown });
          }}
        />
      </div>
      {view.shown === "tint" && (
        <NumberRow
          label="Tint"
          value={view.opacity}
          min={0.05}
          max={1}
          step={0.05}
          usual={0.5}
          onMove={(opacity) => {
            onView({ ...view, opacity });
          }}
          onSettle={(opacity) => {
            onView({ ...view, opacity });
          }}
        />
      )}
      {drawn && (
        <div role="group" aria-label="Marker" className="flex flex-col border-t border-mortar pt-1.5">
          <NumberRow
            label="Marker"
            hint="Share of the width"
            value={marker.size}
            min={0.005}
            max={0.5}
            step={0.005}
            usual={0.06}
            onSettle={(size) => {
              onMarker({ ...marker, size });
            }}
          />
          <NumberRow
            label="Its rim"
            hint="0 is hard"
            value={marker.soft}
            min={0}
            max={1}
            step={0.05}
            usual={0.4}
            onSettle={(soft) => {
              onMarker({ ...marker, soft });
            }}
          />
          <Tick
            className="flex h-6 items-center gap-1.5"
            checked={marker.takes}
            onChange={(takes) => {
              onMarker({ ...marker, takes });
            }}
          >
            Takes away
          </Tick>
        </div>
      )}
      <Part
        {...common}
        label="Kind of the mask"
        shape={mask.shape}
        onMove={(shape) => {
          move({ ...mask, shape });
        }}
        onSettle={(shape) => {
          settle({ ...mask, shape });
        }}
      />
      {mask.parts.map((part, n) => (
        <Part
          key={part.id}
          {...common}
          label={`Kind of part ${String(n + 2)}`}
          shape={part.shape}
          onMove={(shape) => {
            move(withPart(part.id, shape));
          }}
          onSettle={(shape) => {
            settle(withPart(part.id, shape));
          }}
        >
          <div className="flex items-center justify-between gap-2">
            <Choice
              label={`Part ${String(n + 2)}`}
              value={part.how}
              options={[["add", "Add"], ["take", "Take away"], ["meet", "Only both"]] as const}
              onChoose={(how) => {
                settle({ ...mask, parts: mask.parts.map((p) => (p.id === part.id ? { ...p, how } : p)) });
              }}
            />
            <Button
              look="bare"
              className="h-6"
              aria-label={`Take part ${String(n + 2)} out`}
              onClick={() => {
                settle({ ...mask, parts: mask.parts.filter((p) => p.id !== part.id) });
              }}
            >
              Out
            </Button>
          </div>
        </Part>
      ))}
      <Picker
        label="Add a part"
        options={kinds.map((k) => ({ value: k.name, title: k.title, hint: k.hint, group: "" }))}
        onPick={(name) => {
          const kind = kinds.find((k) => k.name === name);
          if (!kind) return;
          made(kind, (shape) => {
            settle({ ...mask, parts: [...mask.parts, { id: newId(), how: "add", shape }] });
          });
        }}
      />
      <MapOf knowledge={knowledge} mask={mask} change={change} />
      <div className="border-t border-mortar pt-1.5">
        <SchemaForm
          schema={knowledge.forms["Mask"] ?? {}}
          values={mask}
          skip={OWN}
          onMove={(values) => {
            move(values as unknown as Mask);
          }}
          onSettle={(part) => {
            settle({ ...mask, ...part });
          }}
        />
        <div className="flex h-6 items-center justify-between">
          Drawn on
          <Choice
            label="Drawn on"
            value={mask.on}
            options={[["tile", "Tile"], ["source", "Source"]] as const}
            onChoose={(on) => {
              settle({ ...mask, on });
            }}
          />
        </div>
      </div>
    </section>
  );
}

/** The mask as a map of its own: an alpha, a blend, or where there is metal. */
function MapOf({ knowledge, mask, change }: Pick<Props, "knowledge" | "mask" | "change">) {
  const id = useId();
  const made = knowledge.steps.find((s) => s.name === "values_of_mask")?.roles ?? [];
  return (
    <label htmlFor={id} className="flex h-6 items-center gap-2" title="The map follows the mask, and leaves as every map does">
      <span className="w-[92px] shrink-0">Put out as</span>
      <select
        id={id}
        value=""
        className="h-6 min-w-0 flex-1 rounded-sm border border-joint bg-lime px-1"
        onChange={(event) => {
          const role = made.find((one) => one === event.target.value);
          if (role) change({ kind: "map_of_mask", mask: mask.id, role });
        }}
      >
        <option value="">choose a map…</option>
        {[...made].sort((one, other) => USUAL.indexOf(other) - USUAL.indexOf(one)).map((role) => (
          <option key={role} value={role}>
            {knowledge.roles[role]?.title ?? role}
          </option>
        ))}
      </select>
    </label>
  );
}

function Title({ mask, onSettle }: { mask: Mask; onSettle: (mask: Mask) => void }) {
  const [title, setTitle] = useState(mask.title);
  useEffect(() => {
    setTitle(mask.title);
  }, [mask.title]);
  return (
    <input
      value={title}
      maxLength={60}
      aria-label="Name of the mask"
      className="h-7 rounded-sm border border-joint bg-lime px-1.5 font-medium"
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
  );
}

/** One part of a mask: its kind, what it is made of, and its figures. */
function Part({
  kinds,
  knowledge,
  maps,
  masks,
  made,
  label,
  shape,
  onMove,
  onSettle,
  children,
}: {
  kinds: MaskInfo[];
  knowledge: Schemas["Knowledge"];
  maps: { id: string; title: string }[];
  masks: { id: string; title: string }[];
  made: (kind: MaskInfo, then: (shape: Shape) => void) => void;
  label: string;
  shape: Shape;
  onMove: (shape: Shape) => void;
  onSettle: (shape: Shape) => void;
  children?: React.ReactNode;
}) {
  const kind = knowledge.masks.find((k) => k.name === shape.kind);
  const values = shape as unknown as Values;
  const put = (next: Values) => next as unknown as Shape;
  return (
    <div className="flex flex-col border-t border-mortar pt-1.5">
      {children}
      <select
        aria-label={label}
        title={kind?.hint}
        value={shape.kind}
        className="h-6 rounded-sm border border-joint bg-lime px-1"
        onChange={(event) => {
          const next = kinds.find((k) => k.name === event.target.value);
          if (next) made(next, onSettle);
        }}
      >
        {kinds.map((k) => (
          <option key={k.name} value={k.name}>
            {k.title}
          </option>
        ))}
      </select>
      {shape.kind === "strokes" && (
        <p className="py-1 text-ink-2">
          {shape.strokes.count} {shape.strokes.count === 1 ? "stroke" : "strokes"}; draw in the flat view
        </p>
      )}
      {Object.entries(kind?.reads ?? {}).map(([field, what]) => {
        if (what !== "map" && what !== "mask") return null;
        const named = values[field] as Record<string, string> | undefined;
        return (
          <NamedChoice
            key={field}
            label={what === "map" ? "Map" : "Mask"}
            options={what === "map" ? maps : masks}
            value={named?.[what] ?? null}
            onChoose={(id) => {
              onSettle(put({ ...values, [field]: { [what]: id } }));
            }}
          />
        );
      })}
      <SchemaForm
        schema={kind?.parameters ?? {}}
        values={values}
        skip={Object.keys(kind?.reads ?? {})}
        onMove={(next) => {
          onMove(put(next));
        }}
        onSettle={(part) => {
          onSettle(put({ ...values, ...part }));
        }}
      />
    </div>
  );
}
