import type { ReactNode } from "react";

function Icon({ children, label }: { children: ReactNode; label?: string | undefined }) {
  return (
    <svg
      viewBox="0 0 16 16"
      width="13"
      height="13"
      fill="none"
      stroke="currentColor"
      strokeWidth="1.5"
      className="inline-block shrink-0"
      {...(label ? { role: "img", "aria-label": label } : { "aria-hidden": true })}
    >
      {children}
    </svg>
  );
}

/** The mark: three dressed courses. */
export function Mark() {
  return (
    <svg viewBox="0 0 20 20" width="20" height="20" fill="none" stroke="currentColor" strokeWidth="1.5" aria-hidden>
      <path d="M7 2.5h6V7H7zM4 7h12v5H4zM1 12h18v5.5H1z" />
    </svg>
  );
}

/** All is well: a set stone. */
export const GoodIcon = () => (
  <Icon>
    <path d="M3 8.5l3.2 3.2L13 4.8" />
  </Icon>
);

/** Worth a look: a chipped corner. */
export const LookIcon = () => (
  <Icon>
    <path d="M8 2.5L14 13H2zM8 6.5v3M8 11v.6" />
  </Icon>
);

/** A fault: a crossed stone. */
export const FaultIcon = () => (
  <Icon>
    <path d="M2.5 2.5h11v11h-11zM5.5 5.5l5 5M10.5 5.5l-5 5" />
  </Icon>
);

export const EarlierIcon = () => (
  <Icon>
    <path d="M8 13V3M4 7l4-4 4 4" />
  </Icon>
);

export const LaterIcon = () => (
  <Icon>
    <path d="M8 3v10M4 9l4 4 4-4" />
  </Icon>
);

export const RemoveIcon = () => (
  <Icon>
    <path d="M4 4l8 8M12 4l-8 8" />
  </Icon>
);

export const SunIcon = () => (
  <Icon>
    <circle cx="8" cy="8" r="3" />
    <path d="M8 1v2M8 13v2M1 8h2M13 8h2M3 3l1.4 1.4M11.6 11.6L13 13M3 13l1.4-1.4M11.6 4.4L13 3" />
  </Icon>
);
