import * as Dialog from "@radix-ui/react-dialog";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useState, type ReactNode } from "react";
import { api, got, type Schemas } from "@/api/client";
import { gameChanged } from "@/api/games";
import { Button } from "./Button";
import { bytes } from "./figures";
import { JobStrip } from "./JobStrip";
import { ProblemNote } from "./ProblemNote";
import { Tick } from "./Tick";
import { Verdict } from "./Verdict";

interface Props {
  /** Names what is put, so that its plan is made once. */
  name: string;
  title: string;
  plan: () => Promise<{ data?: Schemas["JobView"] }>;
  put: (ticked: string) => Promise<{ data?: Schemas["JobView"] }>;
  /** What the button says of so many places. */
  words?: (places: number) => string;
  onClose: (done: boolean) => void;
  /** What can still be said before the plan is carried out. */
  children?: ReactNode;
}

const putBack = (places: number) => (places === 1 ? "Put back in 1 place" : `Put back in ${String(places)} places`);

/** What putting back would do, place by place, before anything is done. */
export function PutPlan({ name, title, plan, put, words = putBack, onClose, children }: Props) {
  const { planned, data, error, ready } = usePlan(name, plan);
  const [chosen, setChosen] = useState<Record<number, boolean>>({});
  const [job, setJob] = useState<string | null>(null);
  const [problem, setProblem] = useState<unknown>(null);
  // A file of a delivery has no entry: it goes with the others, so there is nothing to tick.
  const choice = (line: Schemas["PlanLine"]) => (line.entry_id === null ? undefined : chosen[line.entry_id]);
  const ticked = (data?.lines ?? []).filter((line) => choice(line) ?? (line.ticked && !line.problem));
  const single = data?.lines.some((line) => line.entry_id !== null) ?? true;
  const files = new Set(ticked.map((line) => line.file));
  const start = async () => {
    setProblem(null);
    try {
      setJob((await got(put(ticked.flatMap((line) => line.entry_id ?? []).join(",")))).id);
    } catch (failed) {
      setProblem(failed);
    }
  };
  return (
    <Dialog.Root
      open
      onOpenChange={(open) => {
        if (!open) onClose(false);
      }}
    >
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 bg-label/30" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-16 left-1/2 flex max-h-[82vh] w-[860px] -translate-x-1/2 flex-col rounded-sm border border-ink bg-lime"
        >
          <div className="flex items-baseline gap-3 border-b border-joint px-5 py-3">
            <Dialog.Title className="text-title font-semibold">{title}</Dialog.Title>
            <p className="text-ink-2">Nothing has been changed yet.</p>
          </div>
          {children}
          <div className="min-h-40 flex-1 overflow-y-auto">
            {error && <div className="p-5"><ProblemNote error={error} /></div>}
            {!data && !error && (
              <div className="p-5">
                {planned === undefined ? (
                  <p role="status" className="text-ink-2">Making it in the form that the game has…</p>
                ) : (
                  <JobStrip id={planned} onDone={ready} onClose={() => { onClose(false); }} />
                )}
              </div>
            )}
            {data && (
              <table className="w-full">
                <thead>
                  <tr className="head border-b border-mortar [&>th]:px-3 [&>th]:py-1.5">
                    {single && <th className="w-8"><span className="sr-only">Replace</span></th>}
                    <th>Place in the game</th>
                    <th>Why</th>
                    <th className="text-right">Before</th>
                    <th className="text-right">After</th>
                    {single && <th className="text-right whitespace-nowrap">Made anew</th>}
                  </tr>
                </thead>
                <tbody>
                  {data.lines.map((line) => (
                    <tr key={line.path} className="border-b border-mortar align-top [&>td]:px-3 [&>td]:py-1.5">
                      {single && (
                        <td>
                          <Tick
                            checked={ticked.includes(line)}
                            onChange={(on) => {
                              if (line.entry_id !== null) setChosen({ ...chosen, [line.entry_id]: on && !line.problem });
                            }}
                          >
                            <span className="sr-only">Replace {line.path}</span>
                          </Tick>
                        </td>
                      )}
                      <td>
                        <span className="figures break-all">{line.path}</span>
                        <span className="block text-fine text-ink-2">{line.contract}</span>
                        {line.problem && <Verdict finding={{ level: "fault", words: line.problem, fix: "" }} withFix />}
                        {line.hidden && <Verdict finding={{ level: "look", words: line.hidden, fix: "" }} withFix />}
                      </td>
                      <td className="text-small">
                        {line.same ? "holds this already" : line.copy_of || line.entry_id === null ? line.why : "chosen"}
                      </td>
                      <td className="figures text-right whitespace-nowrap">{line.before > 0 ? bytes(line.before) : ""}</td>
                      <td className="figures text-right whitespace-nowrap">{line.problem || line.after === 0 ? "" : bytes(line.after)}</td>
                      {single && (
                        <td className="figures text-right whitespace-nowrap">
                          {line.problem ? "" : `${(line.made_anew * 100).toFixed(line.made_anew < 0.1 ? 1 : 0)} %`}
                        </td>
                      )}
                    </tr>
                  ))}
                </tbody>
              </table>
            )}
            {data && data.unmatched.length > 0 && (
              <ul aria-label="Not matched" className="px-5 pt-3 text-small">
                {data.unmatched.map((line) => (
                  <li key={line}><Verdict finding={{ level: "look", words: line, fix: "" }} withFix /></li>
                ))}
              </ul>
            )}
            {data && (
              <p className="px-5 py-3 text-small text-ink-2">
                {data.keeps.filter((k) => files.has(k.file)).length > 0 && "Into the safe first: "}
                {data.keeps
                  .filter((k) => files.has(k.file))
                  .map((k) => `${k.file} (${k.already ? "kept already" : bytes(k.bytes)})`)
                  .join(", ")}
              </p>
            )}
          </div>
          <div className="flex items-center gap-3 border-t border-joint px-5 py-3">
            {problem !== null && <ProblemNote error={problem} />}
            {job && (
              <JobStrip
                id={job}
                onDone={() => {
                  gameChanged();
                  onClose(true);
                }}
                onClose={() => {
                  setJob(null);
                }}
              />
            )}
            <span className="ml-auto" />
            <Button look="bare" onClick={() => { onClose(false); }}>
              Cancel
            </Button>
            <Button look="solid" disabled={ticked.length === 0 || job !== null} onClick={() => void start()}>
              {words(ticked.length)}
            </Button>
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

/** A plan, made by a job that ends with the dialog. */
function usePlan(name: string, plan: () => Promise<{ data?: Schemas["JobView"] }>) {
  const begun = useQuery({ queryKey: ["put-plan", name], queryFn: () => got(plan()), staleTime: Infinity, gcTime: 0 });
  const planned = begun.data?.id;
  const [ready, setReady] = useState<string | null>(null);
  const params = { path: { job_id: planned ?? "" } };
  const made = useQuery({
    queryKey: ["put-plan", name, planned],
    queryFn: () => got(api.GET("/api/jobs/{job_id}/plan", { params })),
    enabled: planned !== undefined && ready === planned,
    staleTime: Infinity,
    gcTime: 0,
  });
  useEffect(() => {
    if (planned === undefined) return;
    return () => void api.DELETE("/api/jobs/{job_id}", { params: { path: { job_id: planned } } });
  }, [planned]);
  return {
    planned,
    data: made.data,
    error: begun.error ?? made.error,
    ready: () => {
      setReady(planned ?? null);
    },
  };
}
