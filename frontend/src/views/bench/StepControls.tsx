import { useId, useRef } from "react";
import { bring } from "@/api/queries";
import type { Edit, Schemas, Stage, Step } from "@/api/client";
import { useFacts } from "@/api/queries";
import { Hint } from "@/parts/Hint";
import { EarlierIcon, LaterIcon, RemoveIcon } from "@/parts/icons";
import { NumberRow } from "@/parts/NumberRow";
import { SchemaForm, said, parametersOf, type Values } from "@/parts/SchemaForm";
import { Tick } from "@/parts/Tick";
import type { ControlsProps } from "./controlsProps";
import { RemovedLight } from "./RemovedLight";
import { StepMask } from "./StepMask";
import { TileScores } from "./TileScores";
import { WayStrip } from "./WayStrip";
import { carried, fresh } from "./ways";

type StepInfo = Schemas["StepInfo"];

/** Fields that a form has no plain control for: what else a step reads. */
const READS = ["picture", "map"];

/** What a step is called where it is one of several ways to the same end. */
function titleOf(kind: StepInfo): string {
  return kind.family === "tile" ? "Tiling" : kind.title;
}

/** The steps of a map in order, each with a form made from its parameters' own description. */
export function StepControls({
  project,
  surface,
  map,
  knowledge,
  change,
  look,
  chosenStep,
  onChooseStep,
  chosenMask,
  onChooseMask,
}: ControlsProps & {
  project: string;
  look: (edit: Edit, map: string, stage: Stage) => void;
  /** The step whose picture has its handles shown in the flat view. */
  chosenStep: string | null;
  onChooseStep: (step: string | null) => void;
  chosenMask: string | null;
  onChooseMask: (mask: string | null) => void;
}) {
  const add = useId();
  const file = useRef<HTMLInputElement>(null);
  const facts = useFacts(surface.keys[map.id]?.steps, "steps");
  const kinds = knowledge.steps.filter((s) => s.roles.includes(map.role));
  // Of several ways to one end the first is offered; the others are chosen on the step.
  const firsts = kinds.filter((s, n) => s.family === "" || kinds.findIndex((other) => other.family === s.family) === n);
  const offered = firsts.filter(
    (s) =>
      s.name !== "patch_spots" &&
      s.makes === null &&
      (!readsMap(s) || others(surface, map.id, knowledge).length > 0),
  );
  const begin = (kind: StepInfo, params: Values) => {
    const step = fresh(kind, params);
    change({ kind: "add_step", map: map.id, step, before: null });
    if (kind.name === "lay_picture") onChooseStep(step.id);
  };
  const lay = async (files: FileList | null) => {
    const chosen = files?.[0];
    const kind = kinds.find((s) => s.name === "lay_picture");
    if (!chosen || !kind) return;
    const { origin } = await bring(project, chosen);
    const { sha256, name, width, height } = origin;
    begin(kind, { picture: { sha256, name, width, height } });
  };
  return (
    <div className="flex flex-col">
      {map.steps.map((step, place) => {
        const kind = knowledge.steps.find((s) => s.name === step.params.kind);
        if (!kind) return null;
        const set = (next: Step): Edit => ({ kind: "set_step", map: map.id, step: next });
        const withParams = (params: Values): Step => ({ ...step, params: params as unknown as Step["params"] });
        const beforeThat = map.steps[place - 1];
        const afterNext = map.steps[place + 2];
        return (
          <fieldset key={step.id} className="border-t border-mortar py-2">
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
                {titleOf(kind)}
              </Tick>
              <Tool
                label={`${kind.title} earlier`}
                disabled={place === 0}
                onPress={() => {
                  if (beforeThat) change({ kind: "move_step", map: map.id, step: step.id, before: beforeThat.id });
                }}
              >
                <EarlierIcon />
              </Tool>
              <Tool
                label={`${kind.title} later`}
                disabled={place === map.steps.length - 1}
                onPress={() => {
                  change({ kind: "move_step", map: map.id, step: step.id, before: afterNext?.id ?? null });
                }}
              >
                <LaterIcon />
              </Tool>
              <Tool
                label={`Remove ${kind.title}`}
                disabled={kind.makes !== null && map.origin?.kind === "map"}
                onPress={() => {
                  change({ kind: "remove_step", map: map.id, step: step.id });
                }}
              >
                <RemoveIcon />
              </Tool>
            </div>
            {step.enabled && kind.family !== "" && (
              <WayStrip
                surface={surface}
                map={map.id}
                kinds={kinds.filter((s) => s.family === kind.family)}
                chosen={kind}
                onChoose={(other) => {
                  change(set({ ...step, params: carried(step, other) }));
                }}
              />
            )}
            {step.enabled && step.params.kind === "lay_picture" && (
              <p className="flex items-center justify-between gap-2 text-small">
                <span className="figures truncate">{step.params.picture.name}</span>
                <button
                  type="button"
                  aria-pressed={chosenStep === step.id}
                  className="underline"
                  onClick={() => {
                    onChooseStep(chosenStep === step.id ? null : step.id);
                  }}
                >
                  {chosenStep === step.id ? "Done placing" : "Place it"}
                </button>
              </p>
            )}
            {step.enabled && "map" in step.params && (
              <OtherMap
                options={others(surface, map.id, knowledge)}
                value={step.params.map.map}
                onChoose={(other) => {
                  change(set(withParams({ ...step.params, map: { map: other } })));
                }}
              />
            )}
            {step.enabled && (
              <SchemaForm
                schema={kind.parameters}
                values={step.params}
                skip={READS}
                onMove={(next) => {
                  look(set(withParams(next)), map.id, "steps");
                }}
                onSettle={(part) => {
                  change(set(withParams({ ...step.params, ...part })));
                }}
              />
            )}
            {step.enabled && kind.family === "tile" && facts.data?.kept && (
              <p className="pt-1 text-fine text-ink-2">Kept: {facts.data.kept}.</p>
            )}
            {step.enabled && kind.mixes && (
              <details className="text-small" open={step.mask !== null || step.amount !== 1 || step.blend !== "normal"}>
                <summary className="min-h-6 cursor-pointer leading-6 text-ink-2">Where and how much</summary>
                <StepMask surface={surface} map={map} step={step} change={change} chosen={chosenMask} onChoose={onChooseMask} />
                <Amount
                  knowledge={knowledge}
                  step={step}
                  vector={knowledge.roles[map.role]?.space === "vector"}
                  onMove={(next) => {
                    look(set(next), map.id, "steps");
                  }}
                  onSettle={(next) => {
                    change(set(next));
                  }}
                />
              </details>
            )}
            {step.enabled && step.params.kind === "balance_light" && (
              <RemovedLight surface={surface} map={map.id} amount={step.params.amount} />
            )}
          </fieldset>
        );
      })}
      {facts.data?.scores && (
        <TileScores
          scores={facts.data.scores}
          finding={facts.data.finding}
          onRepair={(culprits) => {
            const spots = culprits.map(({ x, y, radius }) => ({ x, y, radius: Math.min(0.25, radius) }));
            change({ kind: "repair_spots", map: map.id, spots });
          }}
        />
      )}
      <input
        ref={file}
        type="file"
        className="hidden"
        aria-label="Picture to lay over"
        accept=".png,.jpg,.jpeg,.tga,.bmp,.tif,.tiff,.dds,.ktx2"
        onChange={(event) => {
          void lay(event.target.files);
          event.target.value = "";
        }}
      />
      <label htmlFor={add} className="sr-only">
        Add a step
      </label>
      <select
        id={add}
        value=""
        className="mt-1 h-7 rounded-sm border border-ink bg-lime px-1.5"
        onChange={(event) => {
          const kind = offered.find((s) => s.name === event.target.value);
          if (!kind) return;
          if (kind.name === "lay_picture") file.current?.click();
          else if (readsMap(kind)) begin(kind, { map: { map: others(surface, map.id, knowledge)[0]?.id ?? "" } });
          else begin(kind, {});
        }}
      >
        <option value="">Add a step…</option>
        {offered.map((s) => (
          <option key={s.name} value={s.name}>
            {s.family === "tile" ? "Tiling: joins opposite edges" : `${s.title}: ${s.hint.toLowerCase()}`}
          </option>
        ))}
      </select>
    </div>
  );
}

