import { useEffect, useState, type ReactNode } from "react";

/** How long a tick that was not taken up stays before the truth shows again. */
const PATIENCE_MS = 2000;

/** A box to tick: it answers at once, and shows what was really set as soon as that is known. */
export function Tick({
  checked,
  onChange,
  className = "flex items-center gap-1.5 text-small",
  title,
  children,
}: {
  checked: boolean;
  onChange: (checked: boolean) => void;
  className?: string;
  title?: string | undefined;
  children: ReactNode;
}) {
  const [hoped, setHoped] = useState<boolean | null>(null);
  useEffect(() => {
    setHoped(null);
  }, [checked]);
  useEffect(() => {
    if (hoped === null) return;
    const timer = setTimeout(() => {
      setHoped(null);
    }, PATIENCE_MS);
    return () => {
      clearTimeout(timer);
    };
  }, [hoped]);
  return (
    <label className={className} title={title}>
      <input
        type="checkbox"
        className="accent-verdigris"
        checked={hoped ?? checked}
        onChange={(event) => {
          setHoped(event.target.checked);
          onChange(event.target.checked);
        }}
      />
      {children}
    </label>
  );
}
