import { useState, type ReactNode } from "react";
import { Link } from "wouter";
import { api, got, type Schemas } from "@/api/client";
import { renew, useDeliveries, useFacts, useKnowledge, useProjects, useSurfaces } from "@/api/queries";
import { gameChanged } from "@/api/games";
import { useChanging } from "@/api/changing";
import { UndoRedo } from "@/app/UndoRedo";
import { Button } from "@/parts/Button";
import { bytes, when } from "@/parts/figures";
import { Empty } from "@/parts/Empty";
import { JobStrip } from "@/parts/JobStrip";
import { ProblemNote } from "@/parts/ProblemNote";
import { Swatch } from "@/parts/Swatch";
import { Density } from "@/parts/Density";
import { Tick } from "@/parts/Tick";
import { useKeptJob } from "@/parts/useKeptJob";
import { Verdict } from "@/parts/Verdict";
import { InstallPlan } from "@/parts/InstallPlan";

type DeliveryView = Schemas["DeliveryView"];
type Part = Schemas["PartView"];
type Target = Schemas["Target"];

const CHANGES: Record<string, Schemas["Finding"]> = {
  same: { level: "good", words: "as built", fix: "" },
  changed: { level: "look", words: "changed since", fix: "" },
  new: { level: "look", words: "new", fix: "" },
};

/** What else says whether it is delivered. */
const SHOWN_ELSEWHERE = ["surfaces", "surface"];

/** Deliveries: what goes in, what changed, and the way into the game and out again. */
export function Deliveries({ project }: { project: string }) {
  const { data: deliveries, error } = useDeliveries(project);
  const { data: projects } = useProjects();
  const [chosen, setChosen] = useState<string | null>(null);
  const [problem, setProblem] = useState<unknown>(null);
  const here = projects?.find((p) => p.id === project);
  const refresh = () => {
    for (const list of ["deliveries", ...SHOWN_ELSEWHERE]) void renew([list]);
  };
  const begin = async (target: Target) => {
    try {
      setProblem(null);
      const names = new Set(deliveries?.map((d) => d.document.name));
      const name = names.has("first") ? `first_${target.name}` : "first";
      const title = names.has("first") ? `For ${target.title}`.slice(0, 80) : "First delivery";
      const body = { title, name, target: target.name, surfaces: [] };
      setChosen((await got(api.POST("/api/projects/{project_id}/deliveries", { params: { path: { project_id: project } }, body }))).id);
      refresh();
    } catch (failed) {
      setProblem(failed);
    }
  };
  if (error) return <div className="p-6"><ProblemNote error={error} /></div>;
  if (!deliveries || !here) return <div className="h-full" aria-busy />;
  const shown = deliveries.find((d) => d.id === chosen) ?? deliveries.find((d) => d.document.target === here.target.name) ?? deliveries[0];
  if (!shown) {
    return (
      <Empty title="No delivery yet">
        <p className="mb-3">A delivery holds the surfaces that go to the game together.</p>
        {problem !== null && <ProblemNote error={problem} />}
        <Button look="solid" onClick={() => void begin(here.target)}>Start a delivery</Button>
      </Empty>
    );
  }
  const lacking = here.targets.filter((t) => !deliveries.some((d) => d.document.target === t.name));
  return (
    <One key={shown.id} project={here} delivery={shown} refresh={refresh}>
      {problem !== null && <ProblemNote error={problem} />}
      {deliveries.length > 1 && (
        <label className="mb-2 flex flex-col gap-1 text-small">
          Delivery
          <select
            value={shown.id}
            className="h-7 rounded-sm border border-joint bg-lime px-1"
            onChange={(event) => {
              setChosen(event.target.value);
            }}
          >
            {deliveries.map((d) => (
              <option key={d.id} value={d.id}>{d.document.title}</option>
            ))}
          </select>
        </label>
      )}
      {lacking.map((target) => (
        <Button key={target.name} className="mb-2" onClick={() => void begin(target)}>Start one for {target.title}</Button>
      ))}
    </One>
  );
}

interface OneProps {
  project: Schemas["ProjectView"];
  delivery: DeliveryView;
  refresh: () => void;
  children: ReactNode;
}

