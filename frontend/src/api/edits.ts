import type { Edit, Schemas, Surface, SurfaceMap } from "./client";

/** What is said of how a map leaves for a target; nothing, where all is as the target has it. */
export function outputOf(map: SurfaceMap, target: string): Schemas["Output"] {
  return map.outputs[target] ?? { format: null, green: null, name: null, delivered: null, quality: null, filter: null };
}

/**
 * An edit that was made on one state of a surface, for the state that has come meanwhile: what it changes is
 * changed, and the rest of the same step, mask, source, size or output stays as it is now. A field may be left by
 * pressing on another control, before the answer to the first change is there.
 */
export function carriedOver(edit: Edit, seen: Surface, now: Surface): Edit {
  const find = (surface: Surface, id: string) => surface.maps.find((m) => m.id === id);
  const both = <T>(wanted: T, of: (surface: Surface) => T | undefined): T => {
    const [before, after] = [of(seen), of(now)];
    return before === undefined || after === undefined ? wanted : (merged(before, wanted, after) as T);
  };
  switch (edit.kind) {
    case "set_step":
      return { ...edit, step: both(edit.step, (s) => find(s, edit.map)?.steps.find((one) => one.id === edit.step.id)) };
    case "set_mask":
      return { ...edit, mask: both(edit.mask, (s) => s.masks.find((one) => one.id === edit.mask.id)) };
    case "set_size":
      return { ...edit, size: both(edit.size, (s) => find(s, edit.map)?.size) };
    case "set_source":
      return {
        ...edit,
        origin: both(edit.origin, (s) => {
          const origin = find(s, edit.map)?.origin;
          return origin?.kind === "source" ? origin : undefined;
        }),
      };
    case "set_output":
      return {
        ...edit,
        output: both(edit.output, (s) => {
          const map = find(s, edit.map);
          return map && outputOf(map, edit.target);
        }),
      };
    default:
      return edit;
  }
}

type Plain = Record<string, unknown>;

function isPlain(value: unknown): value is Plain {
  return typeof value === "object" && value !== null && !Array.isArray(value);
}

/** What `wanted` changes of `seen`, done to `now`. */
function merged(seen: unknown, wanted: unknown, now: unknown): unknown {
  if (JSON.stringify(seen) === JSON.stringify(wanted)) return now;
  if (!isPlain(seen) || !isPlain(wanted) || !isPlain(now) || seen["kind"] !== wanted["kind"]) return wanted;
  return Object.fromEntries(Object.keys(wanted).map((key) => [key, merged(seen[key], wanted[key], now[key])]));
}
