import type { Schemas } from "@/api/client";
import { Button } from "@/parts/Button";
import { Hint } from "@/parts/Hint";
import { Verdict } from "@/parts/Verdict";

type Scores = Schemas["TileScores"];

/** How well a map tiles, in numbers; and the one press that repairs what stands out. */
export function TileScores({
  scores,
  finding,
  onRepair,
}: {
  scores: Scores;
  finding: Schemas["Finding"];
  onRepair: (spots: Scores["culprits"]) => void;
}) {
  const rows: [words: string, hint: string, value: string][] = [
    ["Worst fault", "How likely an eye notices it when the tile repeats: 0 nothing to see, 1 just noticeable, 2 clear, 3 at once", scores.fault.toFixed(1)],
    ["Left to right", "The step across the edge against steps inside; 1.0 cannot be told apart, less is a blur", scores.x.toFixed(2)],
    ["Top to bottom", "The same for the other pair of edges", scores.y.toFixed(2)],
    ["Detail of joins", "Fine detail where the picture was joined, against the rest; less than 1 is a blur", scores.detail.toFixed(2)],
    ["Repetition", "How easily the grid is seen when it is repeated; 1.0 means that nothing stands out", scores.repetition.toFixed(2)],
    ["Drift of tone", "How much lighter the right and the lower third are", `${signed(scores.drift_x)} ${signed(scores.drift_y)} %`],
  ];
  if (scores.period) {
    rows.splice(3, 0, ["Structure at joins", "Whether bricks, tiles or threads go on over the edge as they do inside; less than 0.6 is a break", scores.structure.toFixed(2)]);
    const steps = scores.period.steps.map((s) => Math.round(Math.hypot(s.x, s.y))).join(", ");
    rows.push(["Recurs every", "Pixels after which the structure comes again, on each of its axes", `${steps} px`]);
  }
  const { culprits, faults } = scores;
  return (
    <section aria-label="How well it tiles" className="border-t border-mortar py-2 text-small">
      <dl className="grid grid-cols-[1fr_auto] gap-y-0.5">
        {rows.map(([words, hint, value]) => (
          <div key={words} className="contents">
            <dt>
              <Hint text={hint}>
                <span>{words}</span>
              </Hint>
            </dt>
            <dd className="figures">{value}</dd>
          </div>
        ))}
      </dl>
      <Verdict finding={finding} withFix />
      {faults.length > 0 && (
        <ol aria-label="What an eye notices" className="mt-1.5">
          {faults.map((fault, n) => (
            <li key={n} className="flex gap-1.5">
              <span className="figures w-4 text-right text-ink-2">{n + 1}</span>
              <span className="grow">{fault.words}</span>
              <span className="text-ink-2">{fault.everywhere ? `${fault.seen}, everywhere` : fault.seen}</span>
            </li>
          ))}
        </ol>
      )}
      {culprits.length > 0 && (
        <div className="mt-1.5">
          <p className="text-ink-2">
            {culprits.length === 1 ? "One spot stands out" : `${String(culprits.length)} spots stand out`}, marked in the flat view.
          </p>
          <div className="mt-1 flex gap-2">
            <Button
              hint="Covers the worst with a like piece from elsewhere in the tile"
              onClick={() => { onRepair(culprits.slice(0, 1)); }}
            >
              Repair the worst
            </Button>
            {culprits.length > 1 && (
              <Button look="bare" onClick={() => { onRepair(culprits); }}>Repair all</Button>
            )}
          </div>
        </div>
      )}
    </section>
  );
}

function signed(percent: number): string {
  const whole = Math.round(percent);
  return whole > 0 ? `+${String(whole)}` : String(whole);
}
