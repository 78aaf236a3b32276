import { useId } from "react";
import type { Edit, Schemas, SurfaceMap, SurfaceView } from "@/api/client";
import type { Seen } from "@/gl/flat";
import { MOST_OFF } from "@/gl/layout";
import { Choice } from "@/parts/Choice";
import { decibels } from "@/parts/figures";
import { BlockPart } from "./BlockPart";
import { kindOf } from "./kinds";
import { GAINS, levelCount, levelSize, useLoss, type Inspected } from "./losses";
import { OwnLevel } from "./OwnLevel";

interface Props {
  surface: SurfaceView;
  map: SurfaceMap;
  knowledge: Schemas["Knowledge"];
  textureKey: string;
  inspected: Inspected;
  onInspect: (inspected: Inspected) => void;
  change: (edit: Edit) => void;
  onProblem: (problem: unknown) => void;
}

const SEEN: readonly (readonly [Seen, string])[] = [
  ["texels", "Texels"],
  ["difference", "Difference"],
  ["blocks", "By block"],
];

/** What compression has cost: in figures, in the flat view, and block by block. */
export function LossPart({ surface, map, knowledge, textureKey, inspected, onInspect, change, onProblem }: Props) {
  const level = inspected.level ?? 0;
  const size = levelSize(map.size, level);
  const { data } = useLoss(textureKey, level);
  const gain = useId();
  const kind = kindOf(surface, map.id, knowledge);
  return (
    <section aria-label="What was lost" className="flex flex-col gap-2 border-t border-mortar pt-2">
      <h3 className="text-small font-semibold">What was lost</h3>
      <div className="flex items-center justify-between text-small">
        <span title="In the flat view, right of the wipe; left of it is the map before compression">Shown</span>
        <Choice
          label="Shown of the loss"
          value={inspected.seen}
          options={SEEN}
          onChoose={(seen) => {
            onInspect({ ...inspected, seen });
          }}
        />
      </div>
      {inspected.seen === "difference" && (
        <label htmlFor={gain} className="flex items-center justify-between text-small">
          Shown so many times as strong
          <select
            id={gain}
            value={inspected.gain}
            className="h-[21px] rounded-sm border border-joint bg-lime px-1"
            onChange={(event) => {
              onInspect({ ...inspected, gain: Number(event.target.value) });
            }}
          >
            {GAINS.map((times) => (
              <option key={times} value={times}>
                {times}
              </option>
            ))}
          </select>
        </label>
      )}
      {inspected.seen === "blocks" && <Legend most={`${String(MOST_OFF[kind])}${kind === "vector" ? "°" : ""}`} />}
      <LevelChoice map={map} inspected={inspected} onInspect={onInspect} />
      {level > 0 && (
        <OwnLevel
          surface={surface}
          map={map}
          level={level}
          textureKey={textureKey}
          change={change}
          onProblem={onProblem}
        />
      )}
      <dl className="grid grid-cols-[1fr_auto] text-small [&>dd]:text-right [&>dt]:text-ink-2">
        {figures(data?.lost, kind).map(([words, hint, value]) => (
          <Figure key={words} words={words} hint={hint} value={value} />
        ))}
      </dl>
      {data && data.lost.worst.length > 0 && (
        <div className="flex flex-wrap items-center gap-1 text-small">
          <span className="text-ink-2">Worst blocks</span>
          {data.lost.worst.map((block, n) => (
            <button
              key={`${String(block.x)}-${String(block.y)}`}
              type="button"
              aria-pressed={inspected.block?.x === block.x && inspected.block.y === block.y}
              aria-label={`Worst block ${String(n + 1)}, off by ${block.rms.toFixed(1)}`}
              title={`At ${String(block.x)}, ${String(block.y)}`}
              className="figures rounded-sm border border-joint px-1 hover:bg-verdigris-wash aria-pressed:bg-ink aria-pressed:text-lime"
              onClick={() => {
                onInspect({ ...inspected, level, block: { x: block.x, y: block.y } });
              }}
            >
              {block.rms.toFixed(1)}
            </button>
          ))}
        </div>
      )}
      {!inspected.block && <p className="text-fine text-ink-2">Press a place in the flat view to see its block near.</p>}
      {inspected.block && (
        <BlockPart
          textureKey={textureKey}
          level={level}
          size={size}
          block={inspected.block}
          unit={kind === "vector" ? "°" : " of 255"}
          onMove={(block) => {
            onInspect({ ...inspected, block });
          }}
          onClose={() => {
            onInspect({ ...inspected, block: null });
          }}
        />
      )}
    </section>
  );
}

function Figure({ words, hint, value }: { words: string; hint: string; value: string }) {
  return (
    <>
      <dt title={hint}>{words}</dt>
      <dd className="figures">{value}</dd>
    </>
  );
}

/** The measures of a level, with what they mean. */
function figures(lost: Schemas["Comparison"] | undefined, kind: string): [string, string, string][] {
  const said = (value: number | null | undefined, words: (value: number) => string) =>
    !lost ? "…" : value === null || value === undefined ? "exact" : words(value);
  const rows: [string, string, string][] = [];
  if (kind === "vector") {
    rows.push(["Off by", "Mean angle between the normals", said(lost?.mean_angle, (v) => `${v.toFixed(2)}°`)]);
    rows.push(["99 of 100 below", "All but one in a hundred are off by less", said(lost?.high_angle, (v) => `${v.toFixed(2)}°`)]);
  } else {
    const ofColour = lost?.psnr_alpha != null ? "PSNR of colour" : "PSNR";
    rows.push([ofColour, "Peak signal to noise; 40 dB is hardly seen", said(lost?.psnr, decibels)]);
    if (lost?.psnr_alpha != null) rows.push(["PSNR of alpha", "Of alpha alone", decibels(lost.psnr_alpha)]);
  }
  rows.push(["SSIM", "How alike the structure is; 1 is all alike", said(lost?.ssim, (v) => v.toFixed(4))]);
  rows.push(["Greatest difference", "Of one number, of 255", said(lost?.most, String)]);
  return rows;
}

/** What the colours of blocks stand for. */
function Legend({ most }: { most: string }) {
  return (
    <div className="figures flex items-center gap-2" title="Root of the mean squared difference of each block">
      0
      <span
        aria-hidden
        className="h-2.5 flex-1"
        style={{ background: "linear-gradient(90deg, rgb(14 19 23), rgb(20 92 84), rgb(201 140 41), rgb(255 247 224))" }}
      />
      {most} and more
    </div>
  );
}

/** Which level is looked at. */
function LevelChoice({ map, inspected, onInspect }: Pick<Props, "map" | "inspected" | "onInspect">) {
  const field = useId();
  return (
    <label htmlFor={field} className="flex items-center justify-between gap-2 text-small">
      Level
      <select
        id={field}
        value={inspected.level ?? ""}
        className="h-[21px] rounded-sm border border-joint bg-lime px-1"
        onChange={(event) => {
          const level = event.target.value === "" ? null : Number(event.target.value);
          onInspect({ ...inspected, level, block: null });
        }}
      >
        <option value="">by distance, figures of 0</option>
        {Array.from({ length: levelCount(map.size) }, (_, level) => {
          const { width, height } = levelSize(map.size, level);
          const own = map.levels.some((one) => one.level === level);
          return (
            <option key={level} value={level}>
              {`${String(level)}: ${String(width)} × ${String(height)}${own ? ", its own" : ""}`}
            </option>
          );
        })}
      </select>
    </label>
  );
}
