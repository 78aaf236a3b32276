import type { Edit, Schemas, Stage, SurfaceView } from "@/api/client";
import type { Column } from "@/app/address";
import { CompressControls } from "./CompressControls";
import type { Framing } from "./FrameControls";
import type { Inspected } from "./losses";
import { MapChecks } from "./MapChecks";
import { OutputControls } from "./OutputControls";
import { SizeControls } from "./SizeControls";
import { SourceControls } from "./SourceControls";
import { StepControls } from "./StepControls";

interface Props {
  project: string;
  surface: SurfaceView;
  map: string;
  column: Column;
  knowledge: Schemas["Knowledge"];
  change: (edit: Edit) => void;
  look: (edit: Edit, map: string, stage: Stage) => void;
  drop: (files: FileList, onto: string) => Promise<void>;
  framing: Framing;
  onFraming: (framing: Framing) => void;
  chosenStep: string | null;
  onChooseStep: (step: string | null) => void;
  chosenMask: string | null;
  onChooseMask: (mask: string | null) => void;
  inspected: Inspected;
  onInspect: (inspected: Inspected) => void;
  onProblem: (problem: unknown) => void;
}

const HEADS: Record<Column, string> = {
  source: "Source",
  steps: "Steps",
  size: "Size",
  finish: "Finish",
  compress: "Compress",
  output: "Output",
};

/** The controls of the chosen cell. */
export function Controls({
  project,
  surface,
  map: id,
  column,
  knowledge,
  change,
  look,
  drop,
  framing,
  onFraming,
  chosenStep,
  onChooseStep,
  chosenMask,
  onChooseMask,
  inspected,
  onInspect,
  onProblem,
}: Props) {
  const map = surface.document.maps.find((m) => m.id === id);
  const words = map && knowledge.roles[map.role];
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
      <MapChecks surface={surface} map={id} change={change} />
      {column === "source" && <SourceControls {...common} project={project} drop={drop} framing={framing} onFraming={onFraming} onProblem={onProblem} />}
      {(column === "steps" || column === "finish") && (
        <StepControls
          key={column}
          {...common}
          stage={column}
          project={project}
          look={look}
          chosenStep={chosenStep}
          onChooseStep={onChooseStep}
          chosenMask={chosenMask}
          onChooseMask={onChooseMask}
          onProblem={onProblem}
        />
      )}
      {column === "size" && <SizeControls {...common} project={project} />}
      {column === "compress" && <CompressControls {...common} inspected={inspected} onInspect={onInspect} onProblem={onProblem} />}
      {column === "output" && <OutputControls {...common} />}
    </>
  );
}
