import * as Popover from "@radix-ui/react-popover";
import { useRef, useState } from "react";
import { api, got, StoneProblem, type Schemas } from "@/api/client";
import { renew, useProjects, useSurfaces } from "@/api/queries";
import { Button } from "@/parts/Button";
import { Tick } from "@/parts/Tick";
import type { ControlsProps } from "./controlsProps";
import { copyRecipe, useCopied, type Recipe } from "./recipeClip";

interface Props extends ControlsProps {
  project: string;
  onProblem: (problem: unknown) => void;
}

/** What is done to a map's look, as one thing: copied, put on others, kept as a preset, put out as a file. */
export function RecipeMenu({ project, surface, map, knowledge, change, onProblem }: Props) {
  const [open, setOpen] = useState(false);
  const [spreading, setSpreading] = useState(false);
  const file = useRef<HTMLInputElement>(null);
  const copied = useCopied();
  const { data: projects } = useProjects();
  const own = projects?.find((p) => p.id === project);
  const presets = own?.settings.presets ?? [];
  const title = knowledge.roles[map.role]?.title.toLowerCase() ?? map.role;
  const path = { surface_id: surface.id, map_id: map.id };
  const taken = () => got(api.GET("/api/surfaces/{surface_id}/maps/{map_id}/recipe", { params: { path } }));
  const run = (work: () => Promise<unknown>) => {
    work().then(() => {
      setOpen(false);
    }, onProblem);
  };
  const putOn = (recipe: Recipe, instead: boolean) => {
    change({ kind: "put_recipe", map: map.id, recipe, instead });
    setOpen(false);
  };
  const keep = async (next: Recipe[]) => {
    if (!own) return;
    const body = { base: own.revision, settings: { ...own.settings, presets: next } };
    await got(api.PUT("/api/projects/{project_id}", { params: { path: { project_id: project } }, body }));
    await renew(["projects"]);
  };
  const putOut = async () => {
    const body = await taken();
    const answer = await api.POST("/api/recipe-files", { body, parseAs: "blob" });
    if (!answer.data) throw new StoneProblem({ code: "none", message: "Nothing came.", fix: "Try again." }, 0);
    const link = document.createElement("a");
    link.href = URL.createObjectURL(answer.data);
    link.download = `${surface.document.name}_${map.role}.recipe.json`;
    link.click();
    URL.revokeObjectURL(link.href);
  };
  const bringIn = async (chosen: File) => {
    const form = new FormData();
    form.append("file", chosen, chosen.name);
    const recipe = await got(
      api.POST("/api/projects/{project_id}/recipes", {
        params: { path: { project_id: project } },
        // The generated type has no words for a form; the serializer hands over the real one.
        body: { file: chosen.name },
        bodySerializer: () => form,
      }),
    );
    copyRecipe(recipe);
    putOn(recipe, false);
  };
  return (
    <Popover.Root
      open={open}
      onOpenChange={(next) => {
        setOpen(next);
        setSpreading(false);
      }}
    >
      <Popover.Trigger asChild>
        <Button>Recipe</Button>
      </Popover.Trigger>
      <input
        ref={file}
        type="file"
        className="hidden"
        aria-label="Recipe file"
        accept=".json"
        onChange={(event) => {
          const chosen = event.target.files?.[0];
          event.target.value = "";
          if (chosen) run(() => bringIn(chosen));
        }}
      />
      <Popover.Portal>
        <Popover.Content
          aria-label="Recipe"
          align="end"
          sideOffset={4}
          collisionPadding={8}
          className="z-30 flex max-h-[70vh] w-72 flex-col gap-1 overflow-y-auto rounded-sm border border-ink bg-lime p-2 text-small shadow-md"
        >
          <p className="px-1 text-fine text-ink-2">
            All that is done to the look of {title}, with its masks; tiling stays with the map
          </p>
          <Item
            onPress={() => {
              // It stays open: what can be done with the copy appears below.
              taken().then(copyRecipe, onProblem);
            }}
          >
            Copy this recipe
          </Item>
          {copied && (
            <>
              <Item
                onPress={() => {
                  putOn(copied, false);
                }}
              >
                Put “{copied.title}” behind these steps
              </Item>
              <Item
                onPress={() => {
                  putOn(copied, true);
                }}
              >
                Put “{copied.title}” in their place
              </Item>
              <Item
                onPress={() => {
                  setSpreading(!spreading);
                }}
                expanded={spreading}
              >
                Put “{copied.title}” on other surfaces…
              </Item>
              {spreading && (
                <Spread
                  project={project}
                  except={surface.id}
                  role={map.role}
                  recipe={copied}
                  onDone={() => {
                    setOpen(false);
                  }}
                  onProblem={onProblem}
                />
              )}
            </>
          )}
          <Item
            onPress={() => {
              run(putOut);
            }}
          >
            Put out as a file
          </Item>
          <Item
            onPress={() => {
              file.current?.click();
            }}
          >
            Bring a recipe file…
          </Item>
          <Item
            onPress={() => {
              run(async () => {
                const recipe = await taken();
                await keep([...presets.filter((p) => p.title !== recipe.title), recipe]);
              });
            }}
          >
            Keep as a preset
          </Item>
          {presets.length > 0 && (
            <ul aria-label="Presets" className="flex flex-col border-t border-mortar pt-1">
              {presets.map((preset) => (
                <li key={preset.title} className="flex">
                  <Item
                    onPress={() => {
                      putOn(preset, false);
                    }}
                  >
                    {preset.title}
                  </Item>
                  <button
                    type="button"
                    aria-label={`Forget preset ${preset.title}`}
                    className="h-6 w-6 shrink-0 rounded-sm hover:bg-verdigris-wash"
                    onClick={() => {
                      keep(presets.filter((p) => p !== preset)).catch(onProblem);
                    }}
                  >
                    ×
                  </button>
                </li>
              ))}
            </ul>
          )}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

function Item({ onPress, expanded, children }: { onPress: () => void; expanded?: boolean; children: React.ReactNode }) {
  return (
    <button
      type="button"
      {...(expanded === undefined ? {} : { "aria-expanded": expanded })}
      className="min-h-6 min-w-0 flex-1 rounded-sm px-1 py-0.5 text-left hover:bg-verdigris-wash"
      onClick={onPress}
    >
      {children}
    </button>
  );
}

/** The other surfaces of the project, to be ticked; all that are ticked get it at once. */
function Spread({
  project,
  except,
  role,
  recipe,
  onDone,
  onProblem,
}: {
  project: string;
  except: string;
  role: Schemas["Role"];
  recipe: Recipe;
  onDone: () => void;
  onProblem: (problem: unknown) => void;
}) {
  const { data: surfaces } = useSurfaces(project);
  const [ticked, setTicked] = useState<readonly string[]>([]);
  const [instead, setInstead] = useState(false);
  const put = async () => {
    const body = { recipe, surfaces: [...ticked], role, instead };
    await got(api.POST("/api/projects/{project_id}/put-recipe", { params: { path: { project_id: project } }, body }));
    for (const list of ["surface", "surfaces", "actions"]) void renew([list]);
    onDone();
  };
  const others = surfaces?.filter((s) => s.id !== except && role in s.keys) ?? [];
  return (
    <div role="group" aria-label="Other surfaces" className="flex flex-col gap-1 border-y border-mortar py-1 pl-2">
      <div className="flex max-h-40 flex-col overflow-y-auto">
        {others.map((s) => (
          <Tick
            key={s.id}
            className="flex min-h-6 items-center gap-1.5"
            checked={ticked.includes(s.id)}
            onChange={(on) => {
              setTicked(on ? [...ticked, s.id] : ticked.filter((id) => id !== s.id));
            }}
          >
            {s.title}
          </Tick>
        ))}
      </div>
      <Tick className="flex min-h-6 items-center gap-1.5" checked={instead} onChange={setInstead}>
        In place of the steps that are there
      </Tick>
      <Button
        look="solid"
        disabled={ticked.length === 0}
        onClick={() => {
          put().catch(onProblem);
        }}
      >
        Put on {ticked.length} {ticked.length === 1 ? "surface" : "surfaces"}
      </Button>
    </div>
  );
}
