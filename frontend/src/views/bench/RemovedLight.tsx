import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useFacts } from "@/api/queries";
import { api, got, pictureUrl, type SurfaceView } from "@/api/client";

/** The broad light that is found in a map's picture: light where it is too bright, dark where too dim. */
export function RemovedLight({ surface, map, amount }: { surface: SurfaceView; map: string; amount: number }) {
  const [open, setOpen] = useState(false);
  const { data } = useQuery({
    queryKey: ["light", surface.keys[map]?.source],
    queryFn: () =>
      got(api.GET("/api/surfaces/{surface_id}/light", { params: { path: { surface_id: surface.id }, query: { map } } })),
    enabled: open,
    staleTime: Infinity,
  });
  const facts = useFacts(surface.keys[map]?.source, "source");
  const light = facts.data?.light;
  return (
    <details
      className="text-small"
      onToggle={(event) => {
        setOpen(event.currentTarget.open);
      }}
    >
      <summary className="min-h-6 cursor-pointer leading-6 text-ink-2">
        The light that is taken out
        {typeof light === "number" && <span className="figures"> {Math.round(100 * ((1 + light) ** amount - 1))} %</span>}
      </summary>
      {data?.key && (
        <figure className="mt-1">
          <img src={pictureUrl(data.key, 256)} alt="Broad light" className="max-h-32 bg-ground" />
          <figcaption className="text-fine text-ink-2">Grey stays as it is; lighter is dimmed, darker is lifted; the number is how much the brightest part exceeds the darkest.</figcaption>
        </figure>
      )}
    </details>
  );
}
