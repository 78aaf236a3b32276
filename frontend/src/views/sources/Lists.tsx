import type { Entry, Sort } from "@/api/games";
import { bytes } from "@/parts/figures";
import { sized, Thumb, worded } from "./cells";

interface Props {
  entries: Entry[];
  selected: number | null;
  marked: ReadonlySet<number>;
  onSelect: (entry: Entry, marking: boolean) => void;
}

/** Many small pictures. */
export function ContactSheet({ entries, selected, marked, onSelect }: Props) {
  return (
    <ul className="grid grid-cols-[repeat(auto-fill,minmax(116px,1fr))] gap-1 p-2" aria-label="Contact sheet">
      {entries.map((entry) => (
        <li key={entry.id}>
          <button
            type="button"
            data-entry={entry.id}
            aria-pressed={entry.id === selected}
            title={entry.path}
            className={`block w-full border-2 p-1 text-left -outline-offset-2 ${entry.id === selected ? "border-verdigris bg-lime" : "border-transparent hover:bg-lime"}`}
            onClick={(event) => {
              onSelect(entry, event.ctrlKey || event.metaKey);
            }}
          >
            <Thumb entry={entry} className="aspect-square w-full" />
            <span className="figures block truncate pt-1">
              {marked.has(entry.id) ? "✓ " : ""}
              {entry.name}
            </span>
            <span className="narrow block truncate text-fine text-ink-2">
              {worded(entry)} {sized(entry)}
            </span>
          </button>
        </li>
      ))}
    </ul>
  );
}

const HEADS: readonly (readonly [sort: Sort | null, words: string, side?: "right"])[] = [
  ["name", "Name"],
  ["place", "Place"],
  ["role", "Role"],
  [null, "Standing"],
  ["kind", "Kind"],
  ["format", "Format"],
  ["area", "Size", "right"],
  ["levels", "Levels", "right"],
  ["alpha", "Alpha"],
  ["size", "Bytes", "right"],
];

/** All files by any column. */
export function EntryList({
  entries,
  selected,
  marked,
  onSelect,
  sort,
  down,
  onSort,
}: Props & { sort: Sort; down: boolean; onSort: (sort: Sort) => void }) {
  return (
    <table className="w-full" aria-label="Files in the game">
      <thead className="sticky top-0 z-10 bg-plaster">
        <tr className="head border-b-2 border-mortar [&>th]:px-2 [&>th]:py-1.5">
          {HEADS.map(([key, words, side]) => (
            <th
              key={words}
              aria-sort={key === sort ? (down ? "descending" : "ascending") : undefined}
              className={side === "right" ? "text-right" : ""}
            >
              {key ? (
                <button type="button" className="hover:text-ink" onClick={() => { onSort(key); }}>
                  {words}
                  {key === sort ? (down ? " ↓" : " ↑") : ""}
                </button>
              ) : (
                words
              )}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {entries.map((entry) => (
          <tr
            key={entry.id}
            data-entry={entry.id}
            aria-selected={entry.id === selected}
            className={`cursor-default border-b border-mortar [&>td]:px-2 [&>td]:py-[3px] ${entry.id === selected ? "bg-verdigris-wash shadow-[inset_3px_0_0_var(--verdigris)]" : "hover:bg-lime"}`}
            onClick={(event) => {
              onSelect(entry, event.ctrlKey || event.metaKey);
            }}
          >
            <td className="figures max-w-[200px] truncate">
              {marked.has(entry.id) ? "✓ " : ""}
              {entry.name}
              {entry.human && <span className="block truncate font-sans text-fine text-ink-2">{entry.human}</span>}
            </td>
            <td className="figures max-w-[180px] truncate text-ink-2">{entry.place}</td>
            <td>{entry.role || "–"}</td>
            <td>{worded(entry)}</td>
            <td>{entry.kind}</td>
            <td className="figures">{entry.format.toUpperCase()}</td>
            <td className="figures text-right whitespace-nowrap">{sized(entry)}</td>
            <td className="figures text-right">{entry.levels || ""}</td>
            <td>{entry.width ? entry.alpha : ""}</td>
            <td className="figures text-right whitespace-nowrap">{bytes(entry.bytes)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
