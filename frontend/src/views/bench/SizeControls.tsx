import { useFacts } from "@/api/queries";
import { Button } from "@/parts/Button";
import { Verdict } from "@/parts/Verdict";
import type { ControlsProps } from "./controlsProps";

/** The finished size: powers of two. */
export function SizeControls({ surface, map, knowledge, change }: ControlsProps) {
  const facts = useFacts(surface.keys[map.role]?.size, "size");
  const before = useFacts(surface.keys[map.role]?.steps, "steps");
  const set = (part: Partial<typeof map.size>) => {
    change({ kind: "set_size", role: map.role, size: { ...map.size, ...part }, all_maps: false });
  };
  return (
    <div className="flex flex-col gap-3">
      {(["width", "height"] as const).map((side) => (
        <label key={side} className="flex items-center justify-between text-small capitalize">
          {side}
          <select
            value={map.size[side]}
            className="figures h-7 w-24 rounded-sm border border-joint bg-lime px-1.5"
            onChange={(event) => {
              set({ [side]: Number(event.target.value) });
            }}
          >
            {knowledge.sizes.map((size) => (
              <option key={size} value={size}>
                {size}
              </option>
            ))}
          </select>
        </label>
      ))}
      <Button
        onClick={() => {
          change({ kind: "set_size", role: map.role, size: map.size, all_maps: true });
        }}
      >
        Same size for all maps
      </Button>
      {facts.data && before.data && (
        <dl className="grid grid-cols-[1fr_auto] gap-y-1 text-small [&_dt]:text-ink-2">
          <dt>After the steps</dt>
          <dd className="figures">
            {before.data.width} × {before.data.height}
          </dd>
          <dt>Stretch</dt>
          <dd className="figures">{facts.data.stretch?.toFixed(1)} %</dd>
        </dl>
      )}
      {facts.data && <Verdict finding={facts.data.finding} withFix />}
    </div>
  );
}
