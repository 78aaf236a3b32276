import { useEffect, useRef } from "react";

/** Fetches the next part of a long list as soon as its end comes into sight. */
export function More({ onSeen }: { onSeen: () => void }) {
  const end = useRef<HTMLDivElement>(null);
  const seen = useRef(onSeen);
  useEffect(() => {
    seen.current = onSeen;
  });
  useEffect(() => {
    if (!end.current) return;
    const watcher = new IntersectionObserver((hits) => {
      if (hits.some((hit) => hit.isIntersecting)) seen.current();
    });
    watcher.observe(end.current);
    return () => { watcher.disconnect(); };
  }, []);
  return <div ref={end} role="status" className="p-4 text-center text-small text-ink-2">More…</div>;
}
