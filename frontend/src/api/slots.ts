/**
 * Slots for requests that may take long: full renders for the views, the course sheet and its numbers.
 *
 * A browser opens six connections to a server. Were all of them waiting for full renders, what
 * follows a moving hand would wait behind them, and so would a press on Stop; so these share three.
 */
const MOST = 3;

let taken = 0;
const waiting: (() => void)[] = [];

/**
 * Call `begin` as soon as a slot is free; returns what gives the slot (or the place in line) back.
 * What is `ahead` goes before all that waits.
 */
export function takeSlot(begin: () => void, ahead = false): () => void {
  let state: "waiting" | "held" | "over" = "waiting";
  const start = () => {
    state = "held";
    taken += 1;
    begin();
  };
  if (taken < MOST) start();
  else if (ahead) waiting.unshift(start);
  else waiting.push(start);
  return () => {
    if (state === "held") {
      taken -= 1;
      waiting.shift()?.();
    } else if (state === "waiting") {
      waiting.splice(waiting.indexOf(start), 1);
    }
    state = "over";
  };
}

/** Do some work in a slot; work that is not wanted any more leaves the line. */
export function inSlot<T>(signal: AbortSignal | null, work: () => Promise<T>, ahead = false): Promise<T> {
  return new Promise((resolve, reject) => {
    let giveBack: (() => void) | null = null;
    const release = () => {
      giveBack?.();
    };
    giveBack = takeSlot(() => {
      // A slot that is free at once begins before `giveBack` is known, so it is asked for later.
      void Promise.resolve()
        .then(work)
        .then(resolve, reject)
        .finally(release);
    }, ahead);
    signal?.addEventListener("abort", () => {
      release();
      reject(new DOMException("Not wanted any more", "AbortError"));
    });
  });
}
