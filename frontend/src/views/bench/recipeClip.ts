import { useSyncExternalStore } from "react";
import type { Schemas } from "@/api/client";

export type Recipe = Schemas["Recipe"];

const KEY = "stone-recipe";
const listeners = new Set<() => void>();
let read: { text: string | null; recipe: Recipe | null } = { text: null, recipe: null };

/** Copy a recipe: every map of every surface can take it, also in another tab. */
export function copyRecipe(recipe: Recipe): void {
  localStorage.setItem(KEY, JSON.stringify(recipe));
  for (const listener of listeners) listener();
}

/** The recipe that was copied last. */
export function useCopied(): Recipe | null {
  return useSyncExternalStore(
    (changed) => {
      listeners.add(changed);
      window.addEventListener("storage", changed);
      return () => {
        listeners.delete(changed);
        window.removeEventListener("storage", changed);
      };
    },
    () => {
      const text = localStorage.getItem(KEY);
      if (text !== read.text) read = { text, recipe: text === null ? null : (JSON.parse(text) as Recipe) };
      return read.recipe;
    },
  );
}
