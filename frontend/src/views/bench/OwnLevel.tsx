import { useRef } from "react";
import { levelUrl, type Edit, type SurfaceMap, type SurfaceView } from "@/api/client";
import { PICTURES } from "@/api/bringing";
import { bring } from "@/api/queries";
import { Button } from "@/parts/Button";
import { levelSize } from "./losses";
import { refOf } from "./Reads";

/** One smaller level: as it is made, or a picture of its own in its place. */
export function OwnLevel({
  surface,
  map,
  level,
  textureKey,
  change,
  onProblem,
}: {
  surface: SurfaceView;
  map: SurfaceMap;
  level: number;
  textureKey: string;
  change: (edit: Edit) => void;
  onProblem: (problem: unknown) => void;
}) {
  const file = useRef<HTMLInputElement>(null);
  const own = map.levels.find((one) => one.level === level)?.picture;
  const { width, height } = levelSize(map.size, level);
  const use = async (chosen: File) => {
    try {
      const picture = refOf(await bring(surface.project_id, chosen));
      change({ kind: "set_level", map: map.id, level, picture });
    } catch (failed) {
      onProblem(failed);
    }
  };
  return (
    <div className="flex flex-col gap-1.5 text-small">
      <p>
        {own ? (
          <>
            <span className="break-all">{own.name}</span> stands in for this level.
          </>
        ) : (
          "Made from the levels above."
        )}
        {own && (own.width !== width || own.height !== height) && (
          <span className="text-ink-2">{` Brought from ${String(own.width)} × ${String(own.height)} to its size.`}</span>
        )}
      </p>
      <input
        ref={file}
        type="file"
        accept={PICTURES}
        className="hidden"
        aria-label={`Picture for level ${String(level)}`}
        onChange={(event) => {
          const chosen = event.target.files?.[0];
          if (chosen) void use(chosen);
          event.target.value = "";
        }}
      />
      <div className="flex flex-wrap gap-1.5">
        <Button
          hint="A picture of your own for this level alone; the others stay as they are made"
          onClick={() => file.current?.click()}
        >
          {own ? "Another picture" : "Own picture"}
        </Button>
        <a
          href={levelUrl(textureKey, level)}
          download={`${map.role}_level_${String(level)}.png`}
          className="inline-flex h-7 items-center rounded-sm border border-transparent px-2.5 hover:bg-verdigris-wash"
        >
          Save as PNG
        </a>
        {own && (
          <Button
            look="bare"
            onClick={() => {
              change({ kind: "set_level", map: map.id, level, picture: null });
            }}
          >
            Make it as usual
          </Button>
        )}
      </div>
    </div>
  );
}
