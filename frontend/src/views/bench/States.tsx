import type { Schemas } from "@/api/client";
import { useChanged } from "@/api/queries";

type Revision = Schemas["RevisionView"];

/** Two states of a surface to look at in the wipe, and what is different between them. */
export function States({
  surface,
  revision,
  history,
  plain,
  beside,
  shown,
  onBeside,
  onShown,
}: {
  surface: string;
  /** The one that it is at. */
  revision: number;
  history: readonly Revision[] | undefined;
  /** What is at the left where no state is. */
  plain: string;
  /** The state at the left; null is none. */
  beside: number | null;
  /** The state at the right; null is the present one. */
  shown: number | null;
  onBeside: (revision: number | null) => void;
  onShown: (revision: number | null) => void;
}) {
  // With the source at the left there is nothing that was done to tell of.
  const before = beside ?? shown;
  const after = beside === null ? revision : (shown ?? revision);
  const { data: changed } = useChanged(surface, before, after);
  return (
    <div className="absolute bottom-2 left-2 z-10 flex items-center gap-1.5 rounded-sm bg-label/80 px-1.5 py-0.5 text-small text-label-ink">
      <State label="Beside" none={plain} history={history} value={beside} onChoose={onBeside} />
      <State label="Shown" none="as it is" history={history} value={shown} onChoose={onShown} />
      {before !== null && changed && (
        <details className="absolute bottom-8 left-0 rounded-sm bg-label/80">
          <summary className="cursor-pointer px-1.5 py-0.5 whitespace-nowrap">
            {changed.lines.length === 0 ? "alike" : `${String(changed.lines.length)} changed`}
          </summary>
          <ul
            aria-label="What changed"
            className="max-h-56 w-64 overflow-y-auto border-t border-label-ink/30 px-1.5 py-1"
          >
            {changed.lines.length === 0 ? <li>Nothing is different.</li> : changed.lines.map((line) => <li key={line}>{line}</li>)}
          </ul>
        </details>
      )}
    </div>
  );
}

/** One of the states that a surface was in, by its name or by what was done last. */
function State({
  label,
  none,
  history,
  value,
  onChoose,
}: {
  label: string;
  none: string;
  history: readonly Revision[] | undefined;
  value: number | null;
  onChoose: (revision: number | null) => void;
}) {
  return (
    <label className="flex items-center gap-1.5">
      {label}
      <select
        value={value ?? ""}
        className="h-[19px] w-[98px] rounded-sm bg-label text-label-ink"
        onChange={(event) => {
          onChoose(event.target.value === "" ? null : Number(event.target.value));
        }}
      >
        <option value="">{none}</option>
        {history
          ?.filter((entry) => !entry.current)
          .map((entry) => (
            <option key={entry.id} value={entry.id}>
              {entry.snapshots[0] ?? entry.words}
            </option>
          ))}
      </select>
    </label>
  );
}