function One({ project: { id: project, put_into, game_folder }, delivery, refresh, children }: OneProps) {
  const { data: surfaces } = useSurfaces(project);
  const [job, setJob] = useKeptJob(delivery.id);
  const [problem, setProblem] = useState<unknown>(null);
  const [planning, setPlanning] = useState(false);
  const { error, mutate, reset } = useChanging("deliveries", delivery.id, SHOWN_ELSEWHERE);
  const params = { path: { delivery_id: delivery.id } };
  const attempt = async (work: () => Promise<unknown>) => {
    setProblem(null);
    try {
      await work();
      refresh();
    } catch (failed) {
      setProblem(failed);
    }
  };
  const build = () => attempt(async () => { setJob((await got(api.POST("/api/deliveries/{delivery_id}/build", { params }))).id); });
  const install = () => attempt(async () => { setJob((await got(api.POST("/api/deliveries/{delivery_id}/install", { params }))).id); });
  const withdraw = () => attempt(async () => { setJob((await got(api.POST("/api/deliveries/{delivery_id}/withdraw", { params }))).id); });
  const choose = (id: string, on: boolean) => {
    mutate(({ revision: base, document: now }) => {
      const others = now.surfaces.filter((s) => s !== id);
      const document = { ...now, surfaces: on ? [...others, id] : others };
      return got(api.PUT("/api/deliveries/{delivery_id}", { params, body: { base, document } }));
    });
  };
  const moved = { path: { document_id: delivery.id } };
  const undo = () => { mutate(({ revision: base }) => got(api.POST("/api/documents/{document_id}/undo", { params: moved, body: { base } }))); };
  const redo = () => { mutate(({ revision: base }) => got(api.POST("/api/documents/{document_id}/redo", { params: moved, body: { base } }))); };
  const { data: knowledge } = useKnowledge();
  const target = knowledge?.targets.find((t) => t.name === delivery.document.target);
  const loose = target?.installs === "files";
  const newest = delivery.builds[0];
  const pending = delivery.parts.filter((p) => p.change !== "same").length;
  return (
    <div className="flex h-full">
      <UndoRedo undo={delivery.undo} redo={delivery.redo} onUndo={undo} onRedo={redo} />
      <aside aria-label="Surfaces in it" className="w-[220px] shrink-0 overflow-y-auto border-r border-joint p-3.5">
        {children}
        <h2 className="font-semibold">{delivery.document.title}</h2>
        <p className="figures text-ink-2">{delivery.document.name}</p>
        <p className="mb-3 text-small text-ink-2">for {target?.title ?? delivery.document.target}</p>
        <p className="head mb-1">Surfaces in it</p>
        {surfaces?.length === 0 && (
          <p className="text-small text-ink-2">
            There is no surface yet. <Link href={`/p/${project}/surfaces`} className="underline">Start one</Link>
          </p>
        )}
        <ul className="flex flex-col">
          {surfaces?.map((surface) => (
            <li key={surface.id} className="border-t border-mortar">
              <Tick
                className="flex items-center gap-2 py-1"
                checked={delivery.document.surfaces.includes(surface.id)}
                onChange={(on) => { choose(surface.id, on); }}
              >
                <Swatch contentKey={surface.keys.colour} alt="" size={28} />
                <span className="min-w-0">
                  <span className="block truncate">{surface.title}</span>
                  <span className="narrow block truncate text-fine">
                    <Density project={project} texels={surface.width} metres={surface.metres} />
                  </span>
                </span>
              </Tick>
            </li>
          ))}
        </ul>
      </aside>
      <div className="min-w-0 flex-1 overflow-auto">
        {delivery.parts.length === 0 && <div className="px-8"><Empty title="Nothing in it yet">Tick a surface at the left.</Empty></div>}
        <table className="w-full">
          <thead className="sticky top-0 bg-plaster">
            <tr className="head border-b-2 border-mortar [&>th]:px-2.5 [&>th]:py-1.5">
              <th className="w-12"><span className="sr-only">Picture</span></th>
              <th>File in the game</th><th>Surface</th><th>Format</th><th className="text-right">Size</th><th className="text-right">Bytes</th><th className="w-32">Since the last build</th>
            </tr>
          </thead>
          <tbody>
            {delivery.parts.map((part) => (
              <PartRow key={part.path} project={project} part={part} into={loose && put_into ? `${put_into}/` : ""} />
            ))}
          </tbody>
        </table>
      </div>
      <aside aria-label="Build and install" className="flex w-[310px] shrink-0 flex-col gap-3 overflow-y-auto border-l border-joint bg-lime p-3.5">
        <h2 className="font-semibold">Into the game</h2>
        {problem !== null && <ProblemNote error={problem} onClose={() => { setProblem(null); }} />}
        {error && <ProblemNote error={error} onClose={reset} />}
        {job && <JobStrip id={job} onDone={() => { setJob(null); gameChanged(); refresh(); }} onClose={() => { setJob(null); refresh(); }} />}
        <div className="flex gap-2">
          <Button look={pending ? "solid" : "line"} disabled={job !== null || delivery.parts.length === 0} onClick={() => void build()}>Build</Button>
          <Button
            look={pending ? "line" : "solid"}
            disabled={job !== null || !newest}
            hint={loose ? "A plan is shown first" : "In one stroke, beside the game's own files"}
            onClick={() => {
              if (loose && game_folder) setPlanning(true);
              else void install();
            }}
          >
            Install
          </Button>
          <Button
            disabled={job !== null || delivery.standing.state === "out"}
            hint={loose ? "Every byte that was replaced comes back, and what is new goes" : "The game's own files show again; nothing of theirs was changed"}
            onClick={() => void withdraw()}
          >
            Take out
          </Button>
        </div>
        <Verdict finding={
          !newest ? { level: "look", words: "Not built yet", fix: "" }
          : pending ? { level: "look", words: `${pending} file${pending === 1 ? "" : "s"} changed since build ${newest.number}`, fix: "Build again." }
          : delivery.standing.state === "changed" ? { level: "fault", words: delivery.standing.words, fix: "Install it again, or take it out." }
          : newest.installed ? { level: "good", words: `Build ${newest.number} is in the game`, fix: "" }
          : { level: "look", words: `Build ${newest.number} is not installed`, fix: "Install it." }
        } withFix />
        {loose ? (
          <p className="text-small text-ink-2">
            Its files go into <span className="figures break-all">{put_into || "the game folder itself"}</span>; where exactly is asked before
            anything is written. What stands there is kept in the safe first, so taking the delivery out gives every byte back.
            {!game_folder && <> No game folder is registered yet: <Link href={`/p/${project}/sources`} className="underline">choose it on Sources</Link></>}
          </p>
        ) : (
          <p className="text-small text-ink-2">
            A delivery is put beside the game&apos;s own files in one stroke. They are never changed, so taking it out restores the game.
            {target?.room && <>{" "}<Link href={`/p/${project}/game`} className="underline">See the room</Link></>}
          </p>
        )}
        <h3 className="head mt-2">Builds, newest first</h3>
        <ul>
          {delivery.builds.map((build) => <BuildRow key={build.id} build={build} name={delivery.document.name} newest={build === newest} />)}
        </ul>
      </aside>
      {planning && (
        <InstallPlan
          project={project}
          delivery={delivery.id}
          onClose={() => {
            setPlanning(false);
            refresh();
          }}
        />
      )}
    </div>
  );
}

