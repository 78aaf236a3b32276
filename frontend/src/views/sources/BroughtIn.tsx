import { useQuery } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { useLocation } from "wouter";
import { bringAll, filesOf, pasted, type Brought, type Source } from "@/api/bringing";
import { api, got, type Role, type Schemas } from "@/api/client";
import type { Search } from "@/api/games";
import { queries, useKnowledge, useSources } from "@/api/queries";
import { ROLES } from "@/app/address";
import { Button } from "@/parts/Button";
import { bytes } from "@/parts/figures";
import { Hint } from "@/parts/Hint";
import { ProblemNote } from "@/parts/ProblemNote";
import { Verdict } from "@/parts/Verdict";

type SourceSet = Schemas["SourceSet"];

/** Files that came in from elsewhere, kept byte for byte: what each is, what it is for, and which belong together. */
export function BroughtIn({ project, search }: { project: string; search: Search }) {
  const { data, error } = useSources(project);
  const { data: sets } = useQuery({
    queryKey: ["source-sets", project],
    queryFn: () => got(api.GET("/api/projects/{project_id}/source-sets", { params: { path: { project_id: project } } })),
  });
  const [, navigate] = useLocation();
  const [doing, setDoing] = useState("");
  const [last, setLast] = useState<Brought | null>(null);
  const [problem, setProblem] = useState<unknown>(null);
  const file = useRef<HTMLInputElement>(null);
  const folder = useRef<HTMLInputElement>(null);

  const take = useCallback(
    async (files: File[]) => {
      if (files.length === 0) return;
      setProblem(null);
      setLast(null);
      setLast(
        await bringAll(project, files, (done) => {
          setDoing(`Bringing in ${String(done + 1)} of ${String(files.length)}`);
        }),
      );
      setDoing("");
    },
    [project],
  );
  useEffect(() => {
    const paste = (event: ClipboardEvent) => {
      const files = pasted(event.clipboardData);
      if (files.length > 0) void take(files);
    };
    window.addEventListener("paste", paste);
    return () => {
      window.removeEventListener("paste", paste);
    };
  }, [take]);
  const begin = async (stem: string, roles: Partial<Record<Role, string>>) => {
    setProblem(null);
    try {
      const params = { path: { project_id: project } };
      const made = await got(api.POST("/api/projects/{project_id}/source-sets", { params, body: { stem, roles } }));
      void queries.invalidateQueries({ queryKey: ["surfaces", project] });
      navigate(`/p/${project}/bench/${made.id}?map=colour&stage=steps`);
    } catch (failed) {
      setProblem(failed);
    }
  };
  if (error) return <div className="p-6"><ProblemNote error={error} /></div>;
  if (!data) return <div className="h-full" aria-busy />;
  const shown = data.filter((source) => fits(source, search));
  const known = new Map(data.map((source) => [source.id, source]));
  return (
    <div
      className="flex min-h-full flex-col gap-3 p-3"
      onDragOver={(event) => { event.preventDefault(); }}
      onDrop={(event) => {
        event.preventDefault();
        event.stopPropagation();
        void filesOf(event.dataTransfer).then(take);
      }}
    >
      <div className="flex flex-wrap items-center gap-2 border border-dashed border-joint px-3 py-2 text-small text-ink-2">
        <span className="flex-1">{doing || "Drop pictures, folders or an archive here, or paste a picture. Every file is kept as it is."}</span>
        <Button className="h-6" onClick={() => file.current?.click()}>Choose files</Button>
        <Button className="h-6" look="bare" onClick={() => folder.current?.click()}>Choose a folder</Button>
      </div>
      <input
        ref={file}
        type="file"
        multiple
        className="hidden"
        aria-label="Pictures to bring in"
        onChange={(event) => {
          void take([...(event.target.files ?? [])]);
          event.target.value = "";
        }}
      />
      <input
        ref={(input) => {
          folder.current = input;
          input?.setAttribute("webkitdirectory", "");
        }}
        type="file"
        className="hidden"
        aria-label="Folder to bring in"
        onChange={(event) => {
          void take([...(event.target.files ?? [])]);
          event.target.value = "";
        }}
      />
      {problem !== null && <ProblemNote error={problem} onClose={() => { setProblem(null); }} />}
      {last && last.refused.length > 0 && (
        <section aria-label="Not brought in" className="border border-joint bg-ochre-wash px-3 py-2 text-small">
          <p>{last.sources.length} came in; {last.refused.length} did not:</p>
          <ul>
            {last.refused.map(({ name, problem: why }) => (
              <li key={name}>
                <span className="figures">{name}</span>: {why.message} {why.fix}
              </li>
            ))}
          </ul>
        </section>
      )}
      {sets && sets.length > 0 && (
        <section aria-label="Belong together">
          <h2 className="head pb-1">Belong together by name</h2>
          <ul className="flex flex-col">
            {sets.map((set) => (
              <SetRow key={set.stem} set={set} known={known} onBegin={() => void begin(set.stem, set.roles)} />
            ))}
          </ul>
        </section>
      )}
      <ul className="grid grid-cols-[repeat(auto-fill,minmax(232px,1fr))] gap-2" aria-label="Brought in">
        {shown.map((source) => (
          <Card key={source.id} source={source} onBegin={() => void begin(source.facts.stem || source.facts.name, { [source.facts.role ?? "colour"]: source.id })} />
        ))}
      </ul>
      {data.length > 0 && shown.length === 0 && <p className="text-ink-2">Nothing of what was brought in fits these words and filters.</p>}
    </div>
  );
}

