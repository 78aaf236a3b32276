import { useId, useRef } from "react";
import type { Role } from "@/api/client";
import { useFacts, useSources } from "@/api/queries";
import { ROLES } from "@/app/address";
import { Button } from "@/parts/Button";
import { Choice } from "@/parts/Choice";
import { Verdict } from "@/parts/Verdict";
import type { ControlsProps } from "./controlsProps";
import { bytes } from "@/parts/figures";
import { Tick } from "@/parts/Tick";
import { FrameControls, type Framing } from "./FrameControls";

const ACCEPTED = ".png,.jpg,.jpeg,.tga,.bmp,.tif,.tiff,.dds,.ktx2";

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
}: ControlsProps & {
  project: string;
  drop: (files: FileList, onto: Role) => Promise<void>;
  framing: Framing;
  onFraming: (framing: Framing) => void;
}) {
  const file = useRef<HTMLInputElement>(null);
  const from = useId();
  const { data: sources } = useSources(project);
  const facts = useFacts(surface.keys[map.role]?.source, "source");
  const origin = map.origin;
  const colour = surface.document.maps.find((m) => m.role === "colour");
  const follows = map.role !== "colour" && origin?.kind === "source" && colour?.origin?.kind === "source";
  const known = origin?.kind === "source" ? sources?.find((s) => s.sha256 === origin.sha256) : undefined;
  const value = !origin ? "" : origin.kind === "source" ? `file:${origin.sha256}` : `map:${origin.role}`;
  const choose = (next: string) => {
    const [kind, name] = [next.slice(0, next.indexOf(":")), next.slice(next.indexOf(":") + 1)];
    const chosen = sources?.find((s) => s.sha256 === name);
    const role = ROLES.find((r) => r === name);
    if (kind === "file" && chosen) change({ kind: "set_origin", role: map.role, origin: chosen.origin });
    if (kind === "map" && role) change({ kind: "set_origin", role: map.role, origin: { kind: "map", role } });
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
              .filter((m) => m.role !== map.role)
              .map((m) => (
                <option key={m.role} value={`map:${m.role}`}>
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
        accept={ACCEPTED}
        className="hidden"
        aria-label={`Picture for ${knowledge.roles[map.role]?.title ?? ""}`}
        onChange={(event) => {
          if (event.target.files) void drop(event.target.files, map.role);
          event.target.value = "";
        }}
      />
      <div className="flex flex-col items-start gap-2 rounded-sm border border-dashed border-joint p-3 text-small text-ink-2">
        Drop a PNG, JPEG, TGA, BMP, TIFF, DDS or KTX2 file here, or
        <Button onClick={() => file.current?.click()}>Choose a file</Button>
      </div>
      {origin?.kind === "source" && map.role === "normal" && (
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
              change({ kind: "set_origin", role: map.role, origin: { ...origin, green } });
            }}
          />
        </div>
      )}
      {origin?.kind === "source" && map.role === "specular" && (
        <Tick
          className="flex items-center gap-1.5 text-small"
          title="Read by its colour profile, and kept in three channels; else its numbers are taken as they are"
          checked={map.colours}
          onChange={(on) => {
            change({ kind: "set_colours", role: map.role, colours: on });
          }}
        >
          The file holds colours
        </Tick>
      )}
      {follows ? (
        <Tick
          className="flex items-center gap-1.5 text-small"
          title="Framed, cut and joined exactly as the colour is, so that both still match"
          checked={map.follows}
          onChange={(on) => {
            change({ kind: "set_follows", role: map.role, follows: on });
          }}
        >
          Follows the colour&apos;s frame and cut
        </Tick>
      ) : null}
      {(!follows || !map.follows) && (
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
      {origin?.kind === "source" && facts.data && <Verdict finding={facts.data.finding} withFix />}
    </div>
  );
}
