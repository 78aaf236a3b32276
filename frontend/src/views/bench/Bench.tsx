import { Suspense, useCallback, useEffect, useRef, useState } from "react";
import { useLocation } from "wouter";
import { api, got, type Edit, type Stage, type SurfaceView } from "@/api/client";
import { bring, renew, useEdit, useKnowledge, useSurface } from "@/api/queries";
import { useCell } from "@/app/address";
import { BarActions } from "@/app/BarActions";
import { useKeys } from "@/app/keys";
import { rememberSurface } from "@/app/Shell";
import { UndoRedo } from "@/app/UndoRedo";
import { Button } from "@/parts/Button";
import { JobStrip } from "@/parts/JobStrip";
import { ProblemNote } from "@/parts/ProblemNote";
import { PutPlan } from "@/parts/PutPlan";
import { opened } from "@/parts/opened";
import { useKeptJob } from "@/parts/useKeptJob";
import { InstallPlan } from "@/parts/InstallPlan";
import { Controls } from "./Controls";
import { CourseSheet } from "./CourseSheet";
import { NOT_FRAMING, type Framing } from "./FrameControls";
import { NOT_INSPECTED, type Inspected } from "./losses";
import { MaskPanel } from "./MaskPanel";
import type { Marker, MaskView } from "./maskShapes";
import { MaskStrip } from "./MaskStrip";
import { PENCIL, PencilContext } from "./pencil";
import { usePassing, type Passing } from "./passing";
import { useProposedWay } from "./ways";
import { Workfiles } from "./Workfiles";

// They bring what draws on the GPU along; the sheet and the controls are there before.
const FlatPane = opened(() => import("./FlatPane"), "FlatPane");
const LightPane = opened(() => import("./LightPane"), "LightPane");

/** One surface: two linked views above, the course sheet below, controls at the right. */
export function Bench({ project, id }: { project: string; id: string }) {
  const { data: surface, error } = useSurface(id);
  const pencil = useState(PENCIL);
  useEffect(() => {
    rememberSurface(id);
  }, [id]);
  if (error) {
    return (
      <div className="p-6">
        <ProblemNote error={error} />
      </div>
    );
  }
  if (!surface) return <div className="h-full bg-ground" aria-busy />;
  return (
    <PencilContext value={pencil}>
      <Laid project={project} surface={surface} />
    </PencilContext>
  );
}

