import { useSearch } from "wouter";
import { useCallback } from "react";
import type { Role, Stage } from "@/api/client";

export const ROLES: readonly Role[] = ["colour", "normal", "specular", "height", "alpha"];
export type Column = Exclude<Stage, "raw"> | "output";
export const COLUMNS: readonly Column[] = ["source", "steps", "size", "compress", "output"];

/** Which map at which stage the bench shows: kept in the address, so that a reload returns to it. */
export function useCell(): [Role, Column, (role: Role, column: Column) => void] {
  const search = new URLSearchParams(useSearch());
  const role = ROLES.find((r) => r === search.get("map")) ?? "colour";
  const column = COLUMNS.find((c) => c === search.get("stage")) ?? "compress";
  const go = useCallback((nextRole: Role, nextColumn: Column) => {
    const address = new URL(window.location.href);
    address.searchParams.set("map", nextRole);
    address.searchParams.set("stage", nextColumn);
    window.history.replaceState(null, "", address);
  }, []);
  return [role, column, go];
}
