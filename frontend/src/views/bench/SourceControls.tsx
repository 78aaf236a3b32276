import { useId, useRef } from "react";
import { PICTURES } from "@/api/bringing";
import { useFacts, useSources } from "@/api/queries";
import { Button } from "@/parts/Button";
import { Choice } from "@/parts/Choice";
import { Verdict } from "@/parts/Verdict";
import type { ControlsProps } from "./controlsProps";
import { bytes } from "@/parts/figures";
import { Tick } from "@/parts/Tick";
import { BlankCanvas } from "./BlankCanvas";
import { MapTools } from "./MapTools";
import { FrameControls, type Framing } from "./FrameControls";

/** Where a map begins: a picture, or another map. */
export function SourceControls({
  project,
  surface,
  map,
  knowledge,
  change,
  drop,
  framing,
  onFraming,
  onProblem,
}: ControlsProps & {
  project: string;
  onProblem: (problem: unknown) => void;
  drop: (files: FileList, onto: string) => Promise<void>;
  framing: Framing;
  onFraming: (framing: Framing) => void;
}) {
  const file = useRef<HTMLInputElement>(null);
  const from = useId();
  const { data: sources } = useSources(project);
  const facts = useFacts(surface.keys[map.id]?.source, "source");
  const origin = map.origin;
  const role = knowledge.roles[map.role];
  // What it could move with: the colour, where both have files of their own.
  const leader = surface.document.maps.find((m) => m.role === "colour" && m.id !== map.id);
  const follows = leader && origin?.kind === "source" && leader.origin?.kind === "source";
  const known = origin?.kind === "source" ? sources?.find((s) => s.sha256 === origin.sha256) : undefined;
  const value = !origin ? "" : origin.kind === "source" ? `file:${origin.sha256}` : `map:${origin.map}`;
  const choose = (next: string) => {
    const [kind, name] = [next.slice(0, next.indexOf(":")), next.slice(next.indexOf(":") + 1)];
    const chosen = sources?.find((s) => s.sha256 === name);
    if (kind === "file" && chosen) change({ kind: "set_origin", map: map.id, origin: chosen.origin });
    if (kind === "map") change({ kind: "set_origin", map: map.id, origin: { kind: "map", map: name } });
  };
  return (
    <div className="flex flex-col gap-3">
      <label htmlFor={from} className="flex flex-col gap-1 text-small">
        Comes from
        <select
          id={from}
          value={value}
          onChange={(event) => {
            choose(event.target.value);
          }}
          className="h-7 w-full rounded-sm border border-joint bg-lime px-1.5"
        >
          {!origin && <option value="">nothing yet</option>}
          <optgroup label="Another map">
            {surface.document.maps
              .filter((m) => m.id !== map.id)
              .map((m) => (
                <option key={m.id} value={`map:${m.id}`}>
                  {knowledge.roles[m.role]?.title}
                </option>
              ))}
          </optgroup>
          <optgroup label="A picture">
            {sources?.map((s) => (
              <option key={s.id} value={`file:${s.sha256}`}>
                {s.facts.name}
              </option>
            ))}
          </optgroup>
        </select>
      </label>
      <input
        ref={file}
        type="file"
        accept={PICTURES}
        className="hidden"
        aria-label={`Picture for ${role?.title ?? ""}`}
        onChange={(event) => {
          if (event.target.files) void drop(event.target.files, map.id);
          event.target.value = "";
        }}
      />
      <div className="flex flex-col items-start gap-2 rounded-sm border border-dashed border-joint p-3 text-small text-ink-2">
        Drop a PNG, JPEG, TGA, BMP, TIFF, WebP, EXR, HDR, DDS or KTX2 file here, or
        <Button onClick={() => file.current?.click()}>Choose a file</Button>
      </div>
      <BlankCanvas project={project} map={map} knowledge={knowledge} change={change} onProblem={onProblem} />
      {origin?.kind === "source" && role?.space === "vector" && (
        <div className="flex items-center justify-between text-small">
          Green in the file points
          <Choice
            label="Green in the file points"
            value={origin.green}
            options={[
              ["up", "Up"],
              ["down", "Down"],
            ]}
            onChoose={(green) => {
              change({ kind: "set_source", map: map.id, origin: { ...origin, green } });
            }}
          />
        </div>
      )}
      {origin?.kind === "source" && role?.tinted && (
        <Tick
          className="flex items-center gap-1.5 text-small"
          title="Read by its colour profile, and kept in three channels; else its numbers are taken as they are"
          checked={map.colours}
          onChange={(on) => {
            change({ kind: "set_colours", map: map.id, colours: on });
          }}
        >
          The file holds colours
        </Tick>
      )}
      {origin?.kind === "source" && role?.space === "data" && !map.colours && (
        <Tick
          className="flex items-center gap-1.5 text-small"
          title="Plain numbers in eight bits rise in 256 steps, which show as terraces in normals made of them. Each texel stays within half a step of what it was; finer files are left as they are"
          checked={origin.debanded}
          onChange={(debanded) => {
            change({ kind: "set_source", map: map.id, origin: { ...origin, debanded } });
          }}
        >
          Even out its steps
        </Tick>
      )}
      {origin?.kind === "source" && (
        <Tick
          className="flex items-center gap-1.5 text-small"
          title="It is a tile already: what looks at neighbours goes on over its edges. Told from the picture; change it where that is wrong"
          checked={origin.wraps}
          onChange={(wraps) => {
            change({ kind: "set_source", map: map.id, origin: { ...origin, wraps } });
          }}
        >
          Its edges meet already
        </Tick>
      )}
      {follows ? (
        <Tick
          className="flex items-center gap-1.5 text-small"
          title="Framed, cut and joined exactly as the colour is, so that both still match"
          checked={map.moves_with !== null}
          onChange={(on) => {
            change({ kind: "set_moves_with", map: map.id, moves_with: on ? leader.id : null });
          }}
        >
          Follows the colour&apos;s frame and cut
        </Tick>
      ) : null}
      {(!follows || map.moves_with === null) && (
        <FrameControls surface={surface} map={map} change={change} framing={framing} onFraming={onFraming} />
      )}
      {known && (
        <dl className="grid grid-cols-[92px_1fr] gap-y-1 text-small [&_dd]:break-all [&_dt]:text-ink-2">
          <dt>File</dt>
          <dd className="figures">{known.facts.name}</dd>
          <dt>Kind</dt>
          <dd className="figures">
            {known.facts.kind.toUpperCase()} {known.facts.mode} {known.facts.bits} bit
          </dd>
          <dt>Profile</dt>
          <dd>{known.facts.profile ?? "none"}</dd>
          <dt>Size</dt>
          <dd className="figures">
            {known.facts.width} × {known.facts.height}
          </dd>
          <dt>Alpha</dt>
          <dd>{{ none: "none", opaque: "all opaque", used: "used" }[known.facts.alpha]}</dd>
          <dt>Bytes</dt>
          <dd className="figures">{bytes(known.facts.bytes)}</dd>
          <dt>Content</dt>
          <dd className="figures">{known.sha256.slice(0, 16)}</dd>
          {known.facts.unusual.length > 0 && (
            <>
              <dt>Unusual</dt>
              <dd>
                {known.facts.unusual.map((words) => (
                  <Verdict key={words} finding={{ level: "look", words, fix: "" }} />
                ))}
              </dd>
            </>
          )}
        </dl>
      )}
      <MapTools surface={surface} map={map} knowledge={knowledge} change={change} />
      {origin?.kind === "source" && facts.data && <Verdict finding={facts.data.finding} withFix />}
    </div>
  );
}
