import { Button } from "@/parts/Button";

interface Props {
  /** Whether it is a picture whose use is known. */
  known: boolean;
  marked: boolean;
  takeWords: string;
  mayTake: boolean;
  /** Begins a surface with it; only for what was brought in. */
  onBegin: (() => void) | null;
  onTake: () => void;
  onReplace: () => void;
  onMark: () => void;
  onAlike: () => void;
}

/** What can be done with the file that is shown. */
export function FileActions({ known, marked, takeWords, mayTake, onBegin, onTake, onReplace, onMark, onAlike }: Props) {
  return (
    <>
      {onBegin ? (
        <Button look="solid" keyName="T" hint="Begins a surface with this picture; the file stays as it is" onClick={onBegin}>
          Start a surface
        </Button>
      ) : (
        <>
          <Button look="solid" keyName="T" disabled={!mayTake} hint="Begins a surface in the form that the game has" onClick={onTake}>
            {takeWords}
          </Button>
          <Button look="line" keyName="P" disabled={!known} hint="Any picture; it is made in this file's form" onClick={onReplace}>
            Replace it
          </Button>
          <Button look="bare" className="px-1.5!" keyName="X" onClick={onMark}>
            {marked ? "Unmark" : "Mark"}
          </Button>
        </>
      )}
      <Button look="bare" className="px-1.5!" keyName="L" disabled={!known} hint="Finds what looks like it, in the game and in what was brought in" onClick={onAlike}>
        Alike
      </Button>
    </>
  );
}
