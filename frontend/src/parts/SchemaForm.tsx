import { useEffect, useId, useState } from "react";
import { Choice } from "./Choice";
import { ColourRow, ColoursRow } from "./ColourRow";
import { CurveRow, type CurvePoint } from "./CurveRow";
import { NumberRow } from "./NumberRow";
import { Tick } from "./Tick";

/** What the description of a parameter says; a subset of JSON schema. */
export interface Parameter {
  title?: string;
  description?: string;
  type?: string;
  default?: unknown;
  minimum?: number;
  maximum?: number;
  multipleOf?: number;
  maxLength?: number;
  enum?: string[];
  $ref?: string;
  anyOf?: unknown[];
  /** What kind of control it wants, where its type does not say. */
  format?: string;
}

export type Schema = Record<string, unknown>;
export type Values = Record<string, unknown>;

/** The parameters of a model that a form has a control for, with what they refer to put in. */
export function parametersOf(schema: Schema, skip: readonly string[] = []): [string, Parameter][] {
  const properties = (schema["properties"] ?? {}) as Record<string, Parameter>;
  const defs = (schema["$defs"] ?? {}) as Record<string, Parameter>;
  return Object.entries(properties)
    .filter(([name]) => name !== "kind" && name !== "id" && !skip.includes(name))
    .map(([name, own]): [string, Parameter] => {
      const named = own.$ref ? defs[own.$ref.slice(own.$ref.lastIndexOf("/") + 1)] : undefined;
      return [name, named ? { ...named, ...own, title: own.title ?? named.title ?? name } : own];
    });
}

/** The usual value of every parameter that has one. */
export function usualValues(schema: Schema): Values {
  return Object.fromEntries(parametersOf(schema).flatMap(([n, p]) => (p.default === undefined ? [] : [[n, p.default] as const])));
}

const WORDS: Record<string, string> = {
  x: "Left–right",
  y: "Top–bottom",
  found: "As found",
  own: "Own alpha",
  pad: "Canvas",
};

/** A value as it is said: in words of its own, or its name with a capital. */
export function said(value: string): string {
  return WORDS[value] ?? value.charAt(0).toUpperCase() + value.slice(1).replaceAll("_", " ");
}

const FEW = 3;

/** How many texels, and metres, a map is wide. */
export interface Across {
  texels: number;
  metres: number;
}

/** Hundredths of a width in texels and in metres or less. */
function inUnits(share: number, { texels, metres }: Across): string {
  const length = (share / 100) * metres;
  const [size, unit] = length >= 1 ? [length, "m"] : length >= 0.01 ? [length * 100, "cm"] : [length * 1000, "mm"];
  return `${((share / 100) * texels).toFixed(1)} texels, ${size.toFixed(1)} ${unit}`;
}

/** A form made from a model's own description: what the model takes, this offers. */
export function SchemaForm({
  schema,
  values,
  skip = [],
  histogram = [],
  across,
  onMove,
  onSettle,
}: {
  schema: Schema;
  values: Values;
  skip?: readonly string[];
  /** How common each tone is before it, for curves. */
  histogram?: readonly (readonly number[])[];
  /** What the width of a map is, for what is given in hundredths of it. */
  across?: Across;
  onMove?: (values: Values) => void;
  /** What was changed, and nothing else: the rest may have become otherwise meanwhile. */
  onSettle: (part: Values) => void;
}) {
  return (
    <>
      {parametersOf(schema, skip).map(([name, parameter]) => (
        <Control
          key={name}
          label={parameter.title ?? said(name)}
          parameter={parameter}
          value={values[name]}
          histogram={histogram}
          {...(across ? { across } : {})}
          onMove={(next) => {
            onMove?.({ ...values, [name]: next });
          }}
          onSettle={(next) => {
            onSettle({ [name]: next });
          }}
        />
      ))}
    </>
  );
}

