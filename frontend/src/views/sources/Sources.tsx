import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { useLocation } from "wouter";
import { filesOf, type Source } from "@/api/bringing";
import { api, got, type Role, type Schemas } from "@/api/client";
import { gameChanged, useEntries, useFacets, useGame, useOurs, useSets, useShelf, type Entry, type Search } from "@/api/games";
import { renew, useSources } from "@/api/queries";
import { BarActions } from "@/app/BarActions";
import { useKeys } from "@/app/keys";
import { Button } from "@/parts/Button";
import { Choice } from "@/parts/Choice";
import { Empty } from "@/parts/Empty";
import { JobStrip } from "@/parts/JobStrip";
import { ProblemNote } from "@/parts/ProblemNote";
import { useKeptJob } from "@/parts/useKeptJob";
import { AlikeBar } from "./AlikeBar";
import { BroughtIn, Cards } from "./BroughtIn";
import { Courses, inOrder, things } from "./Courses";
import { ContactSheet, EntryList } from "./Lists";
import { FindBar, type Where } from "./FindBar";
import { FileActions } from "./FileActions";
import { FolderForm } from "./FolderForm";
import { Foot } from "./Foot";
import { More } from "./More";
import { NamesForm } from "./NamesForm";
import { Ours } from "./Ours";
import { Preview } from "./Preview";
import { PutBack, type Putting } from "./PutBack";
import { useAlike } from "./useAlike";
import { useBringing } from "./useBringing";

type Layout = "courses" | "sheet" | "list";
const NOTHING: Search = { words: "", role: "", kind: "", use: "", alpha: "", least: 0, others: false, sort: "thing", down: false };

/** What lies in the game, and what was brought in: found, looked at, taken. */
export function Sources({ project }: { project: string }) {
  const { data: game, error } = useGame(project);
  const { data: shelf } = useShelf(project);
  const [job, setJob] = useKeptJob(`catalogue-${project}`);
  const [problem, setProblem] = useState<unknown>(null);
  const asked = useRef("");
  const read = useCallback(
    async (id: string, thorough: boolean) => {
      setProblem(null);
      try {
        const params = { path: { game_id: id } };
        setJob((await got(api.POST("/api/games/{game_id}/catalogue", { params, body: { thorough } }))).id);
      } catch (failed) {
        setProblem(failed);
      }
    },
    [setJob],
  );
  const id = game?.id;
  useEffect(() => {
    // A look at what has changed is cheap, so it is taken whenever the page opens.
    if (id && asked.current !== id) {
      asked.current = id;
      void read(id, false);
    }
  }, [id, read]);
  if (!shelf || (!game && !error)) return <div className="h-full" aria-busy />;
  return (
    <>
      <BarActions>
        {!game ? null : job ? (
          <JobStrip
            id={job}
            onDone={() => {
              gameChanged();
              setJob(null);
            }}
            onClose={() => {
              setJob(null);
            }}
          />
        ) : (
          <>
            <Button look="bare" hint="Only what has another size or time is read" onClick={() => void read(game.id, false)}>
              Read the folder again
            </Button>
            <Button look="bare" hint="Every file is read again; no time stamp is trusted" onClick={() => void read(game.id, true)}>
              Thoroughly
            </Button>
          </>
        )}
      </BarActions>
      {problem !== null && <ProblemNote error={problem} onClose={() => { setProblem(null); }} />}
      <Catalogue key={game?.id} project={project} game={game ?? null} missing={error} shelf={shelf} reading={job !== null} />
    </>
  );
}

interface Props {
  project: string;
  game: Schemas["GameFolderView"] | null;
  /** Why there is no game folder, if so. */
  missing: unknown;
  shelf: Schemas["GameFolderView"];
  reading: boolean;
}

