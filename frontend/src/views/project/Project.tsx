import { Link } from "wouter";
import { api, got, type Schemas } from "@/api/client";
import { renew, useActions, useDeliveries, useKnowledge, useMaterials, useProjects, useSurfaces } from "@/api/queries";
import { useChanging } from "@/api/changing";
import { UndoRedo } from "@/app/UndoRedo";
import { HistoryList } from "@/parts/HistoryList";
import { ProblemNote } from "@/parts/ProblemNote";
import { SchemaForm } from "@/parts/SchemaForm";
import { chooseTargets } from "@/parts/ShownTarget";
import { Tick } from "@/parts/Tick";
import { when } from "@/parts/figures";

type ProjectView = Schemas["ProjectView"];

/** What has controls of its own, or is chosen on another view. */
const OWN = ["targets", "game_folder"];

/** The project itself: what it is called, what it is for, and all that was done in it. */
export function Project({ project }: { project: string }) {
  const { data: projects, error } = useProjects();
  const { data: knowledge } = useKnowledge();
  const here = projects?.find((p) => p.id === project);
  if (error) return <div className="p-6"><ProblemNote error={error} /></div>;
  // All at once, so that nothing moves from under the pointer.
  if (!projects || !here || !knowledge) return <div className="h-full" aria-busy />;
  return (
    <div className="flex h-full">
      <Settings here={here} knowledge={knowledge} others={projects.filter((p) => p.id !== project)} />
      <Actions project={project} />
    </div>
  );
}

/** What goes by a project's settings. */
const GOES_BY_THEM = ["surface", "surfaces", "materials", "deliveries", "actions", "history"];

function refresh() {
  for (const list of ["projects", ...GOES_BY_THEM]) void renew([list]);
}

function Settings({ here, knowledge, others }: { here: ProjectView; knowledge: Schemas["Knowledge"]; others: ProjectView[] }) {
  const { error, mutate, reset } = useChanging("projects", here.id, GOES_BY_THEM);
  const params = { path: { document_id: here.id } };
  const own = { path: { project_id: here.id } };
  const change = (part: Partial<Schemas["Settings"]>) => {
    mutate(({ revision: base, settings: now }) => {
      const settings = { ...now, ...part };
      return got(api.PUT("/api/projects/{project_id}", { params: own, body: { base, settings } }));
    });
  };
  const choose = (pick: (names: string[]) => string[]) => {
    mutate(async (now) => {
      const next = pick(now.targets.map((t) => t.name));
      if (next.length > 0) await chooseTargets(here.id, next);
    });
  };
  const names = here.targets.map((t) => t.name);
  return (
    <section aria-label="Settings" className="flex w-[360px] shrink-0 flex-col gap-4 overflow-y-auto border-r border-joint bg-lime p-4">
      <UndoRedo
        undo={here.undo}
        redo={here.redo}
        onUndo={() => { mutate(({ revision: base }) => got(api.POST("/api/documents/{document_id}/undo", { params, body: { base } }))); }}
        onRedo={() => { mutate(({ revision: base }) => got(api.POST("/api/documents/{document_id}/redo", { params, body: { base } }))); }}
      />
      {error && <ProblemNote error={error} onClose={reset} />}
      <h2 className="font-semibold">Settings</h2>
      <SchemaForm
        schema={knowledge.forms["Settings"] ?? {}}
        values={here.settings}
        skip={OWN}
        onSettle={change}
      />
      <fieldset className="flex flex-col gap-2 text-small">
        <legend className="mb-1">For these games</legend>
        {knowledge.targets.map((target) => (
          <div key={target.name}>
            <Tick
              checked={names.includes(target.name)}
              onChange={(on) => {
                choose((chosen) => [...chosen.filter((n) => n !== target.name), ...(on ? [target.name] : [])]);
              }}
            >
              {target.title}
              {target.name === here.target.name && " (shown)"}
            </Tick>
            <p className="pl-6 text-ink-2">{target.hint}</p>
            {names.includes(target.name) && target.name !== here.target.name && (
              <button
                type="button"
                className="min-h-6 pl-6 underline"
                onClick={() => { choose((chosen) => [target.name, ...chosen.filter((n) => n !== target.name)]); }}
              >
                Show this one
              </button>
            )}
          </div>
        ))}
      </fieldset>
      <p className="text-small">
        Game folder{" "}
        {here.game_folder ? <span className="figures" title={here.game_folder}>{here.game_folder.split(/[\\/]/).pop()}</span> : <span className="text-ink-2">none yet</span>}
        {" "}
        <Link href={`/p/${here.id}/sources`} className="underline">{here.game_folder ? "Change it on Sources" : "Choose it on Sources"}</Link>
      </p>
      <HistoryList id={here.id} revision={here.revision} moves={here.revision} onMoved={refresh} />
      <h2 className="mt-2 font-semibold">Projects</h2>
      <ul className="text-small">
        {others.map((other) => (
          <li key={other.id} className="border-t border-mortar py-1">
            <Link href={`/p/${other.id}/surfaces`} className="underline">{other.title}</Link>{" "}
            <span className="text-ink-2">for {other.target.title}</span>
          </li>
        ))}
        <li className="border-t border-mortar py-1">
          <Link href="/start" className="underline">Start another project</Link>
        </li>
      </ul>
    </section>
  );
}

function Actions({ project }: { project: string }) {
  const { data: actions, error } = useActions(project);
  const { data: surfaces } = useSurfaces(project);
  const { data: materials } = useMaterials(project);
  const { data: deliveries } = useDeliveries(project);
  const titles = new Map<string, string>();
  for (const material of materials ?? []) titles.set(material.id, material.document?.title ?? "");
  for (const surface of surfaces ?? []) titles.set(surface.id, surface.title);
  for (const delivery of deliveries ?? []) titles.set(delivery.id, delivery.document.title);
  const places: Record<string, (id: string) => string> = {
    surface: (id) => `/p/${project}/bench/${id}`,
    material: () => `/p/${project}/materials`,
    delivery: () => `/p/${project}/deliveries`,
  };
  if (error) return <div className="p-6"><ProblemNote error={error} /></div>;
  return (
    <section aria-label="What was done" className="min-w-0 flex-1 overflow-auto">
      <table className="w-full">
        <caption className="sr-only">All that was done in this project, newest first</caption>
        <thead className="sticky top-0 bg-plaster">
          <tr className="head border-b-2 border-mortar [&>th]:px-3.5 [&>th]:py-1.5">
            <th className="w-44">When</th><th>What was done, newest first</th><th>To</th><th className="w-40">Now</th>
          </tr>
        </thead>
        <tbody>
          {actions?.map((action) => (
            <tr key={action.id} className={`border-b border-mortar align-top [&>td]:px-3.5 [&>td]:py-1.5 ${action.in_force ? "" : "text-ink-2"}`}>
              <td className="figures whitespace-nowrap"><time dateTime={action.created}>{when(action.created)}</time></td>
              <td>{action.words}</td>
              <td className="text-small">
                {action.documents.map((document) => {
                  const place = places[document.kind];
                  const words = titles.get(document.id) ?? "the project";
                  return (
                    <span key={document.id} className="mr-3 inline-block">
                      <span className="text-ink-2">{document.kind === "project" ? "" : `${document.kind} `}</span>
                      {place ? <Link href={place(document.id)} className="underline">{words}</Link> : words}
                    </span>
                  );
                })}
              </td>
              <td className="text-small">{action.in_force ? "in force" : "undone"}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
