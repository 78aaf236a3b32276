import { useId } from "react";
import type { Edit, Role, Schemas, Stage, Step } from "@/api/client";
import { useFacts } from "@/api/queries";
import { Choice } from "@/parts/Choice";
import { Hint } from "@/parts/Hint";
import { EarlierIcon, LaterIcon, RemoveIcon } from "@/parts/icons";
import { NumberRow } from "@/parts/NumberRow";
import { Tick } from "@/parts/Tick";
import type { ControlsProps } from "./controlsProps";
import { RemovedLight } from "./RemovedLight";
import { TileScores } from "./TileScores";

/** The steps of a map in order, each with a form made from its parameters' own description. */
export function StepControls({
  surface,
  map,
  knowledge,
  change,
  look,
}: ControlsProps & { look: (edit: Edit, role: Role, stage: Stage) => void }) {
  const add = useId();
  const facts = useFacts(surface.keys[map.role]?.steps, "steps");
  const kinds = knowledge.steps.filter((s) => s.roles.includes(map.role));
  // Of several ways to one end the first is offered; the others are chosen on the step.
  const families = new Set<string>();
  const offered = kinds.filter((s) => s.name !== "patch_spots" && (s.family === "" || !families.has(s.family)) && families.add(s.family));
  return (
    <div className="flex flex-col">
      {map.steps.map((step, place) => {
        const kind = knowledge.steps.find((s) => s.name === step.kind);
        if (!kind) return null;
        const set = (next: Step): Edit => ({ kind: "set_step", role: map.role, place, step: next });
        return (
          <fieldset key={`${step.kind}-${place}`} className="border-t border-mortar py-2">
            <legend className="sr-only">{kind.title}</legend>
            <div className="mb-1 flex items-center gap-1">
              <Tick
                className="flex min-w-0 flex-1 items-center gap-1.5 truncate font-medium"
                title={kind.hint}
                checked={step.enabled}
                onChange={(enabled) => {
                  change(set({ ...step, enabled }));
                }}
              >
                {kind.family === "tile" ? "Make it tile" : kind.title}
              </Tick>
              <Tool label={`${kind.title} earlier`} disabled={place === 0} onPress={() => { change({ kind: "move_step", role: map.role, place, to: place - 1 }); }}>
                <EarlierIcon />
              </Tool>
              <Tool label={`${kind.title} later`} disabled={place === map.steps.length - 1} onPress={() => { change({ kind: "move_step", role: map.role, place, to: place + 1 }); }}>
                <LaterIcon />
              </Tool>
              <Tool label={`Remove ${kind.title}`} onPress={() => { change({ kind: "remove_step", role: map.role, place }); }}>
                <RemoveIcon />
              </Tool>
            </div>
            {step.enabled && kind.family !== "" && (
              <Way
                kinds={kinds.filter((s) => s.family === kind.family)}
                chosen={kind}
                onChoose={(other) => { change(set(carried(step, other))); }}
              />
            )}
            {step.enabled && (
              <Form
                kind={kind}
                step={step}
                onMove={(next) => {
                  look(set(next), map.role, "steps");
                }}
                onSettle={(next) => {
                  change(set(next));
                }}
              />
            )}
            {step.enabled && step.kind === "balance_light" && <RemovedLight surface={surface} role={map.role} />}
          </fieldset>
        );
      })}
      {facts.data?.scores && (
        <TileScores
          scores={facts.data.scores}
          finding={facts.data.finding}
          onRepair={(culprits) => {
            const spots = culprits.map(({ x, y, radius }) => ({ x, y, radius: Math.min(0.25, radius) }));
            change({ kind: "repair_spots", role: map.role, spots });
          }}
        />
      )}
      <label htmlFor={add} className="sr-only">
        Add a step
      </label>
      <select
        id={add}
        value=""
        className="mt-1 h-7 rounded-sm border border-ink bg-lime px-1.5"
        onChange={(event) => {
          const kind = offered.find((s) => s.name === event.target.value);
          if (kind) change({ kind: "add_step", role: map.role, step: fresh(kind), place: null });
        }}
      >
        <option value="">Add a step…</option>
        {offered.map((s) => (
          <option key={s.name} value={s.name}>
            {s.family === "tile" ? "Make it tile: joins opposite edges" : `${s.title}: ${s.hint.toLowerCase()}`}
          </option>
        ))}
      </select>
    </div>
  );
}

