import { useEffect, useRef } from "react";

/** Every key of the application, in the order of the sheet that lists them. */
export const KEY_SHEET: readonly (readonly [keys: string, words: string])[] = [
  ["Z", "Undo"],
  ["Shift Z", "Redo"],
  ["Space", "Hold for the source beside the result"],
  ["1 2 4 8", "Repeat the flat view so many times"],
  ["S", "Seam lines on and off"],
  ["G", "Put the surface in the game"],
  ["/", "On Sources: find"],
  ["T", "On Sources: take it into the project, or start a surface with it"],
  ["L", "On Sources: find what looks alike"],
  ["P", "Put back into the game"],
  ["X", "On Sources: mark for taking several"],
  ["O", "Switch the game between ours and the originals"],
  ["W", "Put out a working file"],
  ["Arrows", "On the course sheet: move between maps and stages"],
  ["Arrows", "On the light view: move the light"],
  ["+ −", "On a view: nearer and farther"],
  ["0", "On a view: as it was"],
  ["?", "This sheet"],
];

/** Whether a key goes into what has the focus, rather than to the view. */
function takesKey(target: EventTarget | null, key: string): boolean {
  if (!(target instanceof HTMLElement)) return false;
  const ticked = target instanceof HTMLInputElement && target.type === "checkbox";
  if (!ticked && ["INPUT", "SELECT", "TEXTAREA"].includes(target.tagName)) return true;
  // Space presses what can be pressed; a cell of the course sheet is pressed by going there.
  const pressed = ticked || target.closest("button, a, summary, [role=slider]") !== null;
  return key === " " && pressed && target.dataset["cell"] === undefined;
}

/** Listen for single keys; typing into a field is left alone. */
export function useKeys(bindings: Record<string, (event: KeyboardEvent) => void>) {
  const latest = useRef(bindings);
  useEffect(() => {
    latest.current = bindings;
  });
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (takesKey(event.target, event.key) || event.altKey || event.repeat) return;
      const letter = event.key === " " ? "Space" : event.key.length === 1 ? event.key.toLowerCase() : event.key;
      const held = event.shiftKey && /^[a-z]$/.test(letter) ? `Shift ${letter}` : letter;
      const plain = (event.ctrlKey || event.metaKey) && letter !== "z" ? undefined : latest.current[held];
      if (!plain) return;
      event.preventDefault();
      plain(event);
    };
    window.addEventListener("keydown", onKey);
    return () => {
      window.removeEventListener("keydown", onKey);
    };
  }, []);
}
