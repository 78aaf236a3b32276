import { useInside } from "@/api/queries";
import type { SurfaceView } from "@/api/client";
import type { Layout } from "@/gl/layout";
import { MaskShown } from "./MaskShown";

/** What lies almost all inside; the rest is a soft rim. */
const INSIDE = 0.98;

/** A mask outlined while something is laid in, and whether what is laid lies inside of it. */
export function Guide({
  surface,
  map,
  step,
  layout,
  mask,
  onMask,
}: {
  surface: SurfaceView;
  map: string;
  step: string;
  layout: Layout;
  mask: string | null;
  onMask: (mask: string | null) => void;
}) {
  const masks = surface.document.masks;
  const { data } = useInside(surface, map, step, masks.some((m) => m.id === mask) ? mask : null);
  if (masks.length === 0) return null;
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
              onMask(event.target.value === "" ? null : event.target.value);
            }}
          >
            <option value="">anywhere</option>
            {masks.map((m) => (
              <option key={m.id} value={m.id}>
                {m.title}
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
