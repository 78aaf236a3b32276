import { useEffect, useId, useState } from "react";
import { outputOf } from "@/api/edits";
import { renew } from "@/api/queries";
import { Button } from "@/parts/Button";
import { HistoryList } from "@/parts/HistoryList";
import { ShownTarget } from "@/parts/ShownTarget";
import { Tick } from "@/parts/Tick";
import { Verdict } from "@/parts/Verdict";
import type { Schemas } from "@/api/client";
import type { ControlsProps } from "./controlsProps";

/** How the map leaves: its file name, and whether it goes at all; else as the target has it. */
export function OutputControls({ surface, map, change }: ControlsProps) {
  const field = useId();
  const leaves = surface.outputs[map.id];
  const [name, setName] = useState(leaves?.name ?? "");
  useEffect(() => {
    setName(leaves?.name ?? "");
  }, [leaves?.name]);
  const says = outputOf(map, surface.target);
  const say = (part: Partial<Schemas["Output"]>) => {
    change({ kind: "set_output", map: map.id, target: surface.target, output: { ...says, ...part } });
  };
  if (!leaves) return null;
  const settle = () => {
    if (name !== leaves.name) say({ name });
  };
  return (
    <div className="flex flex-col gap-3">
      <ShownTarget project={surface.project_id} shown={surface.target} />
      <label htmlFor={field} className="flex flex-col gap-1 text-small">
        File name, as the game looks it up
        <span className="flex items-center rounded-sm border border-joint focus-within:border-verdigris">
          <input
            id={field}
            value={name}
            spellCheck={false}
            className="figures h-7 min-w-0 flex-1 px-2"
            onChange={(event) => {
              setName(event.target.value);
            }}
            onBlur={settle}
            onKeyDown={(event) => {
              if (event.key === "Enter") settle();
              if (event.key === "Escape") setName(leaves.name);
            }}
          />
          <span className="figures pr-2 text-ink-2">{leaves.extension}</span>
        </span>
      </label>
      {says.name !== null && (
        <Button
          look="bare"
          className="self-start"
          onClick={() => {
            say({ name: null });
          }}
        >
          Name it as usual
        </Button>
      )}
      <p className="figures break-all text-small text-ink-2">{leaves.path}</p>
      <Tick
        checked={leaves.delivered}
        onChange={(delivered) => {
          say({ delivered });
        }}
      >
        Goes into the delivery
      </Tick>
      {leaves.findings.map((finding) => (
        <Verdict key={finding.words} finding={finding} withFix />
      ))}
      <HistoryList
        id={surface.id}
        revision={surface.revision}
        moves={surface.moves}
        onMoved={() => {
          for (const list of ["surface", "surfaces", "deliveries"]) void renew([list]);
        }}
      />
    </div>
  );
}
