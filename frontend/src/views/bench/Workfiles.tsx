import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { api, got, type Schemas, type Stage, type SurfaceView } from "@/api/client";
import { renew } from "@/api/queries";
import { useKeys } from "@/app/keys";
import { Button } from "@/parts/Button";
import { ProblemNote } from "@/parts/ProblemNote";
import { Verdict } from "@/parts/Verdict";

type Kind = Schemas["WorkKind"];
const KINDS: readonly (readonly [Kind, string])[] = [
  ["ora", "OpenRaster, with layers"],
  ["png", "PNG, 8 bits"],
  ["png16", "PNG, 16 bits"],
  ["tga", "TGA"],
  ["tiff", "TIFF"],
];
const STATES: Record<string, Schemas["Finding"]> = {
  out: { level: "look", words: "out, waiting for your editor to save", fix: "" },
  back: { level: "good", words: "came back", fix: "" },
  unread: { level: "fault", words: "cannot be read yet", fix: "" },
};

/** The way to an outside image editor and back: put out, watched, checked, mended. */
export function Workfiles({ surface, map, stage }: { surface: SurfaceView; map: string; stage: Stage }) {
  const client = useQueryClient();
  const [kind, setKind] = useState<Kind>("ora");
  const [problem, setProblem] = useState<unknown>(null);
  const [latest, setLatest] = useState<string | null>(null);
  const params = { path: { surface_id: surface.id } };
  const { data: files } = useQuery({
    queryKey: ["workfiles", surface.id],
    queryFn: () => got(api.GET("/api/surfaces/{surface_id}/workfiles", { params })),
    // Saved files come in by themselves; the bench looks for them while any is out.
    refetchInterval: (query) => (query.state.data?.length ? 700 : false),
  });
  const told = files && JSON.stringify(files.map((f) => [f.id, f.state, f.revision]));
  const before = useRef<string | undefined>(told);
  useEffect(() => {
    if (before.current && told !== before.current) {
      void renew(["surface", surface.id]);
      void renew(["surfaces"]);
    }
    before.current = told;
  }, [told, client, surface.id]);
  const at: Stage = stage === "compress" || stage === "finish" ? "size" : stage;
  const putOut = async () => {
    setProblem(null);
    try {
      const made = await got(api.POST("/api/surfaces/{surface_id}/workfiles", { params, body: { map, stage: at, kind } }));
      setLatest(made.id);
      void renew(["workfiles", surface.id]);
    } catch (failed) {
      setProblem(failed);
    }
  };
  const mend = async (id: string, code: string) => {
    setProblem(null);
    try {
      await got(api.POST("/api/workfiles/{workfile_id}/mend", { params: { path: { workfile_id: id } }, body: { codes: [code] } }));
      void renew(["workfiles", surface.id]);
      void renew(["surface", surface.id]);
    } catch (failed) {
      setProblem(failed);
    }
  };
  const shown = useRef<HTMLLIElement>(null);
  useEffect(() => {
    // The panel may be long: what has just happened is said where it is seen.
    if (latest) shown.current?.scrollIntoView({ block: "nearest" });
  }, [latest, files]);
  useKeys({ w: () => void putOut() });
  return (
    <section aria-label="Outside editor" className="mt-auto flex flex-col gap-1.5 border-t border-mortar pt-2.5 text-small">
      <h3 className="font-semibold">Outside image editor</h3>
      <div className="flex items-center gap-2">
        <select
          aria-label="Kind of working file"
          value={kind}
          className="h-7 min-w-0 flex-1 rounded-sm border border-joint bg-lime px-1"
          onChange={(event) => {
            const chosen = KINDS.find(([k]) => k === event.target.value);
            if (chosen) setKind(chosen[0]);
          }}
        >
          {KINDS.map(([value, words]) => (
            <option key={value} value={value}>
              {words}
            </option>
          ))}
        </select>
        <Button keyName="W" hint="Save it in your editor, and the change comes back by itself" onClick={() => void putOut()}>
          Put out
        </Button>
      </div>
      {problem !== null && <ProblemNote error={problem} />}
      <ul>
        {files?.map((file) => (
          <li
            key={file.id}
            ref={file.id === latest ? shown : null}
            className={`border-t border-mortar py-1 ${file.id === latest ? "bg-verdigris-wash" : ""}`}
          >
            <span className="figures block break-all select-all">{file.path}</span>
            <Button
              look="bare"
              className="float-right h-6"
              onClick={() => {
                void navigator.clipboard.writeText(file.path);
              }}
            >
              Copy path
            </Button>
            <Verdict finding={STATES[file.state] ?? { level: "look", words: file.state, fix: "" }} />
            {file.troubles.map((trouble) => (
              <p key={trouble.code} className="flex items-center gap-2">
                <Verdict finding={{ level: "look", words: trouble.words, fix: "" }} withFix />
                {trouble.fix && (
                  <Button look="bare" onClick={() => void mend(file.id, trouble.code)}>
                    {trouble.fix}
                  </Button>
                )}
              </p>
            ))}
          </li>
        ))}
      </ul>
    </section>
  );
}
