import { useQuery } from "@tanstack/react-query";
import { api, got, type Edit, type Schemas, type SurfaceView } from "@/api/client";
import { outputOf } from "@/api/edits";
import { useFacts } from "@/api/queries";
import { Button } from "@/parts/Button";
import { Choice } from "@/parts/Choice";
import { Verdict } from "@/parts/Verdict";
import type { ControlsProps } from "./controlsProps";
import { LossPart } from "./LossPart";
import { useAdvice, type Inspected } from "./losses";
import { bytes, decibels } from "@/parts/figures";

type Format = Schemas["BlockFormat"];
type OutputView = Schemas["OutputView"];

/** The format: each that the target takes is tried, so that what it costs is seen before it is chosen. */
export function CompressControls({
  surface,
  map,
  knowledge,
  change,
  inspected,
  onInspect,
  onProblem,
}: ControlsProps & {
  inspected: Inspected;
  onInspect: (inspected: Inspected) => void;
  onProblem: (problem: unknown) => void;
}) {
  const chosen = useFacts(surface.keys[map.id]?.compress, "compress");
  const leaves = surface.outputs[map.id];
  const key = surface.keys[map.id]?.compress;
  const { data: advice } = useAdvice(surface.id, map.id, key);
  const vector = knowledge.roles[map.role]?.space === "vector";
  const says = outputOf(map, surface.target);
  const saying = (part: Partial<Schemas["Output"]>): Edit => ({
    kind: "set_output",
    map: map.id,
    target: surface.target,
    output: { ...says, ...part },
  });
  if (!leaves) return null;
  return (
    <div className="flex flex-col gap-3">
      <table className="w-full text-small">
        <thead>
          <tr className="border-b border-mortar">
            <th className="py-1">Format</th>
            <th className="text-right">Bytes</th>
            <th className="text-right">{vector ? "Off by" : "PSNR"}</th>
          </tr>
        </thead>
        <tbody>
          {leaves.formats.map((format) => (
            <FormatRow
              key={format}
              surface={surface}
              map={map.id}
              format={format}
              edit={saying({ format })}
              title={knowledge.formats[format]?.title ?? format}
              hint={knowledge.formats[format]?.hint ?? ""}
              chosen={leaves.format === format}
              onChoose={() => {
                change(saying({ format }));
              }}
            />
          ))}
        </tbody>
      </table>
      {advice && (
        <div className="flex items-start justify-between gap-2 text-small" aria-label="Recommended format" role="note">
          <p>
            <span className="font-semibold">{knowledge.formats[advice.format]?.title ?? advice.format}</span>{" "}
            {advice.format === leaves.format ? "is as recommended." : "is recommended."}{" "}
            <span className="text-ink-2">{advice.reason}</span>
          </p>
          {advice.format !== leaves.format && (
            <Button
              onClick={() => {
                change(saying({ format: advice.format }));
              }}
            >
              Take it
            </Button>
          )}
        </div>
      )}
      <div className="flex items-center justify-between text-small">
        <span title={knowledge.qualities[leaves.quality]?.hint}>Quality</span>
        <Choice
          label="Quality"
          value={leaves.quality}
          options={named<OutputView["quality"]>(knowledge.qualities)}
          onChoose={(quality) => {
            change(saying({ quality }));
          }}
        />
      </div>
      <div className="flex items-center justify-between text-small">
        <span title={knowledge.filters[leaves.filter]?.hint}>Filter</span>
        <Choice
          label="Filter"
          value={leaves.filter}
          options={named<OutputView["filter"]>(knowledge.filters)}
          onChoose={(filter) => {
            change(saying({ filter }));
          }}
        />
      </div>
      {vector && (
        <div className="flex items-center justify-between text-small">
          Green points, for the game
          <Choice
            label="Green points, for the game"
            value={leaves.green}
            options={[
              ["up", "Up"],
              ["down", "Down"],
            ]}
            onChoose={(green) => {
              change(saying({ green }));
            }}
          />
        </div>
      )}
      {chosen.data && (
        <Verdict
          finding={leaves.as_in_game ? { level: "good", words: "As the game has it: its blocks go back untouched", fix: "" } : chosen.data.finding}
          withFix
        />
      )}
      {key && (
        <LossPart
          surface={surface}
          map={map}
          knowledge={knowledge}
          textureKey={key}
          inspected={inspected}
          onInspect={onInspect}
          change={change}
          onProblem={onProblem}
        />
      )}
      {leaves.findings.map((finding) => (
        <Verdict key={finding.words} finding={finding} withFix />
      ))}
    </div>
  );
}

/** The names of one of a few, in their order. */
function named<T extends string>(words: Partial<Record<T, { title: string }>>): (readonly [T, string])[] {
  return (Object.keys(words) as T[]).map((value) => [value, words[value]?.title ?? value] as const);
}

function FormatRow({
  surface,
  map,
  format,
  edit,
  title,
  hint,
  chosen,
  onChoose,
}: {
  surface: SurfaceView;
  map: string;
  format: Format;
  edit: Edit;
  title: string;
  hint: string;
  chosen: boolean;
  onChoose: () => void;
}) {
  const key = useQuery({
    queryKey: ["trial", surface.id, surface.revision, map, format],
    queryFn: () =>
      got(
        api.POST("/api/surfaces/{surface_id}/preview", {
          params: { path: { surface_id: surface.id } },
          body: { edit, map, stage: "compress", longest: null },
        }),
      ),
    staleTime: Infinity,
  });
  const { data: facts } = useFacts(key.data?.key, "compress");
  return (
    <tr className={`border-b border-mortar ${chosen ? "bg-verdigris-wash font-semibold" : ""}`}>
      <td className={`border-l-[3px] py-1 pl-1.5 ${chosen ? "border-verdigris" : "border-transparent"}`}>
        <button type="button" aria-pressed={chosen} title={hint} onClick={onChoose} className="w-full text-left">
          {title}
        </button>
      </td>
      <td className="figures text-right">{facts ? bytes(facts.bytes ?? 0) : "…"}</td>
      <td className="figures text-right">
        {facts ? (facts.angle !== null ? `${facts.angle.toFixed(2)}°` : decibels(facts.psnr)) : "…"}
      </td>
    </tr>
  );
}
