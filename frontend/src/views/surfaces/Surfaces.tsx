import { useRef, useState } from "react";
import { Link, useLocation } from "wouter";
import { PICTURES } from "@/api/bringing";
import { api, got, type Schemas } from "@/api/client";
import { bring, renew, useSurfaces } from "@/api/queries";
import { BarActions } from "@/app/BarActions";
import { Button } from "@/parts/Button";
import { Density, WantedDensity } from "@/parts/Density";
import { Empty } from "@/parts/Empty";
import { ProblemNote } from "@/parts/ProblemNote";
import { Swatch } from "@/parts/Swatch";
import { Verdict } from "@/parts/Verdict";
import { StartSurface } from "./StartSurface";

type Summary = Schemas["SurfaceSummary"];

const STATES: Record<Summary["state"], Schemas["Finding"]> = {
  empty: { level: "look", words: "no source yet", fix: "" },
  draft: { level: "look", words: "draft, not built", fix: "" },
  built: { level: "look", words: "built, not installed", fix: "" },
  installed: { level: "good", words: "in the game", fix: "" },
  changed: { level: "look", words: "changed since build", fix: "" },
  unreadable: { level: "fault", words: "cannot be read", fix: "" },
};

/** The project's surfaces: large swatches of the finished colour, a strip of the other maps below. */
export function Surfaces({ project }: { project: string }) {
  const { data: surfaces, error } = useSurfaces(project);
  const [, navigate] = useLocation();
  const [starting, setStarting] = useState<File | "blank" | null>(null);
  const [problem, setProblem] = useState<unknown>(null);
  const file = useRef<HTMLInputElement>(null);

  const start = async (title: string, name: string, picture: File | null) => {
    setProblem(null);
    try {
      // A picture that cannot come in stops this before anything is made.
      const source = picture ? await bring(project, picture) : null;
      const params = { path: { project_id: project } };
      const made = await got(
        api.POST("/api/projects/{project_id}/surfaces", { params, body: { title, name } }),
      );
      if (source) {
        await got(
          api.POST("/api/surfaces/{surface_id}/edits", {
            params: { path: { surface_id: made.id } },
            body: { base: made.revision, edit: { kind: "set_origin", map: "colour", origin: source.origin } },
          }),
        );
      }
      setStarting(null);
      void renew(["surfaces", project]);
      navigate(`/p/${project}/bench/${made.id}?map=colour&stage=steps`);
    } catch (failed) {
      setProblem(failed);
    }
  };
  return (
    <div
      className="h-full overflow-y-auto"
      onDragOver={(event) => {
        event.preventDefault();
      }}
      onDrop={(event) => {
        event.preventDefault();
        const dropped = event.dataTransfer.files[0];
        if (dropped) setStarting(dropped);
      }}
    >
      <BarActions>
        <WantedDensity project={project} />
        <input
          ref={file}
          type="file"
          className="hidden"
          aria-label="Picture for a new surface"
          accept={PICTURES}
          onChange={(event) => {
            const chosen = event.target.files?.[0];
            if (chosen) setStarting(chosen);
            event.target.value = "";
          }}
        />
        <Button look="line" onClick={() => file.current?.click()}>
          Start from a picture
        </Button>
        <Button look="bare" onClick={() => { setStarting("blank"); }}>
          Start empty
        </Button>
      </BarActions>
      {error && (
        <div className="p-6">
          <ProblemNote error={error} />
        </div>
      )}
      {surfaces?.length === 0 && (
        <Empty title="No surface yet">
          <p className="mb-3">
            Drop a photograph, a scan or a painted picture anywhere here. It becomes a surface with a normal and a specular
            map, and an alpha map where the picture has one.
          </p>
          <p className="flex items-center gap-4">
            <Button look="solid" onClick={() => file.current?.click()}>Choose a picture</Button>
            <Link href={`/p/${project}/sources`} className="underline">Take one from the game</Link>
          </p>
        </Empty>
      )}
      {surfaces && surfaces.length > 0 && (
        <ul className="grid grid-cols-3 border-b border-joint" aria-label="Surfaces">
          {surfaces.map((surface) => (
            <Card key={surface.id} project={project} surface={surface} />
          ))}
        </ul>
      )}
      <StartSurface
        key={starting === null ? "none" : starting === "blank" ? "blank" : starting.name}
        project={project}
        picture={starting}
        problem={problem}
        onStart={(title, name) => void start(title, name, starting instanceof File ? starting : null)}
        onClose={() => {
          setStarting(null);
          setProblem(null);
        }}
      />
    </div>
  );
}

function Card({ project, surface }: { project: string; surface: Summary }) {
  return (
    <li className="border-t border-r border-joint first:border-t-0 [&:nth-child(-n+3)]:border-t-0 [&:nth-child(3n)]:border-r-0">
      <Link
        href={`/p/${project}/bench/${surface.id}`}
        className="group block -outline-offset-2 hover:bg-lime focus-visible:bg-lime"
      >
        <div className="relative h-[270px] overflow-hidden bg-ground">
          {surface.keys.colour ? (
            <Tiled contentKey={surface.keys.colour} title={surface.title} />
          ) : (
            <span className="flex h-full items-center justify-center text-label-ink">No source yet</span>
          )}
        </div>
        <div className="flex items-center gap-3 px-3 py-2">
          <div className="min-w-0 flex-1">
            <h2 className="truncate font-semibold group-hover:text-verdigris">{surface.title}</h2>
            <p className="figures truncate text-ink-2">{surface.name}</p>
            <p className="truncate text-small">
              <Density project={project} texels={surface.width} metres={surface.metres} />
            </p>
            <Verdict finding={STATES[surface.state]} />
          </div>
          <div className="flex gap-px" aria-hidden>
            {Object.entries(surface.keys).filter(([role, key]) => role !== "colour" && key).slice(0, 4).map(([role, key]) => (
              <Swatch key={role} contentKey={key} alt="" size={44} />
            ))}
          </div>
        </div>
      </Link>
    </li>
  );
}

/** The tile twice across: whether it joins is seen at once. */
function Tiled({ contentKey, title }: { contentKey: string; title: string }) {
  const url = `/api/renders/${contentKey}/picture.png?longest=512`;
  return (
    <div className="checks absolute inset-0 grid grid-cols-2">
      {[0, 1].map((n) => (
        <img key={n} src={url} alt={n === 0 ? title : ""} className="block w-full" draggable={false} loading="lazy" />
      ))}
      {[2, 3].map((n) => (
        <img key={n} src={url} alt="" className="block w-full" draggable={false} loading="lazy" />
      ))}
    </div>
  );
}