function Control({
  label,
  parameter,
  value,
  histogram,
  across,
  onMove,
  onSettle,
}: {
  label: string;
  parameter: Parameter;
  value: unknown;
  histogram: readonly (readonly number[])[];
  across?: Across;
  onMove: (value: unknown) => void;
  onSettle: (value: unknown) => void;
}) {
  const id = useId();
  if (parameter.format === "colour") {
    return (
      <ColourRow
        label={label}
        {...(parameter.description ? { hint: parameter.description } : {})}
        value={String(value)}
        onMove={onMove}
        onSettle={onSettle}
      />
    );
  }
  if (parameter.format === "colours") {
    return <ColoursRow label={label} hint={parameter.description} values={value as string[]} onSettle={onSettle} />;
  }
  if (parameter.format === "curve") {
    return <CurveRow label={label} points={value as CurvePoint[]} histogram={histogram} onMove={onMove} onSettle={onSettle} />;
  }
  if (parameter.type === "array") {
    const count = Array.isArray(value) ? value.length : 0;
    if (parameter.format === "corners") return <p className="text-small text-ink-2">{count} corners, moved in the flat view</p>;
    return (
      <p className="text-small text-ink-2">
        {count} {count === 1 ? "spot is" : "spots are"} covered.
      </p>
    );
  }
  if (parameter.enum && parameter.enum.length <= FEW) {
    return (
      <div className="flex h-6 items-center justify-between text-small" title={parameter.description}>
        {label}
        <Choice
          label={label}
          value={String(value)}
          options={parameter.enum.map((option) => [option, said(option)] as const)}
          onChoose={onSettle}
        />
      </div>
    );
  }
  if (parameter.enum) {
    return (
      <label htmlFor={id} className="flex h-6 items-center gap-2 text-small" title={parameter.description}>
        <span className="w-[92px] shrink-0">{label}</span>
        <select
          id={id}
          value={String(value)}
          className="h-6 min-w-0 flex-1 rounded-sm border border-joint bg-lime px-1"
          onChange={(event) => {
            onSettle(event.target.value);
          }}
        >
          {parameter.enum.map((option) => (
            <option key={option} value={option}>
              {said(option)}
            </option>
          ))}
        </select>
      </label>
    );
  }
  if (parameter.type === "boolean") {
    return (
      <Tick className="flex h-6 items-center gap-1.5 text-small" title={parameter.description} checked={value === true} onChange={onSettle}>
        {label}
      </Tick>
    );
  }
  if (parameter.type === "string") {
    return <TextRow label={label} parameter={parameter} value={typeof value === "string" ? value : ""} onSettle={onSettle} />;
  }
  if (parameter.type !== "number" && parameter.type !== "integer") return null;
  return (
    <NumberRow
      label={label}
      {...(parameter.description ? { hint: parameter.description } : {})}
      value={Number(value)}
      min={parameter.minimum ?? 0}
      max={parameter.maximum ?? 1}
      step={parameter.multipleOf ?? (parameter.type === "integer" ? 1 : 0.01)}
      {...(typeof parameter.default === "number" ? { usual: parameter.default } : {})}
      {...(parameter.format === "of_width" && across ? { told: (share: number) => inUnits(share, across) } : {})}
      onMove={onMove}
      onSettle={onSettle}
    />
  );
}

/** A line of text; it counts once the field is left, or on Enter. */
function TextRow({
  label,
  parameter,
  value,
  onSettle,
}: {
  label: string;
  parameter: Parameter;
  value: string;
  onSettle: (value: string) => void;
}) {
  const id = useId();
  const [typed, setTyped] = useState(value);
  useEffect(() => {
    setTyped(value);
  }, [value]);
  return (
    <label htmlFor={id} className="flex flex-col gap-1 text-small">
      {label}
      <input
        id={id}
        value={typed}
        maxLength={parameter.maxLength}
        spellCheck={false}
        className="h-7 rounded-sm border border-joint bg-lime px-2"
        onChange={(event) => {
          setTyped(event.target.value);
        }}
        onBlur={() => {
          if (typed !== value) onSettle(typed);
        }}
        onKeyDown={(event) => {
          if (event.key === "Enter") event.currentTarget.blur();
          if (event.key === "Escape") setTyped(value);
        }}
      />
      {parameter.description && <span className="text-ink-2">{parameter.description}</span>}
    </label>
  );
}
