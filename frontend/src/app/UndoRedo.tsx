import { Button } from "@/parts/Button";
import { BarActions } from "./BarActions";
import { useKeys } from "./keys";

interface Props {
  /** The words of what would be undone or done again; null where there is nothing. */
  undo: string | null;
  redo: string | null;
  /** What was just undone or done again. */
  said?: string;
  /** The state that the next undo starts from. */
  next?: number;
  onUndo: () => void;
  onRedo: () => void;
}

/** Undo and redo of what is on screen, in the bar and by one key. */
export function UndoRedo({ undo, redo, said, next, onUndo, onRedo }: Props) {
  useKeys({
    z: () => {
      if (undo) onUndo();
    },
    "Shift z": () => {
      if (redo) onRedo();
    },
  });
  return (
    <BarActions>
      <span role="status" className="pointer-events-none fixed top-[47px] right-[304px] z-10 max-w-60 truncate text-small text-ink-2">{said}</span>
      <Button look="bare" keyName="Z" disabled={!undo} data-next={next} hint={undo ? `Undo: ${undo}` : "Nothing to undo"} onClick={onUndo}>
        Undo
      </Button>
      <Button look="bare" disabled={!redo} hint={redo ? `Redo: ${redo} (Shift Z)` : "Nothing to redo"} onClick={onRedo}>
        Redo
      </Button>
    </BarActions>
  );
}
