import { useState } from "react";
import { fetched, pictureUrl } from "@/api/client";
import { fromView, isLaid, toView, type Layout } from "@/gl/layout";

interface Props {
  label: string;
  /** The picture that colours are taken from. */
  contentKey: string | undefined;
  /** Whether one texel of it counts, and not the mean of a few. */
  exact?: boolean;
  layout: Layout;
  onPick: (colour: string) => void;
  onProblem: (problem: unknown) => void;
}

const LONGEST = 512;
const STEP = 0.02;

/** A colour taken from the picture: press on it, or move the ring by arrow keys and press Enter. */
export function PickOverlay({ label, contentKey, exact = false, layout, onPick, onProblem }: Props) {
  const [ring, setRing] = useState({ x: 0.5, y: 0.5 });
  if (!isLaid(layout) || !contentKey) return null;
  const cell = Math.floor((layout.repeat - 1) / 2);
  const pick = (x: number, y: number) => {
    colourAt(contentKey, x, y, exact).then(onPick, onProblem);
  };
  const middle = toView(layout, cell + ring.x, cell + ring.y);
  return (
    <svg
      className="absolute inset-0 h-full w-full cursor-crosshair overflow-hidden focus-visible:outline-2 focus-visible:outline-verdigris"
      role="application"
      aria-label={label}
      aria-roledescription="colour picker"
      tabIndex={0}
      onPointerDown={(event) => {
        const frame = event.currentTarget.getBoundingClientRect();
        const { u, v } = fromView(layout, event.clientX - frame.left, event.clientY - frame.top);
        const place = { x: u - Math.floor(u), y: v - Math.floor(v) };
        setRing(place);
        pick(place.x, place.y);
      }}
      onKeyDown={(event) => {
        const by = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
        if (by) {
          event.preventDefault();
          event.stopPropagation();
          const moved = (from: number, way: number) => (((from + way * STEP) % 1) + 1) % 1;
          setRing({ x: moved(ring.x, by[0] ?? 0), y: moved(ring.y, by[1] ?? 0) });
        }
        if (event.key === "Enter" || event.key === " ") {
          event.preventDefault();
          event.stopPropagation();
          pick(ring.x, ring.y);
        }
      }}
    >
      <g aria-hidden fill="none">
        <circle cx={middle.x} cy={middle.y} r={8} stroke="#000" strokeWidth={3} />
        <circle cx={middle.x} cy={middle.y} r={8} stroke="#fff" strokeWidth={1.25} />
      </g>
    </svg>
  );
}

/** The mean colour of a few texels about a place, or that of its one texel. */
async function colourAt(key: string, x: number, y: number, exact: boolean): Promise<string> {
  const url = exact ? pictureUrl(key) : pictureUrl(key, LONGEST);
  const picture = await createImageBitmap(new Blob([await fetched(url)]), { colorSpaceConversion: "none" });
  const side = exact ? 1 : 3;
  const about = (side - 1) / 2;
  const canvas = new OffscreenCanvas(side, side);
  const context = canvas.getContext("2d");
  if (!context) throw new Error("This browser has no canvas to read colours from.");
  const first = (share: number, length: number) =>
    Math.min(length - side, Math.max(0, Math.floor(share * length) - about));
  const [left, top] = [first(x, picture.width), first(y, picture.height)];
  context.drawImage(picture, left, top, side, side, 0, 0, side, side);
  const { data } = context.getImageData(0, 0, side, side);
  const mean = [0, 1, 2].map((k) => {
    let sum = 0;
    for (let n = k; n < data.length; n += 4) sum += data[n] ?? 0;
    return Math.round(sum / side ** 2);
  });
  return `#${mean.map((value) => value.toString(16).padStart(2, "0")).join("")}`;
}
