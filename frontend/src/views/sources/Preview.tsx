import { useEffect, useState, type ReactNode } from "react";
import type { Source } from "@/api/bringing";
import { api } from "@/api/client";
import { entryPicture, gameChanged, useEntry, type Entry } from "@/api/games";
import { Button } from "@/parts/Button";
import { Choice } from "@/parts/Choice";
import { ProblemNote } from "@/parts/ProblemNote";
import { LookIcon } from "@/parts/icons";
import { Verdict } from "@/parts/Verdict";
import { sizeAndForm } from "./BroughtIn";

const USES: Record<string, string> = {
  icon: "Why an icon",
  surface: "Why a surface",
  sheet: "Why a sheet",
  card: "Why a card",
};

const BACKDROPS = [
  ["grey", "Grey"],
  ["white", "White"],
  ["black", "Black"],
  ["checks", "Checks"],
] as const;
const CHANNELS = [
  ["all", "All"],
  ["r", "R"],
  ["g", "G"],
  ["b", "B"],
  ["a", "A"],
] as const;
type Backdrop = (typeof BACKDROPS)[number][0];
type Channel = (typeof CHANNELS)[number][0];

const GROUNDS: Record<Backdrop, string> = { grey: "bg-ground", white: "bg-[#fff]", black: "bg-[#000]", checks: "checks" };

/** Shows one channel as grey; alpha becomes opaque grey. */
const MATRICES: Record<Exclude<Channel, "all">, string> = {
  r: "1 0 0 0 0 1 0 0 0 0 1 0 0 0 0 0 0 0 0 1",
  g: "0 1 0 0 0 0 1 0 0 0 0 1 0 0 0 0 0 0 0 1",
  b: "0 0 1 0 0 0 0 1 0 0 0 0 1 0 0 0 0 0 0 1",
  a: "0 0 0 1 0 0 0 0 1 0 0 0 0 1 0 0 0 0 0 1",
};

const SHOWN: Record<string, string> = {
  world: "in the world",
  menu: "on a page of the game's own",
  loaded: "the game's log says that it was read",
  unknown: "unknown: pixels and names cannot tell",
};

function Line({ head, children }: { head: string; children: ReactNode }) {
  return (
    <>
      <dt className="text-ink-2">{head}</dt>
      <dd className="min-w-0 break-words">{children}</dd>
    </>
  );
}

interface Props {
  entry: Entry;
  /** What was brought in, if it is that and not a file of the game. */
  source: Source | null;
  actions: ReactNode;
  onGo: (entry: Entry) => void;
  onMarker: (entry: Entry) => void;
}

/** One file of the game, large, with all that is known of it. */
export function Preview({ entry, source, actions, onGo, onMarker }: Props) {
  const [backdrop, setBackdrop] = useState<Backdrop>("grey");
  const [channel, setChannel] = useState<Channel>("all");
  const [level, setLevel] = useState(0);
  useEffect(() => {
    setLevel(0);
  }, [entry.id]);
  const { data: more, error } = useEntry(entry.game_id, entry.id);
  const drawn = entry.width > 0 && entry.role !== "";
  const offered = more?.same_picture ?? [];
  return (
    <div className="flex h-full flex-col">
      <svg width="0" height="0" className="absolute" aria-hidden>
        {Object.entries(MATRICES).map(([name, values]) => (
          <filter key={name} id={`channel-${name}`} colorInterpolationFilters="sRGB">
            <feColorMatrix type="matrix" values={values} />
          </filter>
        ))}
      </svg>
      <div className="flex h-8 shrink-0 items-center gap-2 border-b border-joint px-3">
        <Choice label="Backdrop" value={backdrop} options={BACKDROPS} onChoose={setBackdrop} />
        <Choice label="Channels" value={channel} options={CHANNELS} onChoose={setChannel} />
      </div>
      <div className={`relative flex h-[42%] min-h-[220px] shrink-0 items-center justify-center overflow-hidden ${GROUNDS[backdrop]}`}>
        {drawn ? (
          <img
            key={entry.id}
            src={entryPicture(entry, level > 0 ? undefined : 768, level)}
            alt={`${entry.name}, level ${String(level)}`}
            draggable={false}
            className="h-full w-full object-contain [image-rendering:auto]"
            style={channel === "all" ? undefined : { filter: `url(#channel-${channel})` }}
          />
        ) : (
          <span className="px-6 text-center text-label-ink">{entry.problem || `A ${entry.kind} file: no picture`}</span>
        )}
          {entry.levels > 1 && (
          <label className="absolute right-2 bottom-2 flex items-center gap-1 rounded-sm bg-label/80 px-1.5 py-0.5 text-small text-label-ink">
            Level
            <input
              type="number"
              min={0}
              max={entry.levels - 1}
              value={level}
              className="figures h-[19px] w-11 border border-label-ink/40 bg-transparent px-1"
              onChange={(event) => {
                setLevel(Math.min(entry.levels - 1, Math.max(0, Number(event.target.value))));
              }}
            />
          </label>
        )}
      </div>
      <div className="min-h-0 flex-1 overflow-y-auto px-3.5 py-2.5">
        {error && <ProblemNote error={error} />}
        <h2 className="mb-1.5 font-semibold">{more?.line ?? entry.name}</h2>
        <dl className="grid grid-cols-[88px_1fr] gap-x-2 gap-y-1 text-small">
          <Line head="Name">
            <span className="figures">{entry.name}</span>
            {entry.human && <span className="text-ink-2"> · {entry.human}</span>}
          </Line>
          {!source && <Line head="Place"><span className="figures">{entry.place || "the folder itself"}{entry.index !== null ? `, entry ${String(entry.index)}` : ""}</span></Line>}
          {entry.role && <Line head={`Why ${entry.role}`}>{entry.role_reason}; {Math.round(entry.role_confidence * 100)} % sure</Line>}
          {entry.use && <Line head={USES[entry.use] ?? "Icon or surface"}>{entry.use_reason}</Line>}
          {entry.reason && <Line head="Standing">{entry.reason}</Line>}
          {source ? <OfSource facts={source.facts} /> : (
            <>
              {drawn && <Line head="Seen">{SHOWN[entry.shown] ?? entry.shown}</Line>}
              {more && <Line head="Its form">{more.contract}</Line>}
              {more?.refusal && <Line head="Put back"><span className="text-madder">{more.refusal}</span></Line>}
              {more && <Line head="In the safe">{more.kept}</Line>}
            </>
          )}
        </dl>
        {offered.length > 0 && (
          <div className="mt-2 border-t border-mortar pt-2 text-small">
            <p className="text-ochre">
              <LookIcon /> The same picture is also at
            </p>
            <ul>
              {offered.map((other) => (
                <li key={other.id}>
                  <button type="button" className="figures text-left break-all underline min-h-6" onClick={() => { onGo(other); }}>
                    {other.path}
                  </button>
                  {other.backup && <span className="text-ink-2"> (a kept copy)</span>}
                </li>
              ))}
            </ul>
          </div>
        )}
        {more && <OwnWords key={entry.id} entry={entry} inGame={!source} name={more.own_name} note={more.note} onMarker={onMarker} />}
      </div>
      <div className="flex shrink-0 flex-wrap items-center gap-1.5 border-t border-joint px-3 py-2.5">{actions}</div>
    </div>
  );
}

