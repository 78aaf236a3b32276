import type { Entry } from "@/api/games";
import { sized, Thumb, worded } from "./cells";

const COLUMNS = ["Colour", "Normal", "Specular", "More maps", "Other looks", "Smaller", "Same elsewhere"] as const;
type Column = (typeof COLUMNS)[number];

function columnOf(entry: Entry): Column {
  if (entry.relation === "smaller") return "Smaller";
  if (entry.relation === "twin" || entry.relation === "backup") return "Same elsewhere";
  if (entry.relation === "variant" || entry.relation === "icon") return "Other looks";
  if (entry.relation === "map" && entry.role === "colour") return "Colour";
  if (entry.relation === "map" && entry.role === "normal") return "Normal";
  if (entry.relation === "map" && entry.role === "specular") return "Specular";
  return "More maps";
}

export interface Thing {
  name: string;
  human: string;
  cells: Map<Column, Entry[]>;
}

/** Put entries, which come sorted by thing, into one course a thing. */
export function things(entries: Entry[]): Thing[] {
  const made = new Map<string, Thing>();
  for (const entry of entries) {
    const thing = made.get(entry.thing) ?? { name: entry.thing, human: "", cells: new Map<Column, Entry[]>() };
    thing.human ||= entry.relation === "map" ? entry.human : "";
    const column = columnOf(entry);
    // A thing that is nothing but an icon or a copy stands in its first column.
    thing.cells.set(column, [...(thing.cells.get(column) ?? []), entry]);
    made.set(entry.thing, thing);
  }
  return [...made.values()];
}

/** The order in which the arrow keys move: by course, then by column. */
export function inOrder(all: Thing[]): Entry[] {
  return all.flatMap((thing) => COLUMNS.flatMap((column) => thing.cells.get(column) ?? []));
}

interface Props {
  label: string;
  things: Thing[];
  selected: number | null;
  marked: ReadonlySet<number>;
  onSelect: (entry: Entry, marking: boolean) => void;
}

/** One course a thing, one column a role: the grammar of the course sheet, for a game's files. */
export function Courses({ label, things: all, selected, marked, onSelect }: Props) {
  return (
    <table className="w-full table-fixed" aria-label={label}>
      <thead className="sticky top-0 z-10 bg-plaster">
        <tr className="head [&>th]:border-r-2 [&>th]:border-b-2 [&>th]:border-mortar [&>th]:px-2.5 [&>th]:py-1.5">
          <th className="w-[132px]">Thing</th>
          {COLUMNS.map((column) => (
            <th key={column}>{column}</th>
          ))}
        </tr>
      </thead>
      <tbody>
        {all.map((thing) => {
          const here = [...thing.cells.values()].flat().some((e) => e.id === selected);
          return (
            <tr key={thing.name} className="h-[92px]">
              <th
                scope="row"
                className={`border-r-2 border-b-2 border-mortar px-2.5 align-middle ${here ? "bg-verdigris-wash shadow-[inset_3px_0_0_var(--verdigris)]" : ""}`}
              >
                <span className="block truncate font-semibold text-ink">
                  {thing.human || thing.name.charAt(0).toUpperCase() + thing.name.slice(1).replaceAll("_", " ")}
                </span>
                <span className="figures block truncate">{thing.name}</span>
              </th>
              {COLUMNS.map((column) => (
                <td key={column} className="border-r-2 border-b-2 border-mortar p-0.5 align-top">
                  <Cell
                    entries={thing.cells.get(column) ?? []}
                    selected={selected}
                    marked={marked}
                    onSelect={onSelect}
                  />
                </td>
              ))}
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

function Cell({ entries, selected, marked, onSelect }: Omit<Props, "things" | "label"> & { entries: Entry[] }) {
  const at = entries.findIndex((e) => e.id === selected);
  const entry = entries[Math.max(0, at)];
  if (!entry) return null;
  const more = entries.length > 1 ? ` · ${String(Math.max(0, at) + 1)} of ${String(entries.length)}` : "";
  return (
    <button
      type="button"
      data-entry={entry.id}
      aria-pressed={at >= 0}
      title={entry.path}
      className={`block h-[86px] w-full border-2 p-1 text-left -outline-offset-2 ${at >= 0 ? "border-verdigris bg-lime" : "border-transparent hover:bg-lime"}`}
      onClick={(event) => {
        // A second press on a cell of several goes to the next one.
        const next = at >= 0 ? entries[(at + 1) % entries.length] : entry;
        onSelect(next ?? entry, event.ctrlKey || event.metaKey);
      }}
    >
      <Thumb entry={entry} className="h-[44px] w-full" />
      <span className="narrow block truncate pt-0.5 text-fine">
        {marked.has(entry.id) ? "✓ " : ""}
        {worded(entry)}
        {entry.ours ? ", ours" : ""}
        {more}
      </span>
      <span className="narrow block truncate text-fine text-ink-2">
        {[sized(entry), entry.format.toUpperCase()].filter(Boolean).join(" ") || entry.name}
      </span>
    </button>
  );
}
