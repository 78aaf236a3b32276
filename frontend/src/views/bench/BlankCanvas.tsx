import { useState } from "react";
import { api, got } from "@/api/client";
import { renew } from "@/api/queries";
import { Button } from "@/parts/Button";
import { ColourRow } from "@/parts/ColourRow";
import type { ControlsProps } from "./controlsProps";

/** Begin a map with an empty picture of one colour, to be filled by steps. */
export function BlankCanvas({ project, map, knowledge, change, onProblem }: Omit<ControlsProps, "surface"> & { project: string; onProblem: (problem: unknown) => void }) {
  const [side, setSide] = useState({ width: 1024, height: 1024 });
  const [colour, setColour] = useState("#808080");
  const begin = async () => {
    const body = { ...side, colour };
    const params = { path: { project_id: project } };
    const { origin } = await got(api.POST("/api/projects/{project_id}/blank-sources", { params, body }));
    void renew(["sources", project]);
    change({ kind: "set_origin", map: map.id, origin });
  };
  return (
    <details className="text-small">
      <summary className="min-h-6 cursor-pointer leading-6 text-ink-2">Begin with a blank canvas</summary>
      <div className="flex flex-col gap-1.5 pt-1">
        <div className="flex items-center gap-2">
          {(["width", "height"] as const).map((name) => (
            <select
              key={name}
              aria-label={name === "width" ? "Canvas width" : "Canvas height"}
              value={side[name]}
              className="figures h-7 flex-1 rounded-sm border border-joint bg-lime px-1"
              onChange={(event) => {
                setSide({ ...side, [name]: Number(event.target.value) });
              }}
            >
              {knowledge.sizes.map((size) => (
                <option key={size} value={size}>
                  {size}
                </option>
              ))}
            </select>
          ))}
        </div>
        <ColourRow label="Colour" value={colour} onMove={setColour} onSettle={setColour} />
        <Button
          onClick={() => {
            begin().catch(onProblem);
          }}
        >
          Begin with this canvas
        </Button>
      </div>
    </details>
  );
}
