import type { Edit, Schemas, SurfaceView } from "@/api/client";
import { useChecks } from "@/api/queries";
import { Button } from "@/parts/Button";
import { Verdict } from "@/parts/Verdict";

/** What there is to look at in one map of a surface. */
export function useMapFindings(surface: SurfaceView, map: string): Schemas["MapFinding"][] {
  return useChecks(surface).data?.findings.filter((finding) => finding.map === map) ?? [];
}

/** What there is to look at in a map, each with the button that mends it. */
export function MapChecks({ surface, map, change }: { surface: SurfaceView; map: string; change: (edit: Edit) => void }) {
  const findings = useMapFindings(surface, map);
  // What was found in the state before is shown until the present one is checked, but not mended.
  const { isPlaceholderData: earlier } = useChecks(surface);
  if (findings.length === 0) return null;
  return (
    <ul aria-label="To look at" className="flex flex-col gap-1.5 border-l-2 border-ochre pl-2">
      {findings.map((finding) => (
        <li key={finding.code + finding.words} className="flex flex-col items-start gap-1">
          <Verdict finding={finding} withFix />
          {finding.mend && (
            <Button
              look="line"
              disabled={earlier}
              onClick={() => {
                if (finding.mend) change(finding.mend);
              }}
            >
              {finding.press}
            </Button>
          )}
        </li>
      ))}
    </ul>
  );
}

/** Says how much there is to look at in all maps, and leads from one to the next. */
export function AllChecks({ surface, map, onGo }: { surface: SurfaceView; map: string; onGo: (map: string) => void }) {
  const { data, error } = useChecks(surface);
  const findings = data?.findings ?? [];
  const maps = surface.document.maps.map((m) => m.id).filter((id) => findings.some((f) => f.map === id));
  if (error) {
    return (
      <span title={error.message}>
        <Verdict finding={{ level: "look", words: "not checked", fix: "" }} />
      </span>
    );
  }
  if (!data) return null;
  if (findings.length === 0) return <Verdict finding={{ level: "good", words: "checked", fix: "" }} />;
  const level = findings.some((f) => f.level === "fault") ? "fault" : "look";
  const at = surface.document.maps.findIndex((m) => m.id === map);
  const next = maps.find((id) => surface.document.maps.findIndex((m) => m.id === id) > at) ?? maps[0];
  return (
    <button
      type="button"
      title="Goes to the next map with something to look at"
      className="rounded-sm px-1 hover:bg-lime"
      onClick={() => {
        if (next) onGo(next);
      }}
    >
      <Verdict finding={{ level, words: `${String(findings.length)} to look at`, fix: "" }} />
    </button>
  );
}

/** A sign beside a map's name that there is something to look at. */
export function CheckSign({ surface, map }: { surface: SurfaceView; map: string }) {
  const findings = useMapFindings(surface, map);
  const [worst] = findings;
  if (!worst) return null;
  return (
    <span title={findings.map((f) => f.words).join(". ")}>
      <Verdict finding={{ level: worst.level, words: String(findings.length), fix: "" }} />
      <span className="sr-only"> to look at</span>
    </span>
  );
}