function Catalogue({ project, game, missing, shelf, reading }: Props) {
  const [search, setSearch] = useState<Search>(NOTHING);
  const [where, setWhere] = useState<Where>(game ? "game" : "brought");
  const [layouts, setLayouts] = useState<Record<Where, Layout>>({ game: "courses", brought: "sheet" });
  const layout = layouts[where];
  const [panel, setPanel] = useState<"file" | "ours">("file");
  const [selected, setSelected] = useState<Entry | null>(null);
  const [marked, setMarked] = useState<ReadonlyMap<number, Entry>>(new Map());
  const alikes = useAlike(game?.id, shelf.id);
  const { found: alike, setFound: setAlike } = alikes;
  const [putting, setPutting] = useState<Putting | null>(null);
  const [problem, setProblem] = useState<unknown>(null);
  const [taking, setTaking] = useState(false);
  const [switching, setSwitching] = useState(false);
  const [, navigate] = useLocation();
  const field = useRef<HTMLInputElement>(null);
  const upload = useRef<HTMLInputElement>(null);
  const several = useRef<HTMLInputElement>(null);
  const body = useRef<HTMLDivElement>(null);
  const here = where === "game" ? game : shelf;
  const { data: brought } = useSources(project);
  const { data: sets } = useSets(project);
  const bringing = useBringing(project, where === "brought");
  const { data: facets } = useFacets(here?.id);
  const { data: ours } = useOurs(game?.id);
  const shown = layout === "courses" ? { ...search, sort: "thing" as const, down: false } : search;
  const found = useEntries(here?.id, shown);
  const loaded = useMemo(() => found.data?.pages.flatMap((page) => page.entries) ?? [], [found.data]);
  const entries = alike ? alike.entries : loaded;
  const total = alike ? alike.entries.length : (found.data?.pages[0]?.total ?? 0);
  const others = found.data?.pages[0]?.others ?? 0;
  const courses = useMemo(() => things(entries), [entries]);
  const count = alike ? courses.length : (found.data?.pages[0]?.things ?? 0);
  const order = layout === "courses" ? inOrder(courses) : entries;
  const current = order.find((e) => e.id === selected?.id) ?? selected ?? order[0] ?? null;
  const sources = useMemo(() => new Map((brought ?? []).map((s) => [`${s.sha256} ${s.facts.name}`, s])), [brought]);
  const sourceOf = (entry: Entry) => (entry.game_id === shelf.id ? (sources.get(`${entry.sha256} ${entry.path}`) ?? null) : null);
  const source = current ? sourceOf(current) : null;
  const newest = bringing.last?.sources[0];
  const pointedOut = useRef<Source | undefined>(undefined);
  useEffect(() => {
    // What has just come in is shown once, wherever it stands in the list.
    const entry = loaded.find((e) => e.sha256 === newest?.sha256);
    if (!entry || pointedOut.current === newest) return;
    pointedOut.current = newest;
    setSelected(entry);
    requestAnimationFrame(() => body.current?.querySelector(`[data-entry="${String(entry.id)}"]`)?.scrollIntoView({ block: "nearest" }));
  }, [newest, loaded]);

  const select = (entry: Entry, marking: boolean) => {
    setSelected(entry);
    setPanel("file");
    if (marking) mark(entry);
  };
  const mark = (entry: Entry) => {
    // Only files of the game are taken by marks; what was brought in is here already.
    if (entry.game_id === shelf.id) return;
    const next = new Map(marked);
    if (!next.delete(entry.id)) next.set(entry.id, entry);
    setMarked(next);
  };
  const step = (by: number) => {
    const at = order.findIndex((e) => e.id === current?.id);
    const next = order[Math.min(order.length - 1, Math.max(0, at + by))];
    if (!next) return;
    setSelected(next);
    setPanel("file");
    requestAnimationFrame(() => {
      body.current?.querySelector(`[data-entry="${String(next.id)}"]`)?.scrollIntoView({ block: "nearest" });
    });
  };
  const across = layout === "sheet" ? Math.max(1, Math.floor((body.current?.clientWidth ?? 800) / 122)) : 1;

  const like = async (asked: File | Entry) => {
    setProblem(null);
    try {
      await alikes.look(asked);
    } catch (failed) {
      setProblem(failed);
    }
  };
  const begin = async (stem: string, roles: Partial<Record<Role, string>>) => {
    setProblem(null);
    try {
      const params = { path: { project_id: project } };
      const made = await got(api.POST("/api/projects/{project_id}/source-sets", { params, body: { stem, roles } }));
      void renew(["surfaces", project]);
      navigate(`/p/${project}/bench/${made.id}?map=colour&stage=steps`);
    } catch (failed) {
      setProblem(failed);
    }
  };
  const beginOne = ({ id, facts }: Source) => begin(facts.stem || facts.name, { [facts.begins_as]: id });
  const take = async () => {
    const chosen = marked.size > 0 ? [...marked.keys()] : current ? [current.id] : [];
    if (chosen.length === 0 || taking || !game) return;
    setProblem(null);
    setTaking(true);
    try {
      const params = { path: { project_id: project, game_id: game.id } };
      const begun = await got(api.POST("/api/projects/{project_id}/take/{game_id}", { params, body: { entries: chosen } }));
      void renew(["surfaces", project]);
      void renew(["sources", project]);
      setMarked(new Map());
      const first = begun[0];
      if (first) navigate(`/p/${project}/bench/${first.id}?map=colour&stage=source`);
    } catch (failed) {
      setProblem(failed);
    } finally {
      setTaking(false);
    }
  };
  const putMarker = async (entry: Entry) => {
    const answer = await fetch(`/api/games/${entry.game_id}/entries/${String(entry.id)}/marker.png`);
    if (answer.ok) setPutting({ entry, file: new File([await answer.blob()], `marker for ${entry.name}`) });
    else setProblem(new Error("No marker could be made for this file."));
  };
  // What lists say of files that are just being written is neither the one state nor the other.
  const showOurs = async (on: boolean) => {
    setProblem(null);
    if (!game || switching) return;
    setSwitching(true);
    try {
      await got(api.POST("/api/games/{game_id}/shown", { params: { path: { game_id: game.id } }, body: { ours: on } }));
      gameChanged();
    } catch (failed) {
      setProblem(failed);
    } finally {
      setSwitching(false);
    }
  };
  const standing = ours?.placed ?? [];
  const originals = standing.length > 0 && standing.every((p) => p.state === "original");
  useKeys({
    "/": () => field.current?.focus(),
    t: () => void (source ? beginOne(source) : take()),
    l: () => { if (current) void like(current); },
    x: () => { if (current && !source) mark(current); },
    p: () => { if (!source) upload.current?.click(); },
    o: () => { if (standing.length > 0) void showOurs(originals); },
    ArrowDown: () => { step(across); },
    ArrowUp: () => { step(-across); },
    ArrowRight: () => { step(1); },
    ArrowLeft: () => { step(-1); },
  });
  const set = (changes: Partial<Search>) => {
    setAlike(null);
    setSelected(null);
    setSearch({ ...search, ...changes });
  };
  const belonging = current ? new Set(entries.filter((e) => e.thing === current.thing && e.relation === "map" && e.role !== "").map((e) => e.role)).size : 0;
  const takeWords = marked.size > 0 ? `Take ${String(marked.size)} marked` : belonging > 1 && current?.use !== "icon" ? `Take all ${String(belonging)}` : "Take it";
  return (
    <div
      className="flex h-full flex-col"
      onDragOver={(event) => { event.preventDefault(); }}
      onDrop={(event) => {
        event.preventDefault();
        const dropped = [...event.dataTransfer.files];
        const file = dropped[0];
        // Files dropped onto what was brought in come in; onto the game's, one is sought there.
        if (where === "brought") void filesOf(event.dataTransfer).then(bringing.take);
        else if (!file) return;
        else if (dropped.length > 1) setPutting({ files: dropped });
        else void like(file);
      }}
    >
      <div className="flex h-12 shrink-0 items-center gap-3 border-b border-joint px-3.5">
        <FindBar
          field={field}
          search={search}
          where={where}
          counts={{ game: game?.entries ?? 0, brought: shelf.entries }}
          facets={facets}
          onSearch={set}
          onWhere={(next) => {
            // A filter of one place may have no such choice in the other.
            set({ role: "", kind: "" });
            setWhere(next);
          }}
        />
        <span className="ml-auto" />
        {game && where === "game" && <NamesForm game={game.id} />}
      </div>
      <AlikeBar
        alikes={alikes}
        onFound={() => {
          setSelected(null);
          setLayouts({ ...layouts, [where]: "sheet" });
        }}
      />
      {problem !== null && <ProblemNote error={problem} onClose={() => { setProblem(null); }} />}
      <div className="flex min-h-0 flex-1">
        <div className="flex min-w-0 flex-1 flex-col border-r border-joint">
          <div ref={body} className="min-h-0 flex-1 overflow-y-auto">
            {where === "brought" && !alike && (
              <BroughtIn
                doing={bringing.doing}
                last={bringing.last}
                sets={sets ?? []}
                sources={brought ?? []}
                onTake={(files) => void bringing.take(files)}
                onBegin={(stem, roles) => void begin(stem, roles)}
              />
            )}
            {where === "game" && !game && (
              <div className="px-8">
                <Empty title="No game folder">
                  <div className="flex flex-col gap-3">
                    <ProblemNote error={missing} />
                    <FolderForm project={project} root="" />
                  </div>
                </Empty>
              </div>
            )}
            {found.error && <div className="p-4"><ProblemNote error={found.error} /></div>}
            {here && here.entries > 0 && total === 0 && !alike && !found.isPending && (
              <div className="px-8">
                <Empty title={reading ? "Reading the game folder" : "Nothing found"}>
                  {reading
                    ? "Files show here as soon as they are read."
                    : others > 0
                      ? "No picture fits; other files do. They are listed with the button below."
                      : "Try fewer letters, or another name. Words may stand in any order."}
                </Empty>
              </div>
            )}
            {total > 0 && layout === "courses" && (
              <Courses label={where === "game" ? "Things in the game" : "Things brought in"} things={courses} selected={current?.id ?? null} marked={new Set(marked.keys())} onSelect={select} />
            )}
            {total > 0 && layout === "sheet" && where === "brought" && !alike && (
              <Cards
                entries={entries}
                sourceOf={sourceOf}
                selected={current?.id ?? null}
                onSelect={(entry) => { select(entry, false); }}
                onBegin={(one) => void beginOne(one)}
              />
            )}
            {layout === "sheet" && (where === "game" || alike) && (
              <ContactSheet entries={entries} selected={current?.id ?? null} marked={new Set(marked.keys())} onSelect={select} />
            )}
            {total > 0 && layout === "list" && (
              <EntryList
                entries={entries}
                selected={current?.id ?? null}
                marked={new Set(marked.keys())}
                onSelect={select}
                sort={search.sort}
                down={search.down}
                onSort={(sort) => { set({ sort, down: search.sort === sort && !search.down }); }}
              />
            )}
            {!alike && found.hasNextPage && <More onSeen={() => void found.fetchNextPage()} />}
          </div>
          <Foot
            project={project}
            game={where === "game" ? game : null}
            onSeveral={() => several.current?.click()}
            layout={
              <Choice
                label="Layout"
                value={layout}
                options={[["courses", "Courses"], ["sheet", "Contact sheet"], ["list", "List"]] as const}
                onChoose={(next) => { setLayouts({ ...layouts, [where]: next }); }}
              />
            }
          >
            <span>{total} files{layout === "courses" ? `, ${String(count)} things` : ""}</span>
            {others > 0 && !search.kind && !alike && (
              <button
                type="button"
                className="underline"
                title="Files that are no pictures and belong to none"
                onClick={() => { set({ others: !search.others }); }}
              >
                {search.others ? `Hide ${String(others)} others` : `${String(others)} others, not shown`}
              </button>
            )}
          </Foot>
        </div>
        <aside className="flex w-[392px] shrink-0 flex-col max-xl:w-[330px]" aria-label="Preview">
          <div className="flex h-8 shrink-0 items-center gap-3 border-b border-joint px-3">
            <Choice
              label="Panel"
              value={panel}
              options={[["file", "This file"], ["ours", `Ours in the game ${String(standing.length)}`]] as const}
              onChoose={setPanel}
            />
            {standing.length > 0 && (
              <Button look="bare" keyName="O" hint="Switches all places at once" disabled={switching} onClick={() => void showOurs(originals)}>
                {switching ? "Switching" : originals ? "Show ours" : "Show originals"}
              </Button>
            )}
          </div>
          <div className="min-h-0 flex-1">
            {panel === "ours" && game && (
              <Ours
                game={game.id}
                onFind={(path) => {
                  setSelected(null);
                  set({ words: path });
                  setPanel("file");
                }}
              />
            )}
            {panel === "file" && current && (
              <Preview
                entry={current}
                source={source}
                onGo={(entry) => { select(entry, false); }}
                onMarker={(entry) => void putMarker(entry)}
                actions={
                  <FileActions
                    known={current.role !== ""}
                    marked={marked.has(current.id)}
                    takeWords={takeWords}
                    mayTake={!taking && (marked.size > 0 || current.role !== "")}
                    onBegin={source && (() => void beginOne(source))}
                    onTake={() => void take()}
                    onReplace={() => upload.current?.click()}
                    onMark={() => { mark(current); }}
                    onAlike={() => void like(current)}
                  />
                }
              />
            )}
          </div>
        </aside>
      </div>
      <input
        ref={upload}
        type="file"
        className="hidden"
        aria-label="Picture for this place"
        onChange={(event) => {
          const file = event.target.files?.[0];
          if (file && current) setPutting({ entry: current, file });
          event.target.value = "";
        }}
      />
      <input
        ref={several}
        type="file"
        multiple
        className="hidden"
        aria-label="Edited pictures to put back"
        onChange={(event) => {
          setPutting({ files: [...(event.target.files ?? [])] });
          event.target.value = "";
        }}
      />
      {game && putting && (
        <PutBack
          game={game.id}
          putting={putting}
          onClose={(done) => {
            setPutting(null);
            if (done) setPanel("ours");
          }}
        />
      )}
    </div>
  );
}