/** Whether a source fits the words and filters that are set above the list. */
function fits({ facts }: Source, search: Search): boolean {
  const name = facts.name.toLowerCase();
  return (
    search.words.toLowerCase().split(/\s+/).every((word) => name.includes(word)) &&
    (search.role === "" || facts.role === search.role) &&
    (search.kind === "" || facts.kind === search.kind) &&
    (search.use === "" || facts.use === search.use) &&
    (search.alpha === "" || facts.alpha === search.alpha) &&
    Math.max(facts.width, facts.height) >= search.least
  );
}

/** One set: a place a map, so that what is missing is seen. */
function SetRow({ set, known, onBegin }: { set: SourceSet; known: Map<string, Source>; onBegin: () => void }) {
  const { data: knowledge } = useKnowledge();
  return (
    <li className="flex items-center gap-2 border-t border-mortar py-1.5">
      <span className="figures w-40 truncate" title={set.stem}>{set.stem}</span>
      {ROLES.filter((role) => role in set.roles || set.missing.includes(role)).map((role) => {
        const source = known.get((set.roles as Partial<Record<Role, string>>)[role] ?? "");
        const words = knowledge?.roles[role]?.title ?? role;
        return (
          <span key={role} className="flex items-center gap-1.5 pr-2 text-small">
            {source ? (
              <img src={`/api/sources/${source.id}/picture.png`} alt="" className="checks h-8 w-8 object-cover" />
            ) : (
              <span className="h-8 w-8 border border-dashed border-joint" aria-hidden />
            )}
            <span className={source ? "" : "text-ink-2"}>{source ? words : `no ${words.toLowerCase()}`}</span>
          </span>
        );
      })}
      <Button className="ml-auto h-6" onClick={onBegin}>Start this surface</Button>
    </li>
  );
}

function Card({ source, onBegin }: { source: Source; onBegin: () => void }) {
  const { facts } = source;
  const { data: knowledge } = useKnowledge();
  const role = facts.role ? (knowledge?.roles[facts.role]?.title ?? facts.role) : "";
  return (
    <li className="flex flex-col border border-mortar p-1.5">
      <img src={`/api/sources/${source.id}/picture.png`} alt="" loading="lazy" className="checks h-36 w-full object-cover" />
      <p className="figures truncate pt-1" title={facts.name}>{facts.name}</p>
      <p className="text-fine text-ink-2">
        {facts.width} × {facts.height} {facts.block_format?.toUpperCase() ?? facts.kind.toUpperCase()}, {facts.channels} × {facts.bits} bit, {bytes(facts.bytes)}
      </p>
      {role && (
        <Hint text={`${facts.role_reason}. ${facts.use === "icon" ? `An icon rather than a surface: ${facts.use_reason}.` : ""}`}>
          <p className="text-small">
            {facts.use === "icon" ? "Icon" : role}, <span className="text-ink-2">{Math.round(facts.role_confidence * 100)} % sure</span>
          </p>
        </Hint>
      )}
      {facts.unusual.map((words) => (
        <Verdict key={words} finding={{ level: "look", words, fix: "" }} />
      ))}
      <Button className="mt-auto h-6 self-start" look="bare" onClick={onBegin}>Start a surface</Button>
    </li>
  );
}