/** One way of several to the same end, with a line on what it is for. */
function Way({ kinds, chosen, onChoose }: { kinds: StepInfo[]; chosen: StepInfo; onChoose: (kind: StepInfo) => void }) {
  const id = useId();
  return (
    <>
      <div className="flex h-6 items-center gap-2 text-small">
        <label htmlFor={id} className="w-[92px] shrink-0">Way</label>
        <select
          id={id}
          value={chosen.name}
          className="h-6 min-w-0 flex-1 rounded-sm border border-joint bg-lime px-1"
          onChange={(event) => {
            const kind = kinds.find((s) => s.name === event.target.value);
            if (kind) onChoose(kind);
          }}
        >
          {kinds.map((s) => (
            <option key={s.name} value={s.name}>{s.title}</option>
          ))}
        </select>
      </div>
      <p className="pb-1 text-fine text-ink-2">{chosen.hint}</p>
    </>
  );
}

/** Another way with its usual values, but for those that both ways have. */
function carried(step: Step, other: StepInfo): Step {
  const before = step as unknown as Record<string, unknown>;
  const shared = ["axes", "seed"].filter((name) => name in before && name in (other.parameters["properties"] as object));
  return { ...fresh(other), ...Object.fromEntries(shared.map((name) => [name, before[name]])) };
}

function Tool({
  label,
  onPress,
  disabled = false,
  children,
}: {
  label: string;
  onPress: () => void;
  disabled?: boolean;
  children: React.ReactNode;
}) {
  return (
    <Hint text={label}>
      <button
        type="button"
        aria-label={label}
        disabled={disabled}
        onClick={onPress}
        className="flex h-5 w-5 items-center justify-center rounded-sm text-ink-2 hover:bg-verdigris-wash hover:text-ink disabled:opacity-30"
      >
        {children}
      </button>
    </Hint>
  );
}

/** What the description of a parameter says; a subset of JSON schema. */
interface Parameter {
  title?: string;
  description?: string;
  type?: string;
  default?: unknown;
  minimum?: number;
  maximum?: number;
  multipleOf?: number;
  enum?: string[];
}

type StepInfo = Schemas["StepInfo"];

function parameters(kind: StepInfo): [string, Parameter][] {
  const properties = (kind.parameters["properties"] ?? {}) as Record<string, Parameter>;
  return Object.entries(properties).filter(([name]) => name !== "kind" && name !== "enabled");
}

/** A step with all its usual values; the server knows them, so only its kind is sent. */
function fresh(kind: StepInfo): Step {
  return { kind: kind.name, enabled: true, ...Object.fromEntries(parameters(kind).map(([n, p]) => [n, p.default])) } as Step;
}

const WORDS: Record<string, string> = {
  both: "Both",
  x: "Left–right",
  y: "Top–bottom",
  square: "Square",
  found: "As found",
  own: "Own alpha",
  lightness: "Lightness",
};

function Form({
  kind,
  step,
  onMove,
  onSettle,
}: {
  kind: StepInfo;
  step: Step;
  onMove: (next: Step) => void;
  onSettle: (next: Step) => void;
}) {
  const values = step as unknown as Record<string, unknown>;
  const withValue = (name: string, value: unknown) => ({ ...step, [name]: value });
  return (
    <>
      {parameters(kind).map(([name, parameter]) => {
        if (parameter.type === "array") {
          const count = (values[name] as unknown[]).length;
          return (
            <p key={name} className="text-small text-ink-2">
              {count} {count === 1 ? "spot is" : "spots are"} covered.
            </p>
          );
        }
        const label = parameter.title ?? name;
        const value = values[name];
        if (parameter.enum) {
          return (
            <div key={name} className="flex h-6 items-center justify-between text-small">
              {label}
              <Choice
                label={label}
                value={String(value)}
                options={parameter.enum.map((option) => [option, WORDS[option] ?? option] as const)}
                onChoose={(next) => {
                  onSettle(withValue(name, next));
                }}
              />
            </div>
          );
        }
        if (parameter.type === "boolean") {
          return (
            <Tick
              key={name}
              className="flex h-6 items-center gap-1.5 text-small"
              title={parameter.description}
              checked={value === true}
              onChange={(next) => {
                onSettle(withValue(name, next));
              }}
            >
              {label}
            </Tick>
          );
        }
        return (
          <NumberRow
            key={name}
            label={label}
            {...(parameter.description ? { hint: parameter.description } : {})}
            value={Number(value)}
            min={parameter.minimum ?? 0}
            max={parameter.maximum ?? 1}
            step={parameter.multipleOf ?? (parameter.type === "integer" ? 1 : 0.01)}
            {...(typeof parameter.default === "number" ? { usual: parameter.default } : {})}
            onMove={(next) => {
              onMove(withValue(name, next));
            }}
            onSettle={(next) => {
              onSettle(withValue(name, next));
            }}
          />
        );
      })}
    </>
  );
}
