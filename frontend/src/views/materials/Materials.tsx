import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "wouter";
import { api, got, type Schemas } from "@/api/client";
import { useMaterials, useSurfaces } from "@/api/queries";
import { Density } from "@/parts/Density";
import { Empty } from "@/parts/Empty";
import { ProblemNote } from "@/parts/ProblemNote";
import { Swatch } from "@/parts/Swatch";
import { Tick } from "@/parts/Tick";
import { Verdict } from "@/parts/Verdict";

type MaterialView = Schemas["MaterialView"];
type Material = Schemas["Material"];

const SUBSTANCES: readonly Material["substance"][] = ["stone", "tile", "plaster", "metal", "glass", "wood", "earth"];

/** Materials as a table: a row each, a column a slot; the chosen one's definition at the right. */
export function Materials({ project }: { project: string }) {
  const { data: materials, error } = useMaterials(project);
  const [chosen, setChosen] = useState<string | null>(null);
  const client = useQueryClient();
  const change = useMutation({
    mutationFn: ({ id, document }: { id: string; document: Material }) =>
      got(api.PUT("/api/materials/{material_id}", { params: { path: { material_id: id } }, body: document })),
    onSuccess: () => client.invalidateQueries({ queryKey: ["materials", project] }),
  });
  if (error) return <div className="p-6"><ProblemNote error={error} /></div>;
  if (!materials) return <div className="h-full" aria-busy />;
  if (materials.length === 0) {
    return <Empty title="No material yet">Start a surface first. Each surface brings a material of its own.</Empty>;
  }
  const shown = materials.find((m) => m.id === chosen) ?? materials[0];
  return (
    <div className="flex h-full">
      <div className="min-w-0 flex-1 overflow-auto">
        {change.error && <div className="p-3"><ProblemNote error={change.error} onClose={() => { change.reset(); }} /></div>}
        <table className="w-full table-fixed">
          <thead className="sticky top-0 z-10 bg-plaster">
            <tr className="head border-b-2 border-mortar [&>th]:border-l-2 [&>th]:border-mortar [&>th]:px-2.5 [&>th]:py-1.5 [&>th:first-child]:border-l-0">
              <th className="w-[158px]">Material</th>
              {shown?.slots.map((slot) => <th key={slot.role}>{slot.word}</th>)}
              <th className="w-[206px]">In the game</th>
            </tr>
          </thead>
          <tbody>
            {materials.map((material) => (
              <Row
                key={material.id}
                project={project}
                material={material}
                chosen={material.id === shown?.id}
                onChoose={() => { setChosen(material.id); }}
                onChange={(document) => { change.mutate({ id: material.id, document }); }}
              />
            ))}
          </tbody>
        </table>
      </div>
      {shown && (
        <aside aria-label="Definition" className="flex w-[330px] shrink-0 flex-col gap-3 overflow-y-auto border-l border-joint bg-lime p-3.5">
          <h2><span className="font-semibold">{shown.document.title}</span> <span className="text-ink-2">Definition</span></h2>
          <ul className="flex flex-col gap-1">
            {shown.findings.map((finding) => <li key={finding.words}><Verdict finding={finding} withFix /></li>)}
          </ul>
          <p className="text-small text-ink-2">This file goes along with the textures; its paths are relative, so the folder can lie anywhere.</p>
          <p className="figures">materials/{shown.document.name}.json</p>
          <pre className="figures overflow-x-auto border-t border-mortar pt-2 whitespace-pre-wrap break-words">{shown.definition}</pre>
        </aside>
      )}
    </div>
  );
}

function Row({ project, material, chosen, onChoose, onChange }: {
  project: string;
  material: MaterialView;
  chosen: boolean;
  onChoose: () => void;
  onChange: (document: Material) => void;
}) {
  const { document } = material;
  const { data: surfaces } = useSurfaces(project);
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
              <p className="figures mt-1 truncate" title={`${slot.file_name}.dds`}>{slot.file_name}</p>
            </>
          ) : (
            <span className="text-small text-ink-2">not linked</span>
          )}
        </td>
      ))}
      <td>
        <div className="flex flex-col gap-1 text-small">
          <label className="flex items-center justify-between gap-2">Substance
            <select value={document.substance} className="h-6 w-24 rounded-sm border border-joint bg-lime px-1"
              onChange={(event) => {
                const substance = SUBSTANCES.find((s) => s === event.target.value);
                if (substance) onChange({ ...document, substance });
              }}>
              {SUBSTANCES.map((s) => <option key={s}>{s}</option>)}
            </select>
          </label>
          <Typed label="Gloss" value={document.shine} step={0.05} most={1} onSettle={(shine) => { onChange({ ...document, shine }); }} />
          <Typed label="Metres a tile" value={document.metres} step={0.1} most={50} onSettle={(metres) => { onChange({ ...document, metres }); }} />
          {texels !== undefined && (
            <p className="text-right">
              <Density project={project} texels={texels} metres={document.metres} />
            </p>
          )}
          <Tick
            className="flex flex-row-reverse items-center justify-between"
            checked={document.cutout}
            onChange={(cutout) => {
              onChange({ ...document, cutout });
            }}
          >
            Cut out
          </Tick>
        </div>
      </td>
    </tr>
  );
}

function Typed({ label, value, step, most, onSettle }: {
  label: string;
  value: number;
  step: number;
  most: number;
  onSettle: (value: number) => void;
}) {
  const [text, setText] = useState<string | null>(null);
  const settle = () => {
    const typed = Number(text);
    setText(null);
    if (text !== null && Number.isFinite(typed) && typed !== value) onSettle(typed);
  };
  return (
    <label className="flex items-center justify-between gap-2">{label}
      <input type="number" min={0} max={most} step={step} value={text ?? String(value)}
        className="figures h-6 w-24 rounded-sm border border-joint bg-lime px-1.5 text-right"
        onChange={(event) => { setText(event.target.value); }}
        onBlur={settle}
        onKeyDown={(event) => { if (event.key === "Enter") settle(); }} />
    </label>
  );
}
