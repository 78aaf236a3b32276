import type { Edit, SurfaceView } from "@/api/client";
import { Button } from "@/parts/Button";
import { Swatch } from "@/parts/Swatch";
import { firstMask } from "./ids";
import { used } from "./maskShapes";

interface Props {
  surface: SurfaceView;
  chosen: string | null;
  onChoose: (mask: string | null) => void;
  change: (edit: Edit) => void;
}

/** The surface's masks below the maps: small named pictures; the one that is worked on has its figures at the right. */
export function MaskStrip({ surface, chosen, onChoose, change }: Props) {
  const masks = surface.document.masks;
  return (
      <ul aria-label="Masks" className="flex min-w-0 flex-1 items-center gap-1 overflow-x-auto">
        {masks.map((mask) => (
          <li key={mask.id}>
            <button
              type="button"
              aria-pressed={mask.id === chosen}
              title={used(surface, mask)}
              className={`flex h-7 items-center gap-1.5 rounded-sm border px-1 text-small whitespace-nowrap ${mask.id === chosen ? "border-verdigris bg-lime font-semibold" : "border-joint hover:bg-lime"}`}
              onClick={() => {
                onChoose(mask.id === chosen ? null : mask.id);
              }}
            >
              <Swatch contentKey={surface.masks[mask.id]} alt="" size={22} longest={48} />
              {mask.title}
            </button>
          </li>
        ))}
        <li>
          <Button
            look="bare"
            hint="A part of the surface that any step of any map can be limited to"
            onClick={() => {
              const mask = firstMask(masks);
              change({ kind: "add_mask", mask, map: null, step: null });
              onChoose(mask.id);
            }}
          >
            {masks.length === 0 ? "New mask" : "New"}
          </Button>
        </li>
      </ul>
  );
}
