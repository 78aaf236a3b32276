import { useEffect, useState, type ReactNode } from "react";
import { createPortal } from "react-dom";

/** What a view puts into the bar at the top. */
export function BarActions({ children }: { children: ReactNode }) {
  const [place, setPlace] = useState<HTMLElement | null>(null);
  useEffect(() => {
    setPlace(document.getElementById("bar-actions"));
  }, []);
  return place ? createPortal(children, place) : null;
}
