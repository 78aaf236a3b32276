import type { Edit, Role, Schemas, Stage, SurfaceView } from "@/api/client";
import type { Column } from "@/app/address";
import { CompressControls } from "./CompressControls";
import type { Framing } from "./FrameControls";
import { OutputControls } from "./OutputControls";
import { SizeControls } from "./SizeControls";
import { SourceControls } from "./SourceControls";
import { StepControls } from "./StepControls";

interface Props {
  project: string;
  surface: SurfaceView;
  role: Role;
  column: Column;
  knowledge: Schemas["Knowledge"];
  change: (edit: Edit) => void;
  look: (edit: Edit, role: Role, stage: Stage) => void;
  drop: (files: FileList, onto: Role) => Promise<void>;
  framing: Framing;
  onFraming: (framing: Framing) => void;
}

const HEADS: Record<Column, string> = {
  source: "Source",
  steps: "Steps",
  size: "Size",
  compress: "Compress",
  output: "Output",
};

/** The controls of the chosen cell. */
export function Controls({ project, surface, role, column, knowledge, change, look, drop, framing, onFraming }: Props) {
  const map = surface.document.maps.find((m) => m.role === role);
  const words = knowledge.roles[role];
  if (!map || !words) return null;
  const common = { surface, map, knowledge, change };
  return (
    <>
      <header>
        <h2>
          <span className="font-semibold">{words.title}</span> <span className="text-ink-2">{HEADS[column]}</span>
        </h2>
        <p className="text-small text-ink-2">{words.hint}</p>
      </header>
      {column === "source" && <SourceControls {...common} project={project} drop={drop} framing={framing} onFraming={onFraming} />}
      {column === "steps" && <StepControls {...common} look={look} />}
      {column === "size" && <SizeControls {...common} project={project} />}
      {column === "compress" && <CompressControls {...common} />}
      {column === "output" && <OutputControls {...common} />}
    </>
  );
}