/** What a source's file is, and what is unusual about it. */
function OfSource({ facts }: { facts: Source["facts"] }) {
  return (
    <>
      <Line head="Its form">{sizeAndForm(facts)}{facts.mips > 1 ? `, ${String(facts.mips)} levels` : ""}</Line>
      <Line head="Colour">{facts.profile ?? { srgb: "sRGB", linear: "linear", unmarked: "no profile: taken as sRGB" }[facts.colour_space]}</Line>
      <Line head="Alpha">{{ none: "none", opaque: "there, but opaque all over", used: "used" }[facts.alpha]}</Line>
      {facts.unusual.length > 0 && (
        <Line head="Unusual">
          {facts.unusual.map((words) => (
            <Verdict key={words} finding={{ level: "look", words, fix: "" }} />
          ))}
        </Line>
      )}
    </>
  );
}

/** The artist's own name and note, and where the texture is seen. */
function OwnWords({ entry, inGame, name, note, onMarker }: { entry: Entry; inGame: boolean; name: string; note: string; onMarker: (entry: Entry) => void }) {
  const [words, setWords] = useState({ name, note });
  const [problem, setProblem] = useState<unknown>(null);
  const keep = async (changes: { name?: string; note?: string; shown?: "world" | "menu" | "" }) => {
    const next = { ...words, ...changes };
    setWords({ name: next.name, note: next.note });
    try {
      await api.PUT("/api/games/{game_id}/note", {
        params: { path: { game_id: entry.game_id } },
        body: { path: entry.path, name: next.name, note: next.note, shown: changes.shown ?? (entry.shown === "menu" || entry.shown === "world" ? entry.shown : "") },
      });
      gameChanged();
    } catch (failed) {
      setProblem(failed);
    }
  };
  return (
    <div className="mt-2 flex flex-col gap-1.5 border-t border-mortar pt-2 text-small">
      <label className="flex items-center gap-2">
        <span className="w-20 text-ink-2">Your name</span>
        <input
          defaultValue={name}
          className="h-6 flex-1 border border-joint bg-lime px-1.5"
          onBlur={(event) => {
            if (event.target.value !== words.name) void keep({ name: event.target.value });
          }}
        />
      </label>
      <label className="flex items-center gap-2">
        <span className="w-20 text-ink-2">Your note</span>
        <input
          defaultValue={note}
          className="h-6 flex-1 border border-joint bg-lime px-1.5"
          onBlur={(event) => {
            if (event.target.value !== words.note) void keep({ note: event.target.value });
          }}
        />
      </label>
      {inGame && entry.role !== "" && (
        <div className="flex items-center gap-2">
          <span className="w-20 text-ink-2">Seen</span>
          <Choice
            label="Where it is seen"
            value={entry.shown === "world" || entry.shown === "menu" ? entry.shown : "unknown"}
            options={[["unknown", "Unknown"], ["world", "World"], ["menu", "Menu"]] as const}
            onChoose={(shown) => void keep({ shown: shown === "unknown" ? "" : shown })}
          />
          <Button look="bare" hint="A loud picture with a code, to see in the game where this is shown" onClick={() => { onMarker(entry); }}>
            Marker
          </Button>
        </div>
      )}
      {problem !== null && <ProblemNote error={problem} />}
    </div>
  );
}
