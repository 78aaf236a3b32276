import * as Dialog from "@radix-ui/react-dialog";
import { useState, type ReactNode } from "react";
import { Link, useLocation } from "wouter";
import { useProjects, useSurfaces } from "@/api/queries";
import { KeyCap } from "@/parts/KeyCap";
import { Mark } from "@/parts/icons";
import { KEY_SHEET, useKeys } from "./keys";
import { Preparing } from "./Preparing";
import { ViewPlace } from "./Views";

const LAST_SURFACE = "stone-last-surface";

export function rememberSurface(id: string) {
  sessionStorage.setItem(LAST_SURFACE, id);
}

/** The bar at the top, in the order of the work, and the view below it. */
export function Shell({ project, children }: { project: string; children: ReactNode }) {
  const [location] = useLocation();
  const { data: projects } = useProjects();
  const { data: surfaces } = useSurfaces(project);
  const [sheet, setSheet] = useState(false);
  useKeys({
    "?": () => {
      setSheet(true);
    },
  });
  const here = projects?.find((p) => p.id === project);
  const remembered = sessionStorage.getItem(LAST_SURFACE);
  const bench = surfaces?.find((s) => s.id === remembered) ?? surfaces?.[0];
  const at = `/p/${project}`;
  const views = [
    ["Sources", `${at}/sources`],
    ["Surfaces", `${at}/surfaces`],
    ["Bench", bench ? `${at}/bench/${bench.id}` : `${at}/surfaces`],
    ["Materials", `${at}/materials`],
    ["Deliveries", `${at}/deliveries`],
    [here?.target.room === false ? "Your game" : "Sample game", `${at}/game`],
  ] as const;
  const title = here?.title;
  const isAt = (href: string) => location.startsWith(href.replace(/\/bench\/.*/, "/bench"));
  const current = views.find(([words, href]) => isAt(href) && !(words === "Bench" && !location.includes("/bench/")))?.[0];
  return (
    <div className="flex h-full min-w-[1024px] flex-col">
      <header className="flex h-10 shrink-0 items-stretch border-b border-joint bg-lime">
        <div className="flex w-[220px] shrink-0 items-center gap-2 px-3.5 max-xl:w-[176px]">
          <Mark />
          <span className="font-semibold whitespace-nowrap">Stone Stack</span>
          <Link
            href={`${at}/project`}
            title={title ? `${title}: settings, and all that was done` : undefined}
            aria-current={location === `${at}/project` ? "page" : undefined}
            className={`min-w-0 truncate hover:underline ${location === `${at}/project` ? "font-semibold underline" : "text-ink-2"}`}
          >
            {title}
          </Link>
        </div>
        <nav aria-label="Views" className="flex items-stretch border-l border-mortar">
          {views.map(([words, href]) => {
            return (
              <Link
                key={words}
                href={href}
                aria-current={words === current ? "page" : undefined}
                className={`relative flex items-center border-r border-mortar px-4 whitespace-nowrap max-xl:px-3 -outline-offset-2 hover:bg-verdigris-wash ${words === current ? "bg-plaster font-semibold before:absolute before:inset-x-0 before:top-0 before:h-[3px] before:bg-verdigris" : "text-ink-2"}`}
              >
                {words}
              </Link>
            );
          })}
        </nav>
        <Preparing />
        <div id="bar-actions" className="ml-auto flex items-center gap-1" />
        <button
          type="button"
          className="flex items-center gap-1.5 px-3 text-small whitespace-nowrap text-ink-2 -outline-offset-2 hover:text-ink"
          onClick={() => {
            setSheet(true);
          }}
        >
          All keys <KeyCap name="?" />
        </button>
      </header>
      <main className="min-h-0 flex-1">
        <h1 className="sr-only">{current ?? "Project"}</h1>
        <ViewPlace name={location}>{children}</ViewPlace>
      </main>
      <Dialog.Root open={sheet} onOpenChange={setSheet}>
        <Dialog.Portal>
          <Dialog.Overlay className="fixed inset-0 bg-label/30" />
          <Dialog.Content
            aria-describedby={undefined}
            className="fixed top-24 left-1/2 w-[420px] -translate-x-1/2 rounded-sm border border-ink bg-lime p-5"
          >
            <Dialog.Title className="mb-3 text-title font-semibold">Keys</Dialog.Title>
            <table className="w-full">
              <tbody>
                {KEY_SHEET.map(([keys, words]) => (
                  <tr key={keys + words} className="border-t border-mortar">
                    <td className="w-24 py-1">
                      <KeyCap name={keys} />
                    </td>
                    <td className="py-1">{words}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          </Dialog.Content>
        </Dialog.Portal>
      </Dialog.Root>
    </div>
  );
}
