import { useState } from "react";
import { api, got, type Schemas } from "@/api/client";
import { gameChanged, useOurs, type Placed } from "@/api/games";
import { Button } from "@/parts/Button";
import { JobStrip } from "@/parts/JobStrip";
import { ProblemNote } from "@/parts/ProblemNote";
import { useKeptJob } from "@/parts/useKeptJob";
import { Verdict } from "@/parts/Verdict";

const STATES: Record<string, Schemas["Finding"]> = {
  "in place": { level: "good", words: "ours is in place", fix: "" },
  original: { level: "look", words: "the original shows", fix: "" },
  wiped: { level: "fault", words: "wiped by the game", fix: "" },
  changed: { level: "look", words: "the game brought another", fix: "" },
  gone: { level: "fault", words: "the file is gone", fix: "" },
};

/** What is ours in the game folder: how each stands, and the ways back. */
export function Ours({ game, onFind }: { game: string; onFind: (path: string) => void }) {
  const { data, error } = useOurs(game);
  const [job, setJob] = useKeptJob(`ours-${game}`);
  const [checking, setChecking] = useKeptJob(`check-${game}`);
  const [checked, setChecked] = useState<Schemas["Verified"] | null>(null);
  const [problem, setProblem] = useState<unknown>(null);
  const params = { path: { game_id: game } };
  const begin = async (work: () => Promise<{ data?: Schemas["JobView"] }>) => {
    setProblem(null);
    try {
      setJob((await got(work())).id);
    } catch (failed) {
      setProblem(failed);
    }
  };
  const check = async () => {
    setProblem(null);
    setChecked(null);
    try {
      setChecking((await got(api.POST("/api/games/{game_id}/check", { params }))).id);
    } catch (failed) {
      setProblem(failed);
    }
  };
  const restore = (paths: string[] | null, even_changed = false) =>
    begin(() => api.POST("/api/games/{game_id}/restore", { params, body: { paths, ids: null, even_changed } }));
  const putBack = (ids: number[] | null) =>
    begin(() => api.POST("/api/games/{game_id}/put-back", { params, body: { paths: null, ids, even_changed: false } }));
  if (error) return <div className="p-3"><ProblemNote error={error} /></div>;
  if (!data) return <div className="h-full" aria-busy />;
  const wiped = data.placed.filter((p) => p.state === "wiped");
  const damaged = data.kept.filter((k) => !k.whole);
  return (
    <div className="flex h-full flex-col">
      <div className="min-h-0 flex-1 overflow-y-auto">
        {data.placed.length === 0 && (
          <p className="p-4 text-ink-2">
            Nothing of ours is in this game folder yet. What you put back shows here, each with its original in the safe.
          </p>
        )}
        {wiped.length > 0 && (
          <div className="flex items-center gap-2 bg-ochre-wash px-3.5 py-2 text-small">
            <span className="flex-1">
              The game has put {wiped.length} of its own files back.
            </span>
            <Button look="solid" onClick={() => void putBack(null)}>Put all back</Button>
          </div>
        )}
        {damaged.length > 0 && (
          <div className="p-3">
            <ProblemNote error={new Error(`The safe has lost ${damaged.map((k) => k.path).join(", ")}.`)} />
          </div>
        )}
        {checked && <Checked found={checked} />}
        <ul aria-label="Ours in the game">
          {data.placed.map((placed) => (
            <li key={placed.id} className="border-b border-mortar px-3.5 py-2">
              <button type="button" className="figures block text-left break-all underline min-h-6" onClick={() => { onFind(placed.path); }}>
                {placed.path}
              </button>
              <div className="flex items-center gap-2">
                <Verdict finding={STATES[placed.state] ?? { level: "look", words: placed.state, fix: "" }} />
                <span className="text-fine text-ink-2">original from version {placed.version || "unknown"}</span>
                <span className="ml-auto" />
                {placed.state === "changed" && <Button look="bare" hint="Made anew in the form of the game's new file" onClick={() => void putBack([placed.id])}>Replace the new one</Button>}
                {placed.state !== "changed" && <Button look="bare" onClick={() => void restore([placed.path])}>Restore</Button>}
              </div>
              {placed.state === "changed" && <OldAndNew game={game} placed={placed} />}
            </li>
          ))}
        </ul>
      </div>
      <div className="flex shrink-0 flex-wrap items-center gap-2 border-t border-joint px-3.5 py-2.5">
        {problem !== null && <ProblemNote error={problem} />}
        {job && (
          <JobStrip
            id={job}
            onDone={() => {
              gameChanged();
              setJob(null);
            }}
            onClose={() => { setJob(null); }}
          />
        )}
        {checking && (
          <JobStrip
            id={checking}
            onDone={(done) => {
              setChecked(done.result as Schemas["Verified"] | null);
              setChecking(null);
            }}
            onClose={() => { setChecking(null); }}
          />
        )}
        <Button look="bare" disabled={checking !== null} hint="Reads every original in the safe and every file that was changed" onClick={() => void check()}>
          Check every file
        </Button>
        <Button look="line" disabled={data.placed.length === 0} hint="Every original goes back, byte for byte" onClick={() => void restore(null)}>
          Restore all
        </Button>
      </div>
    </div>
  );
}

/** What a check of every file found: what is not as it was told, or that all is. */
function Checked({ found }: { found: Schemas["Verified"] }) {
  const lost = found.kept.filter((k) => !k.whole);
  const moved = found.placed.filter((p) => p.state !== "in place" && p.state !== "original");
  return (
    <div role="status" className="border-b border-mortar px-3.5 py-2 text-small">
      {lost.length + found.strays.length + moved.length === 0 ? (
        <Verdict finding={{ level: "good", words: `All as it was told: ${String(found.kept.length)} originals, ${String(found.placed.length)} of ours`, fix: "" }} />
      ) : (
        <ul aria-label="Not as it was told" className="grid gap-1.5">
          {lost.map((k) => <Odd key={k.sha256} path={k.path} level="fault" words="The safe has lost its original." />)}
          {found.strays.map((s) => <Odd key={s.path + s.words} path={s.path} level="fault" words={s.words} />)}
          {moved.map((p) => <Odd key={p.id} path={p.path} level="look" words={STATES[p.state]?.words ?? p.state} />)}
        </ul>
      )}
    </div>
  );
}

function Odd({ path, level, words }: { path: string; level: Schemas["Finding"]["level"]; words: string }) {
  return (
    <li>
      <span className="figures block break-all">{path}</span>
      <Verdict withFix finding={{ level, words, fix: "" }} />
    </li>
  );
}

/** The kept original beside the file that the game has brought since. */
function OldAndNew({ game, placed }: { game: string; placed: Placed }) {
  const at = `/api/games/${game}/placed/${String(placed.id)}`;
  return (
    <div className="mt-1 grid grid-cols-3 gap-1 text-fine text-ink-2">
      {(["original", "now", "ours"] as const).map((which) => (
        <figure key={which}>
          <img src={`${at}/${which}.png`} alt="" className="checks h-20 w-full object-cover" />
          <figcaption>{{ original: "original before", now: "the game's now", ours: "ours" }[which]}</figcaption>
        </figure>
      ))}
    </div>
  );
}
