import { useId } from "react";
import type { Schemas, SurfaceView } from "@/api/client";
import { useWays } from "@/api/queries";
import { Verdict } from "@/parts/Verdict";

type StepInfo = Schemas["StepInfo"];

/** The ways to make a tile side by side, each tried small and laid two by two, with what speaks for it. */
export function WayStrip({
  surface,
  map,
  kinds,
  chosen,
  onChoose,
}: {
  surface: SurfaceView;
  map: string;
  kinds: StepInfo[];
  chosen: StepInfo;
  onChoose: (kind: StepInfo) => void;
}) {
  const name = useId();
  const { data: ways, isFetching } = useWays(surface, map, true);
  const order = (kind: StepInfo) => ways?.tried.findIndex((way) => way.kind === kind.name) ?? -1;
  const offered = ways
    ? kinds.filter((kind) => order(kind) >= 0 || kind.name === chosen.name).sort((a, b) => order(a) - order(b))
    : kinds;
  return (
    <div className="pb-1">
      <p className="pb-1 text-fine text-ink-2">{ways ? ways.reason : isFetching ? "Trying the ways…" : chosen.hint}</p>
      {ways?.advice && (
        <p className="pb-1">
          <Verdict finding={{ level: "look", words: ways.advice, fix: "" }} withFix />
        </p>
      )}
      <div role="radiogroup" aria-label="Way of tiling" aria-busy={isFetching} className="grid grid-cols-3 gap-1.5">
        {offered.map((kind) => {
          const way = ways?.tried.find((tried) => tried.kind === kind.name);
          const on = kind.name === chosen.name;
          return (
            <label
              key={kind.name}
              title={kind.hint}
              className={`flex cursor-pointer flex-col rounded-sm border p-1 text-fine has-[:focus-visible]:outline-2 ${
                on ? "border-ink bg-verdigris-wash" : "border-joint hover:border-ink"
              }`}
            >
              <span
                aria-hidden
                className="mb-1 block aspect-square bg-ground bg-size-[50%]"
                style={way && { backgroundImage: `url(data:image/png;base64,${way.picture})` }}
              />
              <span className="flex items-center gap-1">
                <input
                  type="radio"
                  name={name}
                  checked={on}
                  className="accent-ink"
                  onChange={() => {
                    onChoose(kind);
                  }}
                />
                <span className="leading-3.5 font-medium text-ink">{kind.title}</span>
              </span>
              {way && (
                <span className="figures leading-4 text-ink-2">
                  fault {way.fault.toFixed(1)}
                  <br />
                  {Math.round(100 * way.likeness)} % like
                  <br />
                  {Math.round(100 * way.kept)} % kept
                </span>
              )}
              {way?.shows && <span className="leading-4 text-ink-2">{way.shows}</span>}
            </label>
          );
        })}
      </div>
      {ways?.refused.map((way) => (
        <p key={way.title} className="pt-1 text-fine text-ink-2">
          Not offered: {way.title}, {way.words}.
        </p>
      ))}
    </div>
  );
}
