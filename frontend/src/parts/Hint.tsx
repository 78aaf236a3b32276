import * as Tooltip from "@radix-ui/react-tooltip";
import type { ReactNode } from "react";

/** A line of help on whatever it wraps. */
export function Hint({ text, children }: { text: string; children: ReactNode }) {
  return (
    <Tooltip.Root>
      <Tooltip.Trigger asChild>{children}</Tooltip.Trigger>
      <Tooltip.Portal>
        <Tooltip.Content
          sideOffset={4}
          className="z-50 max-w-64 rounded-sm bg-label px-2 py-1 text-small text-label-ink"
        >
          {text}
        </Tooltip.Content>
      </Tooltip.Portal>
    </Tooltip.Root>
  );
}
