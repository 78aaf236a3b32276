import { useState } from "react";
import { Link } from "wouter";
import { useChanging } from "@/api/changing";
import { api, got, type Schemas } from "@/api/client";
import { useKnowledge, useMaterial, useMaterials, useSurfaces } from "@/api/queries";
import { UndoRedo } from "@/app/UndoRedo";
import { Density } from "@/parts/Density";
import { Empty } from "@/parts/Empty";
import { ProblemNote } from "@/parts/ProblemNote";
import { SchemaForm } from "@/parts/SchemaForm";
import { Swatch } from "@/parts/Swatch";
import { Verdict } from "@/parts/Verdict";

type MaterialSummary = Schemas["MaterialSummary"];
type Material = Schemas["Material"];

/** What a material is called and belongs to; it is no parameter. */
const OWN = ["title", "name", "surface"];

/** What else a change of a material shows in. */
const SHOWN_ELSEWHERE = ["material", "surfaces", "surface", "deliveries"];

/** Materials as a table: a row each, a column a slot; the chosen one's definition at the right. */
export function Materials({ project }: { project: string }) {
  const { data: materials, error } = useMaterials(project);
  const [chosen, setChosen] = useState<string | null>(null);
  const { data: knowledge } = useKnowledge();
  const shown = materials?.find((m) => m.id === chosen) ?? materials?.[0];
  const { data: definition } = useMaterial(shown?.id ?? null, shown?.revision ?? 0);
  if (error) return <div className="p-6"><ProblemNote error={error} /></div>;
  if (!materials) return <div className="h-full" aria-busy />;
  if (materials.length === 0) {
    return (
      <Empty title="No material yet">
        <p className="mb-3">Start a surface first. Each surface brings a material of its own.</p>
        <Link href={`/p/${project}/surfaces`} className="font-semibold underline">To the surfaces</Link>
      </Empty>
    );
  }
  return (
    <div className="flex h-full">
      <div className="min-w-0 flex-1 overflow-auto">
        {definition && <Moves key={definition.id} definition={definition} />}
        <table className="w-full table-fixed">
          <thead className="sticky top-0 z-10 bg-plaster">
            <tr className="head border-b-2 border-mortar [&>th]:border-l-2 [&>th]:border-mortar [&>th]:px-2.5 [&>th]:py-1.5 [&>th:first-child]:border-l-0">
              <th className="w-[158px]">Material</th>
              {shown?.slots.map((slot) => (
                <th key={slot.role}>
                  {knowledge?.roles[slot.role]?.title ?? slot.role}
                  {slot.word !== slot.role && <span className="figures pl-1.5 font-normal text-ink-2">{slot.word}</span>}
                </th>
              ))}
              <th className="w-[246px]">In the game</th>
            </tr>
          </thead>
          <tbody>
            {materials.map((material) => (
              <Row
                key={material.id}
                project={project}
                material={material}
                knowledge={knowledge}
                chosen={material.id === shown?.id}
                onChoose={() => { setChosen(material.id); }}
              />
            ))}
          </tbody>
        </table>
      </div>
      {definition && (
        <aside aria-label="Definition" className="flex w-[330px] shrink-0 flex-col gap-3 overflow-y-auto border-l border-joint bg-lime p-3.5">
          <h2><span className="font-semibold">{definition.document.title}</span> <span className="text-ink-2">Definition</span></h2>
          <ul className="flex flex-col gap-1">
            {definition.findings.map((finding) => <li key={finding.words}><Verdict finding={finding} withFix /></li>)}
          </ul>
          <p className="text-small text-ink-2">This file goes along with the textures; its paths are relative, so the folder can lie anywhere.</p>
          {definition.path && <p className="figures">{definition.path}</p>}
          <pre className="figures overflow-x-auto border-t border-mortar pt-2 whitespace-pre-wrap break-words">{definition.definition}</pre>
        </aside>
      )}
    </div>
  );
}

/** Undo and redo of the chosen material. */
function Moves({ definition }: { definition: Schemas["MaterialView"] }) {
  const { error, mutate, reset } = useChanging("materials", definition.id, SHOWN_ELSEWHERE);
  const params = { path: { document_id: definition.id } };
  return (
    <>
      <UndoRedo
        undo={definition.undo}
        redo={definition.redo}
        onUndo={() => { mutate(({ revision: base }) => got(api.POST("/api/documents/{document_id}/undo", { params, body: { base } }))); }}
        onRedo={() => { mutate(({ revision: base }) => got(api.POST("/api/documents/{document_id}/redo", { params, body: { base } }))); }}
      />
      {error && <div className="p-3"><ProblemNote error={error} onClose={reset} /></div>}
    </>
  );
}

function Row({ project, material, knowledge, chosen, onChoose }: {
  project: string;
  material: MaterialSummary;
  knowledge: Schemas["Knowledge"] | undefined;
  chosen: boolean;
  onChoose: () => void;
}) {
  const { error, mutate, reset } = useChanging("materials", material.id, SHOWN_ELSEWHERE);
  const document = material.document;
  const { data: surfaces } = useSurfaces(project);
  if (!document) {
    return (
      <tr>
        <td colSpan={material.slots.length + 2} className="p-2.5">
          <Verdict finding={{ level: "fault", words: material.problem, fix: "" }} withFix />
        </td>
      </tr>
    );
  }
  const params = { path: { material_id: material.id } };
  const change = (part: Partial<Material>) => {
    mutate(({ revision: base, document: now }) =>
      got(api.PUT("/api/materials/{material_id}", { params, body: { base, document: { ...(now ?? document), ...part } } })),
    );
  };
  const texels = surfaces?.find((s) => s.id === material.surface_id)?.width;
  const worst = material.findings.find((f) => f.level === "fault") ?? material.findings[0];
  return (
    <tr className={`border-b border-joint [&>td]:border-l-2 [&>td]:border-mortar [&>td]:px-2.5 [&>td]:py-2 [&>td]:align-top [&>td:first-child]:border-l-[3px] ${chosen ? "bg-lime [&>td:first-child]:border-l-verdigris" : "[&>td:first-child]:border-l-transparent"}`}>
      <td>
        <button type="button" aria-pressed={chosen} onClick={onChoose} className="text-left font-semibold hover:text-verdigris">{document.title}</button>
        <p className="figures break-all text-ink-2">{document.name}</p>
        {worst && <Verdict finding={worst} />}
        <p><Link href={`/p/${project}/bench/${material.surface_id}`} className="text-small underline">To the bench</Link></p>
      </td>
      {material.slots.map((slot) => (
        <td key={slot.role}>
          {slot.file_name ? (
            <>
              <Swatch contentKey={slot.key} alt={`${document.title}, ${slot.word}`} size={84} longest={192} />
              <p className="figures mt-1 truncate" title={slot.file_name}>{slot.file_name.slice(slot.file_name.lastIndexOf("/") + 1)}</p>
            </>
          ) : (
            <span className="text-small text-ink-2">not linked</span>
          )}
        </td>
      ))}
      <td>
        <div className="flex flex-col gap-1 text-small">
          <SchemaForm
            schema={knowledge?.forms["Material"] ?? {}}
            values={document}
            skip={OWN}
            onSettle={change}
          />
          {error && <ProblemNote error={error} onClose={reset} />}
          {texels !== undefined && (
            <p className="text-right">
              <Density project={project} texels={texels} metres={document.metres} />
            </p>
          )}
        </div>
      </td>
    </tr>
  );
}
