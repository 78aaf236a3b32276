import { Fragment, useId, useState } from "react";
import type { Edit, Schemas, Stage, Step, SurfaceMap } from "@/api/client";
import { useDifferences, useHistogram } from "@/api/queries";
import { Tones } from "@/parts/CurveRow";
import { Hint } from "@/parts/Hint";
import { EarlierIcon, LaterIcon, RemoveIcon } from "@/parts/icons";
import { NumberRow } from "@/parts/NumberRow";
import { parametersOf, said, SchemaForm, type Values } from "@/parts/SchemaForm";
import { Tick } from "@/parts/Tick";
import type { ControlsProps } from "./controlsProps";
import { isDrawn, PencilTools } from "./PencilPart";
import { isPlaced } from "./placing";
import { NamedChoice, PictureChoice, type SourceRef } from "./Reads";
import { RemovedLight } from "./RemovedLight";
import { StepMask } from "./StepMask";
import { WayStrip } from "./WayStrip";
import { carried, fresh } from "./ways";

type StepInfo = Schemas["StepInfo"];

/** What a drag of a step carries: its id. */
const DRAGGED = "application/x-step";

/** What a step is called where it is one of several ways to the same end. */
function titleOf(kind: StepInfo): string {
  return kind.family === "tile" ? "Tiling" : kind.title;
}

