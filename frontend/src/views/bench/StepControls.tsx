import { useRef } from "react";
import { PICTURES } from "@/api/bringing";
import type { Edit, Schemas, Stage } from "@/api/client";
import { bring, useFacts } from "@/api/queries";
import { Picker } from "@/parts/Picker";
import type { Values } from "@/parts/SchemaForm";
import type { ControlsProps } from "./controlsProps";
import { noStrokes } from "./maskShapes";
import { isDrawn } from "./PencilPart";
import { isPlaced } from "./placing";
import { refOf } from "./Reads";
import { RecipeMenu } from "./RecipeMenu";
import { readable, StepCard } from "./StepCard";
import { TileScores } from "./TileScores";
import { fresh } from "./ways";

type StepInfo = Schemas["StepInfo"];

/** The steps of a map in order, each with a form made from its parameters' own description. */
export function StepControls({
  project,
  surface,
  map,
  knowledge,
  stage,
  change,
  look,
  onProblem,
  ...chosen
}: ControlsProps & {
  project: string;
  /** Before the map has its size, or on the texels of its finished size. */
  stage: "steps" | "finish";
  look: (edit: Edit, map: string, stage: Stage) => void;
  onProblem: (problem: unknown) => void;
  /** The step whose picture has its handles shown in the flat view. */
  chosenStep: string | null;
  onChooseStep: (step: string | null) => void;
  chosenMask: string | null;
  onChooseMask: (mask: string | null) => void;
}) {
  const facts = useFacts(surface.keys[map.id]?.steps, "steps");
  const finish = stage === "finish";
  const kinds = knowledge.steps.filter((s) => s.roles.includes(map.role) && (s.mixes || !finish));
  const steps = map.steps.filter((s) => s.finish === finish);
  const begin = (kind: StepInfo, params: Values) => {
    const step = { ...fresh(kind, params), finish };
    change({ kind: "add_step", map: map.id, step, before: null });
    if (isPlaced(step.params) || isDrawn(step)) chosen.onChooseStep(step.id);
  };
  return (
    <div className="flex flex-col">
      {finish && (
        <p className="pb-1 text-small text-ink-2">
          Works on the texels of {map.size.width} × {map.size.height}: stripes, palettes and touching up stay as they are drawn
        </p>
      )}
      {steps.map((step, place) => (
        <StepCard
          key={step.id}
          project={project}
          surface={surface}
          map={map}
          knowledge={knowledge}
          stage={stage}
          steps={steps}
          step={step}
          place={place}
          kinds={kinds}
          kept={facts.data?.kept ?? ""}
          change={change}
          look={look}
          onProblem={onProblem}
          {...chosen}
        />
      ))}
      {!finish && facts.data?.scores && (
        <TileScores
          scores={facts.data.scores}
          finding={facts.data.finding}
          onRepair={(culprits) => {
            const spots = culprits.map(({ x, y, radius }) => ({ x, y, radius: Math.min(0.25, radius) }));
            change({ kind: "repair_spots", map: map.id, spots });
          }}
        />
      )}
      <div className="mt-1 flex items-center gap-2">
        <AddStep
          project={project}
          maps={surface.document.maps}
          map={map}
          knowledge={knowledge}
          kinds={kinds}
          begin={begin}
          onProblem={onProblem}
        />
        <RecipeMenu project={project} surface={surface} map={map} knowledge={knowledge} change={change} onProblem={onProblem} />
      </div>
    </div>
  );
}

/** The list of steps that suit a map, under what they are for. */
function AddStep({
  project,
  maps,
  map,
  knowledge,
  kinds,
  begin,
  onProblem,
}: {
  project: string;
  maps: ControlsProps["surface"]["document"]["maps"];
  map: ControlsProps["map"];
  knowledge: ControlsProps["knowledge"];
  kinds: StepInfo[];
  begin: (kind: StepInfo, params: Values) => void;
  onProblem: (problem: unknown) => void;
}) {
  const file = useRef<HTMLInputElement>(null);
  const wanted = useRef<StepInfo | null>(null);
  const needed = (kind: StepInfo, what: string) =>
    Object.entries(kind.reads).find(([field, read]) => read === what && requiredBy(kind, field))?.[0];
  // Of several ways to one end the first is offered; the others are chosen on the step.
  const firsts = kinds.filter((s, n) => s.family === "" || kinds.findIndex((other) => other.family === s.family) === n);
  const offered = firsts.filter(
    (s) =>
      s.name !== "patch_spots" && s.makes.length === 0 && (!needed(s, "map") || readable(maps, map.id, knowledge, s).length > 0),
  );
  const groups = [...new Set(offered.map((s) => s.group))];
  const withFile = async (files: FileList | null) => {
    const kind = wanted.current;
    const field = kind && needed(kind, "picture");
    const chosen = files?.[0];
    if (kind && field && chosen) begin(kind, { [field]: refOf(await bring(project, chosen)) });
  };
  return (
    <>
      <input
        ref={file}
        type="file"
        className="hidden"
        aria-label="Picture to lay over"
        accept={PICTURES}
        onChange={(event) => {
          withFile(event.target.files).catch(onProblem);
          event.target.value = "";
        }}
      />
      <Picker
        label="Add a step"
        className="flex-1 justify-center"
        options={groups.flatMap((group) =>
          offered
            .filter((s) => s.group === group)
            .map((s) => ({
              value: s.name,
              title: s.family === "tile" ? "Tiling" : s.title,
              hint: s.family === "tile" ? "Joins opposite edges" : s.hint,
              group,
            })),
        )}
        onPick={(name) => {
          const kind = offered.find((s) => s.name === name);
          if (!kind) return;
          const [picture, other] = [needed(kind, "picture"), needed(kind, "map")];
          wanted.current = kind;
          const strokes = needed(kind, "strokes");
          if (picture) file.current?.click();
          else if (strokes) {
            noStrokes().then((drawing) => {
              begin(kind, { [strokes]: drawing });
            }, onProblem);
          }
          else begin(kind, other ? { [other]: { map: readable(maps, map.id, knowledge, kind)[0]?.id ?? "" } } : {});
        }}
      />
    </>
  );
}

function requiredBy(kind: StepInfo, field: string): boolean {
  return ((kind.parameters["required"] ?? []) as string[]).includes(field);
}