function PartRow({ project, part, into }: { project: string; part: Part; into: string }) {
  const { data: knowledge } = useKnowledge();
  const { data: facts } = useFacts(part.key, "compress");
  const change = CHANGES[part.change];
  return (
    <tr className="border-b border-mortar [&>td]:px-2.5 [&>td]:py-1 hover:bg-lime">
      <td><Swatch contentKey={part.key} alt="" size={30} longest={96} /></td>
      <td className="figures"><span className="text-ink-2">{into}</span>{part.path}</td>
      <td>
        <Link
          href={part.map ? `/p/${project}/bench/${part.surface_id}?map=${part.map}&stage=output` : `/p/${project}/materials`}
          className="hover:underline"
        >
          {part.title}
        </Link>
      </td>
      <td className={part.map ? "figures" : "text-ink-2"}>{part.map ? (knowledge?.formats[part.format ?? "bc1"]?.title ?? "") : "definition"}</td>
      <td className="figures text-right whitespace-nowrap">{part.map ? `${String(part.width)} × ${String(part.height)}` : ""}</td>
      <td className="figures text-right whitespace-nowrap">{!part.map ? "" : facts?.bytes ? bytes(facts.bytes) : "…"}</td>
      <td>{part.faults > 0 ? <Verdict finding={{ level: "fault", words: "the target refuses it", fix: "" }} /> : change && <Verdict finding={change} />}</td>
    </tr>
  );
}

function BuildRow({ build, name, newest }: { build: Schemas["BuildView"]; name: string; newest: boolean }) {
  return (
    <li className="border-t border-mortar py-1.5 text-small">
      <div className="flex justify-between">
        <span className="font-semibold">Build {build.number}</span>
        <span className="figures">{bytes(build.bytes)}</span>
      </div>
      <div className="flex justify-between text-ink-2">
        <span>
          {build.files} files{build.installed ? ", in the game" : ""}
        </span>
        <time dateTime={build.created}>{when(build.created)}</time>
      </div>
      {newest && (
        <a href={`/api/builds/${build.id}/archive.zip`} download={`${name}-${String(build.number)}.zip`} className="inline-block min-h-6 underline">
          Save as archive
        </a>
      )}
    </li>
  );
}
