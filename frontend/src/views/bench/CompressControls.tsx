import { useQuery } from "@tanstack/react-query";
import { api, got, type Schemas, type SurfaceView } from "@/api/client";
import { useFacts } from "@/api/queries";
import { Choice } from "@/parts/Choice";
import { Verdict } from "@/parts/Verdict";
import type { ControlsProps } from "./controlsProps";
import { bytes, decibels } from "@/parts/figures";

type Format = Schemas["BlockFormat"];

/** The format: each that fits is tried, so that what it costs is seen before it is chosen. */
export function CompressControls({ surface, map, knowledge, change }: ControlsProps) {
  const words = knowledge.roles[map.role];
  const chosen = useFacts(surface.keys[map.role]?.compress, "compress");
  return (
    <div className="flex flex-col gap-3">
      <table className="w-full text-small">
        <thead>
          <tr className="border-b border-mortar">
            <th className="py-1">Format</th>
            <th className="text-right">Bytes</th>
            <th className="text-right">{map.role === "normal" ? "Off by" : "Quality"}</th>
          </tr>
        </thead>
        <tbody>
          {words?.formats.map((format) => (
            <FormatRow
              key={format}
              surface={surface}
              role={map.role}
              format={format}
              title={knowledge.formats[format]?.title ?? format}
              hint={knowledge.formats[format]?.hint ?? ""}
              green={map.green}
              chosen={map.format === format}
              onChoose={() => {
                change({ kind: "set_format", role: map.role, format, green: map.green });
              }}
            />
          ))}
        </tbody>
      </table>
      {map.role === "normal" && (
        <div className="flex items-center justify-between text-small">
          Green points, for the game
          <Choice
            label="Green points, for the game"
            value={map.green}
            options={[
              ["up", "Up"],
              ["down", "Down"],
            ]}
            onChoose={(green) => {
              change({ kind: "set_format", role: map.role, format: map.format, green });
            }}
          />
        </div>
      )}
      {chosen.data && (
        <>
          <div className="flex justify-between text-small">
            <span className="text-ink-2">Levels</span>
            <span className="figures">{chosen.data.levels}, down to 1 × 1</span>
          </div>
          <Verdict finding={chosen.data.finding} withFix />
        </>
      )}
    </div>
  );
}

function FormatRow({
  surface,
  role,
  format,
  title,
  hint,
  green,
  chosen,
  onChoose,
}: {
  surface: SurfaceView;
  role: Schemas["Role"];
  format: Format;
  title: string;
  hint: string;
  green: Schemas["Green"];
  chosen: boolean;
  onChoose: () => void;
}) {
  const key = useQuery({
    queryKey: ["trial", surface.id, surface.revision, role, format, green],
    queryFn: () =>
      got(
        api.POST("/api/surfaces/{surface_id}/preview", {
          params: { path: { surface_id: surface.id } },
          body: { edit: { kind: "set_format", role, format, green }, role, stage: "compress", longest: null },
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
