import { entryPicture, type Entry } from "@/api/games";

/** A size in a few signs: a square by one side. */
export function sized(entry: Entry): string {
  if (entry.width === 0) return "";
  return entry.width === entry.height ? `${String(entry.width)}²` : `${String(entry.width)} × ${String(entry.height)}`;
}

/** What a file is within its thing, in a word. */
export function worded(entry: Entry): string {
  const role = entry.role ? entry.role.charAt(0).toUpperCase() + entry.role.slice(1) : entry.kind;
  switch (entry.relation) {
    case "smaller":
      return entry.reason.includes("half") ? "Half" : entry.reason.includes("quarter") ? "Quarter" : "Smaller";
    case "twin":
      return "Twin";
    case "backup":
      return "Kept copy";
    case "icon":
      return "Icon";
    case "variant":
      return entry.variant ? entry.variant.charAt(0).toUpperCase() + entry.variant.slice(1) : "Variant";
    case "companion":
      return "Beside it";
    default:
      return role;
  }
}

export function Thumb({ entry, longest = 128, className = "" }: { entry: Entry; longest?: number; className?: string }) {
  if (entry.width === 0 || !entry.role) {
    return (
      <span className={`flex items-center justify-center bg-mortar/60 text-fine text-ink-2 ${className}`}>
        {entry.problem ? "cannot be read" : entry.kind}
      </span>
    );
  }
  return (
    <img
      src={entryPicture(entry, longest)}
      alt=""
      loading="lazy"
      draggable={false}
      className={`checks block object-cover ${className}`}
    />
  );
}
