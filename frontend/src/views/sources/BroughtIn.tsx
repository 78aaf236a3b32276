import { useSources } from "@/api/queries";
import { bytes } from "@/parts/figures";
import { Empty } from "@/parts/Empty";
import { ProblemNote } from "@/parts/ProblemNote";

/** Files that came in from elsewhere, kept byte for byte. */
export function BroughtIn({ project }: { project: string }) {
  const { data, error } = useSources(project);
  if (error) return <div className="p-6"><ProblemNote error={error} /></div>;
  if (!data) return <div className="h-full" aria-busy />;
  if (data.length === 0) {
    return <div className="px-8"><Empty title="Nothing brought in yet">Drop a picture here; it is kept as it is.</Empty></div>;
  }
  return (
    <ul className="grid grid-cols-[repeat(auto-fill,minmax(180px,1fr))] gap-2 p-3" aria-label="Brought in">
      {data.map((source) => (
        <li key={source.id} className="border border-mortar p-1.5">
          <img
            src={`/api/sources/${source.id}/picture.png`}
            alt=""
            loading="lazy"
            className="checks h-32 w-full object-cover"
          />
          <p className="figures truncate pt-1" title={source.facts.name}>{source.facts.name}</p>
          <p className="text-fine text-ink-2">
            {source.facts.width} × {source.facts.height} {source.facts.kind.toUpperCase()}, {bytes(source.facts.bytes)}
            {source.facts.extension_lies ? ", its extension lies" : ""}
          </p>
        </li>
      ))}
    </ul>
  );
}