/** Whether a kind of step reads another map, as its parameters say. */
function readsMap(kind: StepInfo): boolean {
  return parametersOf(kind.parameters).some(([name]) => name === "map");
}

/** Other maps of a surface that a step can read: those whose numbers are no directions. */
function others(surface: ControlsProps["surface"], map: string, knowledge: ControlsProps["knowledge"]) {
  return surface.document.maps
    .filter((m) => m.id !== map && knowledge.roles[m.role]?.space !== "vector")
    .map((m) => ({ id: m.id, title: knowledge.roles[m.role]?.title ?? m.role }));
}

function OtherMap({ options, value, onChoose }: { options: { id: string; title: string }[]; value: string; onChoose: (map: string) => void }) {
  const id = useId();
  return (
    <label htmlFor={id} className="flex h-6 items-center gap-2 text-small">
      <span className="w-[92px] shrink-0">Map</span>
      <select
        id={id}
        value={value}
        className="h-6 min-w-0 flex-1 rounded-sm border border-joint bg-lime px-1"
        onChange={(event) => {
          onChoose(event.target.value);
        }}
      >
        {options.map((m) => (
          <option key={m.id} value={m.id}>
            {m.title}
          </option>
        ))}
      </select>
    </label>
  );
}

/** How much of a step is taken, and how it comes over what was there. */
function Amount({
  knowledge,
  step,
  vector,
  onMove,
  onSettle,
}: {
  knowledge: ControlsProps["knowledge"];
  step: Step;
  vector: boolean;
  onMove: (step: Step) => void;
  onSettle: (step: Step) => void;
}) {
  const id = useId();
  const form = Object.fromEntries(parametersOf(knowledge.forms["Step"] ?? {}));
  const { amount, blend } = form;
  if (!amount || !blend) return null;
  return (
    <>
      <NumberRow
        label={amount.title ?? "Amount"}
        hint={amount.description ?? ""}
        value={step.amount}
        min={amount.minimum ?? 0}
        max={amount.maximum ?? 1}
        step={amount.multipleOf ?? 0.01}
        usual={1}
        onMove={(next) => {
          onMove({ ...step, amount: next });
        }}
        onSettle={(next) => {
          onSettle({ ...step, amount: next });
        }}
      />
      {!vector && (
        <label htmlFor={id} className="flex h-6 items-center gap-2" title={blend.description}>
          <span className="w-[92px] shrink-0">{blend.title}</span>
          <select
            id={id}
            value={step.blend}
            className="h-6 min-w-0 flex-1 rounded-sm border border-joint bg-lime px-1"
            onChange={(event) => {
              onSettle({ ...step, blend: event.target.value as Step["blend"] });
            }}
          >
            {blend.enum?.map((option) => (
              <option key={option} value={option}>
                {said(option)}
              </option>
            ))}
          </select>
        </label>
      )}
    </>
  );
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
        className="flex h-6 w-6 items-center justify-center rounded-sm text-ink-2 hover:bg-verdigris-wash hover:text-ink disabled:opacity-30"
      >
        {children}
      </button>
    </Hint>
  );
}
