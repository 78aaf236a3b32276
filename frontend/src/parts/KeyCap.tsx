/** A key, as it is shown beside what it does. */
export function KeyCap({ name }: { name: string }) {
  return (
    <kbd className="figures rounded-sm border border-current/40 border-b-2 px-1 leading-[14px] opacity-80">{name}</kbd>
  );
}
