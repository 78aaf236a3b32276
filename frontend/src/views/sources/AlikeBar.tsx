import type { Entry } from "@/api/games";
import { Button } from "@/parts/Button";
import { JobStrip } from "@/parts/JobStrip";
import type { useAlike } from "./useAlike";

/** What is looked for by its look, then what was found. */
export function AlikeBar({ alikes, onFound }: { alikes: ReturnType<typeof useAlike>; onFound: () => void }) {
  const { found, looking, setFound, setLooking } = alikes;
  if (!found && !looking) return null;
  return (
    <div className="flex items-center gap-3 border-b border-joint bg-verdigris-wash px-3.5 py-1.5 text-small">
      {looking ? (
        <JobStrip
          id={looking.id}
          onDone={(done) => {
            setFound({ name: looking.name, entries: (done.result?.["entries"] ?? []) as Entry[] });
            setLooking(null);
            onFound();
          }}
          onClose={() => { setLooking(null); }}
        />
      ) : (
        <span>{found?.entries.length ? `${String(found.entries.length)} look like ${found.name}, the likest first` : `Nothing looks like ${found?.name ?? "it"}`}</span>
      )}
      {found && <Button look="bare" onClick={() => { setFound(null); }}>Show all again</Button>}
    </div>
  );
}
