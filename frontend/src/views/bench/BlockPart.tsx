import type { Schemas } from "@/api/client";
import { blockBy, useBlock, type Inspected } from "./losses";

type Look = Schemas["BlockLook"];
type Part = Schemas["BlockPart"];

interface Props {
  textureKey: string;
  level: number;
  size: { width: number; height: number };
  block: NonNullable<Inspected["block"]>;
  /** What stands behind a difference. */
  unit: string;
  onMove: (block: NonNullable<Inspected["block"]>) => void;
  onClose: () => void;
}

const WAYS = [
  ["←", "The block to the left", -1, 0],
  ["↑", "The block above", 0, -1],
  ["↓", "The block below", 0, 1],
  ["→", "The block to the right", 1, 0],
] as const;

/** One block, near: its texels before and after, what they chose from, and its bytes. */
export function BlockPart({ textureKey, level, size, block, unit, onMove, onClose }: Props) {
  const { data: look } = useBlock(textureKey, level, block);
  return (
    <section aria-label="One block" className="flex flex-col gap-2 border-t border-mortar pt-2">
      <div className="flex items-center gap-2 text-small">
        <span className="flex-1">
          Block at <span className="figures">{`${String(look?.x ?? block.x)}, ${String(look?.y ?? block.y)}`}</span>
        </span>
        <span className="flex">
          {WAYS.map(([sign, words, right, down]) => (
            <button
              key={sign}
              type="button"
              aria-label={words}
              title={words}
              className="h-[19px] w-[21px] border border-l-0 border-joint first:border-l hover:bg-verdigris-wash"
              onClick={() => {
                onMove(blockBy(size, block, right, down));
              }}
            >
              {sign}
            </button>
          ))}
        </span>
        <button type="button" className="text-fine text-ink-2 underline" onClick={onClose}>
          Close
        </button>
      </div>
      {look && <Shown look={look} unit={unit} />}
    </section>
  );
}

function Shown({ look, unit }: { look: Look; unit: string }) {
  const parts = look.facts?.parts ?? [];
  return (
    <>
      <div className="flex gap-3">
        <Texels words="Before" look={look} texels={look.before} />
        <Texels words="After" look={look} texels={look.after} parts={parts} />
      </div>
      <p className="text-fine">
        Off by <span className="figures">{look.rms.toFixed(2)}</span>
        {`${unit}.`}
        {look.facts && ` ${look.facts.words}.`}
      </p>
      {parts.map((part) => (
        <Palette key={part.title} part={part} />
      ))}
      {look.facts && <p className="figures break-all text-ink-2">{look.facts.stored}</p>}
    </>
  );
}

/** Its texels as squares; those after compression say which entry they took. */
function Texels({ words, look, texels, parts = [] }: { words: string; look: Look; texels: number[][]; parts?: Part[] }) {
  return (
    <figure className="flex flex-col gap-1">
      <div className="checks grid" style={{ gridTemplateColumns: `repeat(${String(look.width)}, 30px)` }}>
        {texels.map((texel, n) => {
          const place = Math.floor(n / look.width) * 4 + (n % look.width);
          const part = parts.find((one) => one.texels.includes(place));
          const index = part?.indices[part.texels.indexOf(place)];
          const colour = swatch(texel);
          return (
            <span
              key={n}
              title={texel.join(", ")}
              className="figures flex h-[30px] items-center justify-center"
              style={{ background: colour.css, color: colour.light ? "#000" : "#fff" }}
            >
              {index}
            </span>
          );
        })}
      </div>
      <figcaption className="text-fine text-ink-2">{words}</figcaption>
    </figure>
  );
}

/** What the texels of a part could choose from, and how many chose each. */
function Palette({ part }: { part: Part }) {
  return (
    <div className="flex flex-col gap-0.5">
      <span className="text-fine text-ink-2">{part.title}</span>
      <ol aria-label={`Palette: ${part.title}`} className="checks flex">
        {part.palette.map((entry, n) => {
          const colour = swatch(entry);
          const taken = part.indices.filter((index) => index === n).length;
          return (
            <li
              key={n}
              title={`${entry.join(", ")}; taken by ${String(taken)}`}
              className="figures flex h-5 min-w-0 flex-1 items-center justify-center"
              style={{ background: colour.css, color: colour.light ? "#000" : "#fff" }}
            >
              {taken > 0 && part.palette.length <= 8 ? n : taken > 0 ? "·" : ""}
            </li>
          );
        })}
      </ol>
    </div>
  );
}

/** The colour that numbers stand for: one is grey, two are x and y of a vector. */
function swatch(numbers: readonly number[]): { css: string; light: boolean } {
  const [first = 0, second = first, third, alpha = 255] = numbers;
  const [x, y] = [first / 127.5 - 1, second / 127.5 - 1];
  const up = numbers.length === 2 ? 127.5 + 127.5 * Math.sqrt(Math.max(0, 1 - x * x - y * y)) : first;
  const rgb = [first, second, third ?? up].map((value) => Math.round(Math.min(255, Math.max(0, value))));
  const [r = 0, g = 0, b = 0] = rgb;
  return {
    css: `rgb(${String(r)} ${String(g)} ${String(b)} / ${(alpha / 255).toFixed(3)})`,
    light: alpha < 96 || 0.299 * r + 0.587 * g + 0.114 * b > 140,
  };
}
