import { useInside } from "@/api/queries";
import type { Edit, Schemas, SurfaceMap, SurfaceView } from "@/api/client";
import type { Layout } from "@/gl/layout";
import { usualValues } from "@/parts/SchemaForm";
import { maskOf } from "./ids";
import { MaskShown } from "./MaskShown";
import type { Shape } from "./maskShapes";

/** Before the id of a map in the list: its raised parts, for which no mask is there yet. */
const RAISED = "raised ";
/** Maps that tell of a relief. */
const RELIEF: readonly SurfaceMap["role"][] = ["height", "normal", "specular"];

/** What lies almost all inside; the rest is a soft rim. */
const INSIDE = 0.98;

/** A mask outlined while something is laid in, and whether what is laid lies inside of it. */
export function Guide({
  surface,
  map,
  step,
  layout,
  knowledge,
  mask,
  onMask,
  change,
}: {
  surface: SurfaceView;
  map: string;
  step: string;
  layout: Layout;
  mask: string | null;
  onMask: (mask: string | null) => void;
  knowledge: Schemas["Knowledge"] | undefined;
  change: (edit: Edit) => void;
}) {
  const masks = surface.document.masks;
  const { data } = useInside(surface, map, step, masks.some((m) => m.id === mask) ? mask : null);
  const outlined = (id: string) => masks.some((m) => m.shape.kind === "raised" && m.shape.map.map === id);
  const reliefs = surface.document.maps.filter(
    (m) => RELIEF.includes(m.role) && surface.keys[m.id]?.steps && !outlined(m.id),
  );
  if (masks.length === 0 && reliefs.length === 0) return null;
  const outline = (id: string) => {
    const relief = reliefs.find((m) => m.id === id);
    const kind = knowledge?.masks.find((k) => k.name === "raised");
    if (!relief || !kind) return;
    const title = `Raised in ${knowledge?.roles[relief.role]?.title.toLowerCase() ?? relief.role}`;
    const made = maskOf(title, { ...usualValues(kind.parameters), kind: "raised", map: { map: id } } as unknown as Shape);
    change({ kind: "add_mask", mask: made, map: null, step: null });
    onMask(made.id);
  };
  const share = data?.share ?? null;
  return (
    <>
      {mask && <MaskShown contentKey={surface.masks[mask]} layout={layout} view={{ shown: "outline", opacity: 1 }} />}
      <div className="absolute top-10 left-1/2 z-10 flex -translate-x-1/2 items-center gap-2 rounded-sm bg-label/85 px-2 py-1 text-small whitespace-nowrap text-label-ink">
        <label className="flex items-center gap-1.5">
          Keep inside
          <select
            value={mask ?? ""}
            className="h-6 max-w-36 rounded-sm bg-label text-label-ink"
            onChange={(event) => {
              const { value } = event.target;
              if (value.startsWith(RAISED)) outline(value.slice(RAISED.length));
              else onMask(value === "" ? null : value);
            }}
          >
            <option value="">anywhere</option>
            {masks.map((m) => (
              <option key={m.id} value={m.id}>
                {m.title}
              </option>
            ))}
            {reliefs.map((m) => (
              <option key={m.id} value={`${RAISED}${m.id}`}>
                raised parts in {(knowledge?.roles[m.role]?.title ?? m.role).toLowerCase()}
              </option>
            ))}
          </select>
        </label>
        {mask && share !== null && (
          <span role="status">{share >= INSIDE ? "✓ all inside" : `⚠ ${String(Math.round((1 - share) * 100))} % outside`}</span>
        )}
      </div>
    </>
  );
}