/** One step of a map: on or off, where it stands, its form, and where and how much it works. */
export function StepCard({
  project,
  surface,
  map,
  knowledge,
  stage,
  steps,
  step,
  place,
  kinds,
  kept,
  change,
  look,
  chosenStep,
  onChooseStep,
  chosenMask,
  onChooseMask,
  onProblem,
}: ControlsProps & {
  project: string;
  stage: "steps" | "finish";
  /** The steps of that stage, and where among them it stands. */
  steps: readonly Step[];
  step: Step;
  place: number;
  /** The kinds of step that suit the map. */
  kinds: StepInfo[];
  /** What of a structure its tile holds, in words. */
  kept: string;
  look: (edit: Edit, map: string, stage: Stage) => void;
  chosenStep: string | null;
  onChooseStep: (step: string | null) => void;
  chosenMask: string | null;
  onChooseMask: (mask: string | null) => void;
  onProblem: (problem: unknown) => void;
}) {
  const [over, setOver] = useState(false);
  const kind = knowledge.steps.find((s) => s.name === step.params.kind);
  const curved = step.params.kind === "curves" || step.params.kind === "levels";
  const { data: tones } = useHistogram(surface, map.id, step.id, curved && step.enabled);
  const { data: apart } = useDifferences(surface, map.id, step.id, step.params.kind === "match" && step.enabled);
  if (!kind) return null;
  const set = (next: Step): Edit => ({ kind: "set_step", map: map.id, step: next });
  const withParams = (params: Values): Step => ({ ...step, params: params as unknown as Step["params"] });
  const move = (before: string | null) => {
    change({ kind: "move_step", map: map.id, step: step.id, before });
  };
  const earlier = () => {
    const beforeThat = steps[place - 1];
    if (beforeThat) move(beforeThat.id);
  };
  const later = () => {
    if (place < steps.length - 1) move(steps[place + 2]?.id ?? null);
  };
  const values = step.params as unknown as Values;
  const maps = readable(surface.document.maps, map.id, knowledge, kind);
  return (
    <fieldset
      className={`min-w-0 border-t py-2 ${over ? "border-verdigris bg-verdigris-wash" : "border-mortar"}`}
      onDragOver={(event) => {
        if (!event.dataTransfer.types.includes(DRAGGED)) return;
        event.preventDefault();
        event.stopPropagation();
        setOver(true);
      }}
      onDragLeave={() => {
        setOver(false);
      }}
      onDrop={(event) => {
        const dragged = event.dataTransfer.getData(DRAGGED);
        setOver(false);
        if (!dragged) return;
        event.preventDefault();
        event.stopPropagation();
        if (dragged === step.id) return;
        const from = steps.findIndex((s) => s.id === dragged);
        // Dropped on one that stands later, it comes behind it; on one that stands earlier, before it.
        const before = from < place ? (steps[place + 1]?.id ?? null) : step.id;
        change({ kind: "move_step", map: map.id, step: dragged, before });
      }}
    >
      <legend className="sr-only">{kind.title}</legend>
      <div
        className="mb-1 flex cursor-grab items-center gap-1"
        draggable
        onDragStart={(event) => {
          event.dataTransfer.setData(DRAGGED, step.id);
          event.dataTransfer.effectAllowed = "move";
        }}
      >
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
        <Tool label={`${kind.title} earlier`} disabled={place === 0} onPress={earlier}>
          <EarlierIcon />
        </Tool>
        <Tool label={`${kind.title} later`} disabled={place === steps.length - 1} onPress={later}>
          <LaterIcon />
        </Tool>
        <Tool
          label={`Remove ${kind.title}`}
          disabled={kind.makes.length > 0 && map.origin?.kind === "map"}
          onPress={() => {
            change({ kind: "remove_step", map: map.id, step: step.id });
          }}
        >
          <RemoveIcon />
        </Tool>
      </div>
      {step.enabled && (
        <>
          {kind.family !== "" && (
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
          {isPlaced(step.params) && (
            <p className="flex items-center justify-between gap-2 text-small">
              <span className="figures truncate">{said(wordsOf(step))}</span>
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
          {isDrawn(step) && (
            <PencilTools
              step={step}
              chosen={chosenStep === step.id}
              onChoose={(draws) => {
                onChooseStep(draws ? step.id : null);
              }}
            />
          )}
          {Object.entries(kind.reads).map(([field, what]) => {
            const [, parameter] = parametersOf(kind.parameters).find(([name]) => name === field) ?? [];
            const none = parameter?.anyOf !== undefined;
            const put = (value: unknown) => {
              change(set(withParams({ ...values, [field]: value })));
            };
            if (what === "strokes") return null;
            if (what === "mask") {
              return (
                <NamedChoice
                  key={field}
                  label={parameter?.title ?? said(field)}
                  hint={parameter?.description}
                  options={surface.document.masks}
                  value={(values[field] as { mask: string } | null)?.mask ?? null}
                  onChoose={(id) => {
                    put({ mask: id });
                  }}
                />
              );
            }
            if (what === "map") {
              return (
                <NamedChoice
                  key={field}
                  label={parameter?.title ?? said(field)}
                  hint={parameter?.description}
                  options={maps}
                  value={(values[field] as { map: string } | null)?.map ?? null}
                  none={none}
                  onChoose={(id) => {
                    put(id === null ? null : { map: id });
                  }}
                />
              );
            }
            return (
              <PictureChoice
                key={field}
                project={project}
                label={parameter?.title ?? said(field)}
                hint={parameter?.description}
                value={values[field] as SourceRef | null}
                none={none}
                except={surface.id}
                onChoose={put}
                onProblem={onProblem}
              />
            );
          })}
          {step.params.kind === "levels" && <Tones histogram={tones?.counts ?? []} />}
          <SchemaForm
            schema={kind.parameters}
            values={values}
            skip={Object.keys(kind.reads)}
            histogram={tones?.counts ?? []}
            {...(surface.material ? { across: { texels: map.size.width, metres: surface.material.metres } } : {})}
            onMove={(next) => {
              look(set(withParams(next)), map.id, stage);
            }}
            onSettle={(part) => {
              change(set(withParams({ ...values, ...part })));
            }}
          />
          {apart?.before && apart.after && (
            <dl className="grid grid-cols-[1fr_auto] text-fine text-ink-2" aria-label="Difference from that picture">
              {(["lightness", "contrast", "colour"] as const).map((what) => (
                <Fragment key={what}>
                  <dt>{{ lightness: "Lighter by", contrast: "More contrast by", colour: "Other colour by" }[what]}</dt>
                  <dd className="figures">
                    {apart.before?.[what].toFixed(1)} → {apart.after?.[what].toFixed(1)}
                  </dd>
                </Fragment>
              ))}
            </dl>
          )}
          {kind.family === "tile" && kept && <p className="pt-1 text-fine text-ink-2">Kept: {kept}.</p>}
          {kind.mixes && (
            <details className="text-small" open={step.mask !== null || step.amount !== 1 || step.blend !== "normal"}>
              <summary className="min-h-6 cursor-pointer leading-6 text-ink-2">Where and how much</summary>
              <StepMask surface={surface} map={map} step={step} change={change} chosen={chosenMask} onChoose={onChooseMask} />
              <Amount
                knowledge={knowledge}
                step={step}
                vector={knowledge.roles[map.role]?.space === "vector"}
                onMove={(next) => {
                  look(set(next), map.id, stage);
                }}
                onSettle={(next) => {
                  change(set(next));
                }}
              />
              {isPlaced(step.params) && <Stamp surface={surface} map={map} knowledge={knowledge} step={step} change={change} />}
            </details>
          )}
          {step.params.kind === "balance_light" && <RemovedLight surface={surface} map={map.id} amount={step.params.amount} />}
        </>
      )}
    </fieldset>
  );
}

/** Other maps of a surface that a kind of step can read. */
export function readable(
  maps: readonly SurfaceMap[],
  own: string,
  knowledge: ControlsProps["knowledge"],
  kind: StepInfo,
): { id: string; title: string }[] {
  return maps
    .filter((m) => m.id !== own && kind.reads_roles.includes(m.role))
    .map((m) => ({ id: m.id, title: knowledge.roles[m.role]?.title ?? m.role }));
}

function wordsOf(step: Step): string {
  if (step.params.kind === "lettering") return step.params.text;
  return step.params.kind === "lay_picture" ? step.params.picture.name : "From there to here";
}

/** The same step on another map: a sign that is painted and cut into the wood as well. */
function Stamp({ surface, map, knowledge, step, change }: ControlsProps & { step: Step }) {
  const id = useId();
  const kind = knowledge.steps.find((s) => s.name === step.params.kind);
  const own = (m: SurfaceMap) => m.origin?.kind === "source" || m.steps.length > 0;
  const fitting = surface.document.maps.filter((m) => m.id !== map.id && kind?.roles.includes(m.role) && own(m));
  if (!kind || fitting.length === 0 || step.params.kind === "borrow") return null;
  return (
    <label htmlFor={id} className="flex h-6 items-center gap-2" title="The same, in the same place, on another map">
      <span className="w-[92px] shrink-0">Stamp into</span>
      <select
        id={id}
        value=""
        className="h-6 min-w-0 flex-1 rounded-sm border border-joint bg-lime px-1"
        onChange={(event) => {
          const { id: newStep } = fresh(kind, {});
          change({ kind: "add_step", map: event.target.value, step: { ...step, id: newStep }, before: null });
        }}
      >
        <option value="">choose a map…</option>
        {fitting.map((m) => (
          <option key={m.id} value={m.id}>
            {knowledge.roles[m.role]?.title ?? m.role}
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
