import * as Dialog from "@radix-ui/react-dialog";
import { useId, useState } from "react";
import { useGameNames, useSurfaces } from "@/api/queries";
import { Button } from "@/parts/Button";
import { ProblemNote } from "@/parts/ProblemNote";

interface Props {
  project: string;
  picture: File | "blank" | null;
  problem: unknown;
  onStart: (title: string, name: string) => void;
  onClose: () => void;
}

function titled(file: string): string {
  const words = file
    .replace(/\.[^.]+$/, "")
    .replace(/[^\p{L}\p{N}]+/gu, " ")
    .trim();
  return words.charAt(0).toUpperCase() + words.slice(1);
}

function coded(title: string): string {
  return title
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "_")
    .replace(/^_+|_+$/g, "")
    .slice(0, 48);
}

/** Ask what a new surface is called: by people, and by the game. */
export function StartSurface({ project, picture, problem, onStart, onClose }: Props) {
  const first = picture instanceof File ? titled(picture.name) : "";
  const [title, setTitle] = useState(first);
  const [name, setName] = useState<string | null>(null);
  const { data: names } = useGameNames(project);
  const { data: surfaces } = useSurfaces(project);
  const [titleId, nameId, listId] = [useId(), useId(), useId()];
  const code = name ?? coded(title);
  const free = names?.filter((n) => !surfaces?.some((s) => s.name === n)) ?? [];
  const inGame = names?.includes(code);
  return (
    <Dialog.Root
      open={picture !== null}
      onOpenChange={(open) => {
        if (!open) onClose();
      }}
    >
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 bg-label/30" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-28 left-1/2 w-[420px] -translate-x-1/2 rounded-sm border border-ink bg-lime p-5"
        >
          <form
            className="flex flex-col gap-3"
            onSubmit={(event) => {
              event.preventDefault();
              onStart(title.trim(), code);
            }}
          >
            <Dialog.Title className="text-title font-semibold">Start a surface</Dialog.Title>
            {picture instanceof File && <p className="figures truncate text-ink-2">{picture.name}</p>}
            <label htmlFor={titleId} className="flex flex-col gap-1 text-small">
              Title
              <input
                id={titleId}
                value={title}
                required
                maxLength={80}
                className="h-8 rounded-sm border border-joint bg-lime px-2"
                onChange={(event) => {
                  setTitle(event.target.value);
                }}
              />
            </label>
            <label htmlFor={nameId} className="flex flex-col gap-1 text-small">
              Name in the game
              <input
                id={nameId}
                list={listId}
                value={code}
                required
                spellCheck={false}
                className="figures h-8 rounded-sm border border-joint bg-lime px-2"
                onChange={(event) => {
                  setName(event.target.value);
                }}
              />
              <datalist id={listId}>
                {free.map((n) => (
                  <option key={n} value={n} />
                ))}
              </datalist>
            </label>
            <p className="text-small text-ink-2">
              {inGame
                ? "The game looks up this name, so the surface will show in the room."
                : "The game looks up no such name. The surface can still be made and built."}
            </p>
            {!inGame && free.length > 0 && (
              <p className="flex flex-wrap items-center gap-1.5 text-small text-ink-2">
                Free in the game:
                {free.slice(0, 8).map((n) => (
                  <button
                    key={n}
                    type="button"
                    className="figures rounded-sm border border-joint px-1.5 py-0.5 text-ink hover:bg-verdigris-wash"
                    onClick={() => {
                      setName(n);
                    }}
                  >
                    {n}
                  </button>
                ))}
              </p>
            )}
            {problem !== null && <ProblemNote error={problem} />}
            <div className="flex justify-end gap-2">
              <Button look="bare" onClick={onClose}>
                Cancel
              </Button>
              <Button look="solid" type="submit" disabled={!title.trim() || !code}>
                Start
              </Button>
            </div>
          </form>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
