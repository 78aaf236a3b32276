import { useRef } from "react";
import type { Brought, Source } from "@/api/bringing";
import type { Role, Schemas } from "@/api/client";
import type { Entry } from "@/api/games";
import { useKnowledge } from "@/api/queries";
import { Button } from "@/parts/Button";
import { bytes } from "@/parts/figures";
import { Verdict } from "@/parts/Verdict";
import { Thumb } from "./cells";

type SourceSet = Schemas["SourceSet"];

interface Props {
  doing: string;
  last: Brought | null;
  sets: SourceSet[];
  sources: Source[];
  onTake: (files: File[]) => void;
  onBegin: (stem: string, roles: Partial<Record<Role, string>>) => void;
}

/** Where files come in from elsewhere, what did not come in, and which belong together. */
const NO_SURFACE: Record<string, string> = { icon: "Icon", sheet: "Sheet of several pictures", card: "Card with shapes cut out" };

export function BroughtIn({ doing, last, sets, sources, onTake, onBegin }: Props) {
  const file = useRef<HTMLInputElement>(null);
  const folder = useRef<HTMLInputElement>(null);
  const known = new Map(sources.map((source) => [source.id, source]));
  return (
    <div className="flex flex-col gap-3 p-3 pb-0">
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
          onTake([...(event.target.files ?? [])]);
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
          onTake([...(event.target.files ?? [])]);
          event.target.value = "";
        }}
      />
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
      {sets.length > 0 && (
        <section aria-label="Belong together">
          <h2 className="head pb-1">Belong together by name</h2>
          <ul className="flex flex-col">
            {sets.map((set) => (
              <SetRow
                key={set.stem}
                set={set}
                known={known}
                onBegin={() => {
                  onBegin(set.stem, set.roles);
                }}
              />
            ))}
          </ul>
        </section>
      )}
    </div>
  );
}

/** One set: a place a map, so that what is missing is seen. */
function SetRow({ set, known, onBegin }: { set: SourceSet; known: Map<string, Source>; onBegin: () => void }) {
  const { data: knowledge } = useKnowledge();
  return (
    <li className="flex items-center gap-2 border-t border-mortar py-1.5">
      <span className="figures w-40 truncate" title={set.stem}>{set.stem}</span>
      {(Object.keys(knowledge?.roles ?? {}) as Role[]).filter((role) => role in set.roles || set.missing.includes(role)).map((role) => {
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

/** What came in, each with what it is and what is unusual about it. */
export function Cards({
  entries,
  sourceOf,
  selected,
  onSelect,
  onBegin,
}: {
  entries: Entry[];
  sourceOf: (entry: Entry) => Source | null;
  selected: number | null;
  onSelect: (entry: Entry) => void;
  onBegin: (source: Source) => void;
}) {
  return (
    <ul className="grid grid-cols-[repeat(auto-fill,minmax(200px,1fr))] gap-2 p-3" aria-label="Brought in">
      {entries.map((entry) => (
        <Card
          key={entry.id}
          entry={entry}
          source={sourceOf(entry)}
          chosen={entry.id === selected}
          onSelect={() => {
            onSelect(entry);
          }}
          onBegin={onBegin}
        />
      ))}
    </ul>
  );
}

function Card({
  entry,
  source,
  chosen,
  onSelect,
  onBegin,
}: {
  entry: Entry;
  source: Source | null;
  chosen: boolean;
  onSelect: () => void;
  onBegin: (source: Source) => void;
}) {
  const { data: knowledge } = useKnowledge();
  const facts = source?.facts;
  const role = facts?.role ? (knowledge?.roles[facts.role]?.title ?? facts.role) : "";
  return (
    <li className={`flex flex-col border-2 ${chosen ? "border-verdigris bg-lime" : "border-mortar"}`}>
      <button
        type="button"
        data-entry={entry.id}
        aria-pressed={chosen}
        className="flex flex-1 flex-col p-1.5 text-left -outline-offset-2"
        onClick={onSelect}
      >
        <Thumb entry={entry} longest={320} className="h-32 w-full" />
        <span className="figures block truncate pt-1" title={entry.path}>{entry.path}</span>
        {facts && (
          <span className="block text-fine text-ink-2">
            {sizeAndForm(facts)}, {bytes(facts.bytes)}
          </span>
        )}
        {facts && role && (
          <span className="block text-small">
            {NO_SURFACE[facts.use] ?? role}, <span className="text-ink-2">{Math.round(facts.role_confidence * 100)} % sure</span>
          </span>
        )}
        {facts?.unusual.map((words) => (
          <Verdict key={words} finding={{ level: "look", words, fix: "" }} />
        ))}
      </button>
      {source && (
        <Button
          className="m-1.5 mt-0 h-6 self-start"
          look="bare"
          onClick={() => {
            onBegin(source);
          }}
        >
          Start a surface
        </Button>
      )}
    </li>
  );
}

/** What a source's file holds, in a few signs. */
export function sizeAndForm(facts: Source["facts"]): string {
  const form = facts.block_format?.toUpperCase() ?? facts.kind.toUpperCase();
  return `${String(facts.width)} × ${String(facts.height)} ${form}, ${String(facts.channels)} × ${String(facts.bits)} bit`;
}
