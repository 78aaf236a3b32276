import { useSearch } from "wouter";
import { useCallback } from "react";
import type { Stage } from "@/api/client";

export type Column = Exclude<Stage, "raw"> | "output";
export const COLUMNS: readonly Column[] = ["source", "steps", "size", "finish", "compress", "output"];

/** Which map at which stage the bench shows: kept in the address, so that a reload returns to it. */
export function useCell(): [string, Column, (map: string, column: Column) => void] {
  const search = new URLSearchParams(useSearch());
  const map = search.get("map") ?? "colour";
  const column = COLUMNS.find((c) => c === search.get("stage")) ?? "compress";
  const go = useCallback((nextMap: string, nextColumn: Column) => {
    const address = new URL(window.location.href);
    address.searchParams.set("map", nextMap);
    address.searchParams.set("stage", nextColumn);
    window.history.replaceState(null, "", address);
  }, []);
  return [map, column, go];
}
