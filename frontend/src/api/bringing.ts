import { api, asProblem, got, type Problem, type Schemas } from "./client";
import { bring, isOver, renew } from "./queries";

export type Source = Schemas["SourceView"];

/** What came in, and what did not. */
export interface Brought {
  sources: Source[];
  refused: { name: string; problem: Problem }[];
}

/** Pictures that can come in, by the ends of their names. */
export const PICTURES = ".png,.jpg,.jpeg,.tga,.bmp,.tif,.tiff,.dds,.ktx2,.webp,.exr,.hdr";
const ARCHIVES = /\.(zip|tar|tgz|tar\.gz)$/i;

/** Take all dropped files in: those of folders too, and the pictures of archives. */
export async function bringAll(project: string, files: File[], told: (done: number) => void): Promise<Brought> {
  const brought: Brought = { sources: [], refused: [] };
  for (const [n, file] of files.entries()) {
    told(n);
    try {
      if (ARCHIVES.test(file.name)) await unpack(project, file, brought);
      else brought.sources.push(await bring(project, file));
    } catch (failed) {
      brought.refused.push({ name: file.name, problem: asProblem(failed) });
    }
  }
  for (const list of ["sources", "source-sets", "shelf"]) void renew([list, project]);
  for (const list of ["entries", "entry", "facets"]) void renew([list]);
  return brought;
}

async function unpack(project: string, file: File, brought: Brought) {
  const form = new FormData();
  form.append("file", file, file.name);
  let job = await got(
    api.POST("/api/projects/{project_id}/source-archives", {
      params: { path: { project_id: project } },
      body: { file: file.name },
      bodySerializer: () => form,
    }),
  );
  while (!isOver(job)) {
    await new Promise((resolve) => setTimeout(resolve, 200));
    job = await got(api.GET("/api/jobs/{job_id}", { params: { path: { job_id: job.id } } }));
  }
  if (job.problem) {
    brought.refused.push({ name: file.name, problem: job.problem });
    return;
  }
  const done = job.result as unknown as { brought: Source[]; refused: { name: string; message: string; fix: string }[] };
  brought.sources.push(...done.brought);
  for (const { name, message, fix } of done.refused) brought.refused.push({ name, problem: { code: "refused", message, fix } });
}

/** All files of a drop, those inside folders too. */
export async function filesOf(data: DataTransfer): Promise<File[]> {
  // Entries have to be asked for before anything is awaited: the drop is over then.
  const entries = [...data.items].map((item) => item.webkitGetAsEntry()).filter((entry) => entry !== null);
  if (entries.length === 0) return [...data.files];
  const found = await Promise.all(entries.map(inside));
  return found.flat();
}

async function inside(entry: FileSystemEntry): Promise<File[]> {
  if (entry.isFile) {
    return [await new Promise<File>((resolve, reject) => { (entry as FileSystemFileEntry).file(resolve, reject); })];
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  const files: File[] = [];
  for (;;) {
    // A reader hands out a hundred or so at a time, and none at the end.
    const some = await new Promise<FileSystemEntry[]>((resolve, reject) => { reader.readEntries(resolve, reject); });
    if (some.length === 0) return files;
    for (const each of some) files.push(...(await inside(each)));
  }
}

/** Pictures on the clipboard; they have no names of their own. */
export function pasted(data: DataTransfer | null): File[] {
  return [...(data?.files ?? [])]
    .filter((file) => file.type.startsWith("image/"))
    .map((file, n) => (file.name && file.name !== "image.png" ? file : new File([file], `pasted_${stamp(n)}.png`, { type: file.type })));
}

function stamp(n: number): string {
  const now = new Date();
  const two = (value: number) => String(value).padStart(2, "0");
  return `${two(now.getHours())}${two(now.getMinutes())}${two(now.getSeconds())}${n > 0 ? `_${String(n)}` : ""}`;
}
