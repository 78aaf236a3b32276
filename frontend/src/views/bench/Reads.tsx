import { useId, useRef } from "react";
import { PICTURES } from "@/api/bringing";
import { api, got, type Schemas } from "@/api/client";
import { bring, useSources, useSurfaces } from "@/api/queries";

export type SourceRef = Schemas["SourceRef"];

export interface Named {
  id: string;
  title: string;
}

const ROW = "flex h-6 items-center gap-2 text-small";
const SELECT = "h-6 min-w-0 flex-1 rounded-sm border border-joint bg-lime px-1";

/** One of the surface's other maps, or masks. */
export function NamedChoice({
  label,
  hint,
  options,
  value,
  none = false,
  onChoose,
}: {
  label: string;
  hint?: string | undefined;
  options: readonly Named[];
  value: string | null;
  /** Whether it may be left open. */
  none?: boolean;
  onChoose: (id: string | null) => void;
}) {
  const id = useId();
  return (
    <label htmlFor={id} className={ROW} title={hint}>
      <span className="w-[92px] shrink-0">{label}</span>
      <select
        id={id}
        value={value ?? ""}
        className={SELECT}
        onChange={(event) => {
          onChoose(event.target.value === "" ? null : event.target.value);
        }}
      >
        {none && <option value="">as it is</option>}
        {options.map((one) => (
          <option key={one.id} value={one.id}>
            {one.title}
          </option>
        ))}
      </select>
    </label>
  );
}

/** A picture that a step reads: brought in before, another surface's tile as it is now, or a file. */
export function PictureChoice({
  project,
  label,
  hint,
  value,
  none = false,
  except,
  onChoose,
  onProblem,
}: {
  project: string;
  label: string;
  hint?: string | undefined;
  value: SourceRef | null;
  none?: boolean;
  /** The surface that is worked on. */
  except: string;
  onChoose: (picture: SourceRef | null) => void;
  onProblem: (problem: unknown) => void;
}) {
  const id = useId();
  const file = useRef<HTMLInputElement>(null);
  const { data: sources } = useSources(project);
  const { data: surfaces } = useSurfaces(project);
  const known = sources?.some((s) => s.sha256 === value?.sha256) ?? false;
  const choose = async (word: string) => {
    if (word === "") onChoose(null);
    if (word === "file") file.current?.click();
    const source = sources?.find((s) => s.sha256 === word);
    if (source) onChoose(refOf(source));
    if (word.startsWith("surface ")) {
      const path = { surface_id: word.slice(8) };
      onChoose(await got(api.POST("/api/surfaces/{surface_id}/kept-tile", { params: { path }, body: { role: "colour" } })));
    }
  };
  return (
    <>
      <label htmlFor={id} className={ROW} title={hint}>
        <span className="w-[92px] shrink-0">{label}</span>
        <select
          id={id}
          value={value?.sha256 ?? ""}
          className={SELECT}
          onChange={(event) => {
            choose(event.target.value).catch(onProblem);
          }}
        >
          {none && <option value="">none</option>}
          {value && !known && <option value={value.sha256}>{value.name}</option>}
          <option value="file">Bring a file…</option>
          <optgroup label="Brought in">
            {sources?.map((s) => (
              <option key={s.id} value={s.sha256}>
                {s.origin.name}
              </option>
            ))}
          </optgroup>
          <optgroup label="Surfaces, as they are now">
            {surfaces
              ?.filter((s) => s.id !== except && s.keys.colour)
              .map((s) => (
                <option key={s.id} value={`surface ${s.id}`}>
                  {s.title}
                </option>
              ))}
          </optgroup>
        </select>
      </label>
      <input
        ref={file}
        type="file"
        className="hidden"
        aria-label={`${label}: a file`}
        accept={PICTURES}
        onChange={(event) => {
          const chosen = event.target.files?.[0];
          event.target.value = "";
          if (chosen) {
            bring(project, chosen).then((source) => {
              onChoose(refOf(source));
            }, onProblem);
          }
        }}
      />
    </>
  );
}

/** How a step names a picture that was brought in. */
export function refOf({ origin }: Schemas["SourceView"]): SourceRef {
  const { sha256, name, width, height } = origin;
  return { sha256, name, width, height };
}