function Laid({ project, surface }: { project: string; surface: SurfaceView }) {
  const { data: knowledge } = useKnowledge();
  const [cell, column, go] = useCell();
  const [, navigate] = useLocation();
  const [problem, setProblem] = useState<unknown>(null);
  const { edit, undo, redo } = useEdit(surface.id, setProblem);
  const shownPixels = useRef(0);
  const passing = usePassing(surface, shownPixels);
  const { over } = passing;
  const [job, setJob] = useKeptJob(surface.id);
  const [again, setAgain] = useState(0);
  const [putting, setPutting] = useState(false);
  const [installing, setInstalling] = useState<string | null>(null);
  const [framing, setFraming] = useState<Framing>(NOT_FRAMING);
  const [chosenStep, setChosenStep] = useState<string | null>(null);
  const [chosenMask, setChosenMask] = useState<string | null>(null);
  const [inspected, setInspected] = useState<Inspected>(NOT_INSPECTED);
  const [maskView, setMaskView] = useState<MaskView>({ shown: "outline", opacity: 0.5 });
  const [marker, setMarker] = useState<Marker>({ size: 0.06, soft: 0.4, takes: false });
  const maps = surface.document.maps;
  const map = (maps.find((m) => m.id === cell) ?? maps.find((m) => m.role === "colour") ?? maps[0])?.id ?? "";
  useEffect(() => {
    setChosenStep(null);
    setInspected(NOT_INSPECTED);
  }, [map, column]);
  const settled = !edit.isPending;
  useEffect(() => {
    // What was drawn ahead of the surface is let go once the surface has it, or has refused it.
    if (settled) setFraming((now) => (now.draft ? { ...now, draft: null } : now));
  }, [settled, surface.revision]);
  const inGame = surface.document.maps.some((m) => m.place !== null);

  const change = useCallback(
    (next: Edit) => {
      setProblem(null);
      edit.mutate({ edit: next, seen: surface }, { onSettled: over });
    },
    [edit, over, surface],
  );
  useProposedWay(surface, "colour", knowledge?.steps ?? [], change);
  const move = (step: typeof undo) => {
    setProblem(null);
    step.mutate();
  };
  const refresh = () => {
    for (const list of ["surface", "surfaces", "deliveries"]) void renew([list]);
  };
  const deliver = async () => {
    setProblem(null);
    try {
      const params = { path: { surface_id: surface.id } };
      setJob((await got(api.POST("/api/surfaces/{surface_id}/deliver", { params }))).id);
    } catch (failed) {
      setProblem(failed);
    }
  };
  const drop = async (files: FileList, onto: string) => {
    const file = files[0];
    if (!file) return;
    setProblem(null);
    try {
      const source = await bring(project, file);
      change({ kind: "set_origin", map: onto, origin: source.origin });
      go(onto, "source");
    } catch (failed) {
      setProblem(failed);
    }
  };
  useKeys({
    g: () => void deliver(),
    p: () => {
      if (inGame) setPutting(true);
    },
  });
  if (!knowledge) return <div className="h-full bg-ground" aria-busy />;
  const openMask = surface.document.masks.find((m) => m.id === chosenMask);
  const shown: Stage = column === "output" ? "compress" : column;
  return (
    <div
      className="flex h-full flex-col"
      onDragOver={(event) => {
        event.preventDefault();
      }}
      onDrop={(event) => {
        event.preventDefault();
        void drop(event.dataTransfer.files, map);
      }}
    >
      <UndoRedo
        undo={surface.undo}
        redo={surface.redo}
        said={surface.said}
        next={surface.revision}
        onUndo={() => {
          move(undo);
        }}
        onRedo={() => {
          move(redo);
        }}
      />
      <BarActions>
        {job && (
          <JobStrip
            id={job}
            onDone={({ result }) => {
              setJob(null);
              refresh();
              // Where files of the game would be replaced, the plan is seen first.
              if (result?.installed === false) setInstalling(String(result.delivery));
              else navigate(`/p/${project}/game`);
            }}
            onClose={() => {
              setJob(null);
            }}
          />
        )}
        <Button
          look={inGame ? "bare" : "solid"}
          keyName="G"
          disabled={job !== null}
          hint={
            inGame
              ? "As a delivery of its own beside the game's files, which stay as they are"
              : "Builds what changed and puts it in the game; where files of the game would be replaced, a plan is shown first"
          }
          onClick={() => void deliver()}
        >
          {inGame ? "As a delivery" : "Put in the game"}
        </Button>
        {inGame && (
          <Button
            look="solid"
            keyName="P"
            hint="Replaces the game's own file, in its very form and place; a plan is shown first, and the original is kept"
            onClick={() => {
              setPutting(true);
            }}
          >
            Put back
          </Button>
        )}
      </BarActions>
      <div className="flex min-h-0 flex-1">
        <div className="flex min-w-0 flex-1">
          <Suspense fallback={<div className="flex-1 bg-ground" aria-busy />}>
            <FlatPane
              surface={surface}
              map={map}
              stage={shown}
              passing={passing.now}
              framing={shown === "source" && framing.open ? framing : null}
              again={again}
              onFraming={setFraming}
              change={change}
              look={passing.look}
              chosenStep={shown === "steps" || shown === "finish" ? chosenStep : null}
              chosenMask={chosenMask}
              maskView={maskView}
              marker={marker}
              inspected={shown === "compress" ? inspected : NOT_INSPECTED}
              onInspect={setInspected}
              onProblem={setProblem}
              shownPixels={shownPixels}
            />
            <LightPane surface={surface} passing={passing.now} again={again} />
          </Suspense>
        </div>
        <aside
          aria-label="Controls"
          className="flex w-[292px] shrink-0 flex-col gap-3 overflow-y-auto border-l border-joint bg-lime px-3.5 py-2.5"
        >
          {problem !== null && (
            <ProblemNote
              error={problem}
              onClose={() => {
                setProblem(null);
              }}
            />
          )}
          {openMask && (
            <MaskPanel
              key={openMask.id}
              surface={surface}
              knowledge={knowledge}
              map={map}
              stage={shown === "finish" ? "finish" : "steps"}
              mask={openMask}
              view={maskView}
              onView={setMaskView}
              marker={marker}
              onMarker={setMarker}
              onDone={() => {
                setChosenMask(null);
              }}
              change={change}
              look={passing.look}
              onProblem={setProblem}
            />
          )}
          <Controls
            project={project}
            surface={surface}
            map={map}
            column={column}
            knowledge={knowledge}
            change={change}
            look={passing.look}
            drop={drop}
            framing={framing}
            onFraming={setFraming}
            chosenStep={chosenStep}
            onChooseStep={setChosenStep}
            chosenMask={chosenMask}
            onChooseMask={setChosenMask}
            inspected={inspected}
            onInspect={setInspected}
            onProblem={setProblem}
          />
          <Workfiles surface={surface} map={map} stage={shown} />
        </aside>
      </div>
      {putting && (
        <PutPlan
          name={`${surface.id}-${String(surface.revision)}`}
          title={`Put ${surface.document.title} back into the game`}
          plan={() => api.POST("/api/surfaces/{surface_id}/put-plan", { params: { path: { surface_id: surface.id } } })}
          put={(ticked) =>
            api.POST("/api/surfaces/{surface_id}/put", { params: { path: { surface_id: surface.id }, query: { ticked } } })
          }
          onClose={(done) => {
            setPutting(false);
            if (done) navigate(`/p/${project}/game`);
          }}
        />
      )}
      {installing && (
        <InstallPlan
          project={project}
          delivery={installing}
          onClose={(done) => {
            setInstalling(null);
            if (done) {
              refresh();
              navigate(`/p/${project}/game`);
            }
          }}
        />
      )}
      <CourseSheet
        surface={surface}
        knowledge={knowledge}
        map={map}
        column={column}
        go={go}
        drop={drop}
        change={change}
        turn={again}
        again={() => {
          setAgain((n) => n + 1);
        }}
      >
        <MaskStrip surface={surface} chosen={chosenMask} onChoose={setChosenMask} change={change} />
      </CourseSheet>
    </div>
  );
}

export type { Passing };
