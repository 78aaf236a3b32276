import { useQuery } from "@tanstack/react-query";
import { api, got, type Schemas } from "@/api/client";
import { useFacts } from "@/api/queries";
import { Button } from "@/parts/Button";
import { Density } from "@/parts/Density";
import { SchemaForm } from "@/parts/SchemaForm";
import { Tick } from "@/parts/Tick";
import { Verdict } from "@/parts/Verdict";
import type { ControlsProps } from "./controlsProps";

type Size = Schemas["Size"];

/** The finished size: powers of two, how the map gets there, and what that costs. */
export function SizeControls({ project, surface, map, knowledge, change }: ControlsProps & { project: string }) {
  const facts = useFacts(surface.keys[map.id]?.size, "size");
  const before = useFacts(surface.keys[map.id]?.steps, "steps");
  const proposed = useQuery({
    queryKey: ["sizes", surface.keys[map.id]?.steps],
    queryFn: () =>
      got(
        api.GET("/api/surfaces/{surface_id}/sizes", {
          params: { path: { surface_id: surface.id }, query: { map: map.id } },
        }),
      ),
    enabled: Boolean(surface.keys[map.id]?.steps),
  });
  const size = map.size;
  const whole = surface.document.whole_texels;
  const set = (part: Partial<Size>) => {
    change({ kind: "set_size", map: map.id, size: { ...size, ...part }, all_maps: false });
  };
  const one = size.fit === "repeat" ? size.width / size.across : size.width;
  return (
    <div className="flex flex-col gap-2">
      <div className="flex items-center gap-2 text-small">
        {(["width", "height"] as const).map((side) => (
          <label key={side} className="flex flex-1 flex-col gap-0.5 capitalize">
            {side}
            <Sides
              value={size[side]}
              sizes={knowledge.sizes}
              onChoose={(next) => {
                set({ [side]: next });
              }}
            />
          </label>
        ))}
      </div>
      <SchemaForm
        schema={knowledge.forms["Size"] ?? {}}
        values={size}
        skip={["width", "height", "across", "down", ...(whole ? ["filter"] : [])]}
        onSettle={set}
      />
      <Tick
        checked={whole}
        onChange={(on) => { change({ kind: "keep_whole", on }); }}
      >
        <span>
          Whole texels
          <span className="block text-fine text-ink-2">Of all maps: none is mixed, as art of few texels needs</span>
        </span>
      </Tick>
      {size.fit === "repeat" && (
        <div className="flex items-center gap-2 text-small">
          {(["across", "down"] as const).map((way) => (
            <label key={way} className="flex flex-1 items-center justify-between gap-1">
              {way === "across" ? "Across" : "Down"}
              <Sides value={size[way]} sizes={[1, 2, 3, 4, 6, 8]} onChoose={(next) => { set({ [way]: next }); }} />
            </label>
          ))}
        </div>
      )}
      {size.fit === "pad" && (
        <p className="text-fine text-ink-2">
          The picture keeps its proportions in the middle of the canvas; the flat view marks it. For pictures whose rim is never shown.
        </p>
      )}
      <Button onClick={() => { change({ kind: "set_size", map: map.id, size, all_maps: true }); }}>
        Same size for all maps
      </Button>
      {(proposed.data?.length ?? 0) > 0 && (
        <section aria-label="Proposed sizes" className="border-t border-mortar pt-2 text-small">
          <h3 className="head pb-1">Least loss first</h3>
          <ul className="flex flex-col gap-1">
            {proposed.data?.map((p) => (
              <li key={`${p.size.width}-${p.size.height}-${p.size.fit}-${p.size.across}-${p.size.down}`}>
                <button
                  type="button"
                  className={`w-full rounded-sm border px-1.5 py-0.5 text-left hover:bg-verdigris-wash ${same(p.size, size) ? "border-verdigris bg-lime" : "border-joint"}`}
                  aria-pressed={same(p.size, size)}
                  onClick={() => { set({ ...p.size, filter: size.filter }); }}
                >
                  <span className="figures">{p.size.width} × {p.size.height}</span>{" "}
                  <span className="text-ink-2">{p.words}</span>
                </button>
              </li>
            ))}
          </ul>
        </section>
      )}
      {facts.data && before.data && (
        <dl className="grid grid-cols-[1fr_auto] gap-y-0.5 border-t border-mortar pt-2 text-small [&_dt]:text-ink-2">
          <dt>After the steps</dt>
          <dd className="figures">{before.data.width} × {before.data.height}</dd>
          <dt>Stretch</dt>
          <dd className="figures">{facts.data.costs?.stretch.toFixed(1)} %</dd>
          {(facts.data.costs?.unused ?? 0) > 0 && (
            <>
              <dt>Canvas unused</dt>
              <dd className="figures">{facts.data.costs?.unused.toFixed(0)} %</dd>
            </>
          )}
        </dl>
      )}
      {surface.material && (
        <div className="text-small">
          <Density project={project} texels={one} metres={surface.material.metres} />
        </div>
      )}
      {facts.data && <Verdict finding={facts.data.finding} withFix />}
      {surface.outputs[map.id]?.findings.map((finding) => <Verdict key={finding.words} finding={finding} withFix />)}
    </div>
  );
}

function same(one: Size, other: Size): boolean {
  return (["width", "height", "fit", "across", "down"] as const).every((name) => one[name] === other[name]);
}

function Sides({ value, sizes, onChoose }: { value: number; sizes: number[]; onChoose: (side: number) => void }) {
  return (
    <select
      value={value}
      className="figures h-7 min-w-14 rounded-sm border border-joint bg-lime px-1.5"
      onChange={(event) => {
        onChoose(Number(event.target.value));
      }}
    >
      {sizes.map((side) => (
        <option key={side} value={side}>{side}</option>
      ))}
    </select>
  );
}
