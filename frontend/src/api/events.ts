import type { SurfaceView } from "./client";
import { queries, renew } from "./queries";

/** What the server tells when something was written, by this page or by anybody. */
interface Change {
  documents: { id: string; kind: keyof typeof LISTS; project: string; revision: number; moves: number }[];
}

/** What is asked for anew when a document of a kind has moved; the list of its kind first. */
const LISTS = {
  surface: ["surfaces", "materials", "deliveries", "history"],
  material: ["materials", "material", "surfaces", "deliveries", "history"],
  delivery: ["deliveries", "surfaces", "history"],
  project: ["projects", "surfaces", "history"],
} as const;

const WAIT_MS = 100;
const due = new Set<string>();
let waiting = false;

/** Listen to what changes, for as long as the page is open. After the server was away, all is asked for anew. */
export function listen() {
  const source = new EventSource("/events");
  let away = false;
  source.onerror = () => {
    away = true;
  };
  source.onopen = () => {
    if (away) void queries.invalidateQueries();
    away = false;
  };
  source.onmessage = ({ data }: MessageEvent<string>) => {
    const { documents } = JSON.parse(data) as Change;
    for (const document of documents) {
      for (const list of LISTS[document.kind]) due.add(list);
      if (document.kind === "surface") due.add(`surface ${document.id} ${String(document.moves)}`);
    }
    if (!waiting) ask();
  };
}

/** Ask for what is due once no change of this page is under way: each waits for the lists that it renews itself. */
function ask() {
  waiting = queries.isMutating() > 0;
  if (waiting) {
    setTimeout(ask, WAIT_MS);
    return;
  }
  for (const key of due) {
    const [list = "", id, moves] = key.split(" ");
    const known = id === undefined ? undefined : queries.getQueryData<SurfaceView>([list, id]);
    // Of a change that this page has made itself, it has the answer.
    if (known && known.moves >= Number(moves)) continue;
    void renew(id === undefined ? [list] : [list, id]);
  }
  due.clear();
}
