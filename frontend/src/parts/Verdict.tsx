import type { Finding } from "@/api/client";
import { FaultIcon, GoodIcon, LookIcon } from "./icons";

const LOOKS = {
  good: ["text-verdigris", GoodIcon],
  look: ["text-ochre", LookIcon],
  fault: ["text-madder", FaultIcon],
} as const;

/** A finding: icon, word and colour together. */
export function Verdict({ finding, withFix = false }: { finding: Finding; withFix?: boolean }) {
  const [tint, Icon] = LOOKS[finding.level];
  return (
    <span className={`narrow inline-flex min-w-0 items-center gap-1 text-fine ${tint}`}>
      <Icon />
      <span className={withFix ? "" : "truncate"}>
        {finding.words}
        {withFix && finding.fix && <span className="text-ink-2">. {finding.fix}</span>}
      </span>
    </span>
  );
}
