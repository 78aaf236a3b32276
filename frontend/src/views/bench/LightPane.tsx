import { useEffect, useRef, useState } from "react";
import type { Schemas, SurfaceView } from "@/api/client";
import { useKnowledge } from "@/api/queries";
import { LightView, SLOTS, type Lamp, type LitSurface, type Slot } from "@/gl/light";
import type { TextureSource } from "@/gl/textures";
import { Choice } from "@/parts/Choice";
import { Hint } from "@/parts/Hint";
import { SunIcon } from "@/parts/icons";
import { kindOf } from "./kinds";
import { Missed, Pane } from "./Pane";
import type { Passing } from "./passing";

/** How long a control rests before a slow machine shades what it shows. */
const REST_MS = 300;

/** The surface in light, from its compressed blocks, as the GPU of the game will have it. */
export function LightPane({
  surface,
  passing,
  again,
}: {
  surface: SurfaceView;
  passing: Passing | null;
  /** Another number: what could not be shown is asked for again. */
  again: number;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const view = useRef<LightView | null>(null);
  const [lamp, setLamp] = useState<Lamp>({ shape: "sphere", from: 135, up: 45, fill: 0.25, tiling: 1, distance: 1 });
  const [problem, setProblem] = useState<unknown>(null);
  const [stored, setStored] = useState<string[]>([]);

  const { data: knowledge } = useKnowledge();
  const maps = Object.fromEntries(SLOTS.map((slot) => [slot, slotSource(surface, slot, passing, knowledge)])) as Record<
    Slot,
    TextureSource | null
  >;
  const normal = lit(surface, "normal", knowledge);
  const albedo = lit(surface, "albedo", knowledge);
  const look: LitSurface = {
    maps,
    gloss: surface.material?.gloss ?? 0.4,
    // A passing look is a picture before compression, where green always points up.
    greenDown: normal !== undefined && surface.outputs[normal.id]?.green === "down" && passing?.map !== normal.id,
    cutout: surface.material?.cutout ?? (albedo !== undefined && surface.outputs[albedo.id]?.format === "bc3"),
  };
  const latest = useRef({ look, lamp });
  useEffect(() => {
    latest.current = { look, lamp };
  });
  useEffect(() => {
    if (!canvas.current) return;
    const made = new LightView(canvas.current, latest.current.lamp, setProblem, (formats) => {
      setStored(formats);
      setProblem(null);
    });
    view.current = made;
    void made.show(latest.current.look);
    return () => {
      made.dispose();
      view.current = null;
    };
  }, []);
  const keys = SLOTS.map((slot) => maps[slot]?.key ?? "-").join();
  const isPassing = passing !== null;
  useEffect(() => {
    // On a slow machine the flat view follows the hand, and this one follows when it rests.
    const wait = isPassing && view.current?.slow ? REST_MS : 0;
    view.current?.expect();
    const timer = setTimeout(() => void view.current?.show(latest.current.look), wait);
    return () => {
      clearTimeout(timer);
    };
  }, [keys, look.gloss, look.greenDown, look.cutout, isPassing, again]);
  useEffect(() => {
    view.current?.adjust(lamp);
  }, [lamp]);

  const set = (part: Partial<Lamp>) => {
    setLamp((now) => ({ ...now, ...part }));
  };
  const turn = (dx: number, dy: number) => {
    setLamp((now) => ({
      ...now,
      from: (now.from - dx + 360) % 360,
      up: Math.min(90, Math.max(0, now.up - dy)),
    }));
  };
  return (
    <Pane
      title="In light"
      tools={
        <>
          <Choice
            label="Shape"
            value={lamp.shape}
            options={[
              ["plane", "Plane"],
              ["sphere", "Sphere"],
              ["cube", "Cube"],
            ]}
            onChoose={(shape) => {
              set({ shape });
            }}
          />
        </>
      }
    >
      <canvas
        ref={canvas}
        data-testid="light"
        data-stored={stored.join(" ")}
        aria-label="The surface in light. Drag or use the arrow keys to move the light."
        tabIndex={0}
        className="block h-full w-full cursor-move touch-none -outline-offset-2"
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
        }}
        onPointerMove={(event) => {
          if (event.currentTarget.hasPointerCapture(event.pointerId)) turn(event.movementX * 0.6, event.movementY * 0.4);
        }}
        onWheel={(event) => {
          set({ distance: Math.min(3, Math.max(0.35, lamp.distance * (event.deltaY > 0 ? 1.1 : 1 / 1.1))) });
        }}
        onKeyDown={(event) => {
          const by = { ArrowLeft: [-5, 0], ArrowRight: [5, 0], ArrowUp: [0, -5], ArrowDown: [0, 5] }[event.key];
          if (by) turn(by[0] ?? 0, by[1] ?? 0);
          if (event.key === "+" || event.key === "=") set({ distance: Math.max(0.35, lamp.distance / 1.1) });
          if (event.key === "-") set({ distance: Math.min(3, lamp.distance * 1.1) });
          if (event.key === "0") set({ distance: 1, from: 135, up: 45 });
        }}
      />
      <LampMark from={lamp.from} up={lamp.up} />
          <div className="absolute right-2.5 bottom-2.5 flex items-center gap-2.5 rounded-sm bg-label/85 px-2 py-1 text-label-ink">
            <Small label="From" hint="Degrees round the surface, from the right" value={lamp.from} most={360} onSet={(from) => { set({ from }); }} />
            <Small label="Up" hint="Degrees above the surface" value={lamp.up} most={90} onSet={(up) => { set({ up }); }} />
            <Small label="Fill" hint="Light from everywhere, in percent" value={Math.round(lamp.fill * 100)} most={100} onSet={(fill) => { set({ fill: fill / 100 }); }} />
            <Small label="Tiles" hint="How often the tile repeats" value={lamp.tiling} most={16} onSet={(tiling) => { set({ tiling: Math.max(1, tiling) }); }} />
          </div>
      {!maps.albedo && (
        <p className="absolute inset-0 flex items-center justify-center bg-ground px-10 text-center text-label-ink">
          The surface shows here when it has a colour
        </p>
      )}
      {problem !== null && <Missed error={problem} />}
    </Pane>
  );
}

/** The map of a surface that the light view uses in one of its slots. */
function lit(surface: SurfaceView, slot: Slot, knowledge: Schemas["Knowledge"] | undefined) {
  return surface.document.maps.find((m) => knowledge?.roles[m.role]?.light === slot);
}

function slotSource(
  surface: SurfaceView,
  slot: Slot,
  passing: Passing | null,
  knowledge: Schemas["Knowledge"] | undefined,
): TextureSource | null {
  const map = lit(surface, slot, knowledge);
  if (!map || !knowledge) return null;
  const kind = kindOf(surface, map.id, knowledge);
  const whole = surface.document.whole_texels;
  if (passing?.map === map.id) return { key: passing.key, compressed: false, kind, passing: true, whole };
  const key = surface.keys[map.id]?.compress;
  if (!key || (slot === "opacity" && !surface.outputs[map.id]?.delivered)) return null;
  return { key, compressed: true, kind, whole };
}

/** Where the light stands, seen from above: near the middle is high. */
function LampMark({ from, up }: { from: number; up: number }) {
  const angle = (from * Math.PI) / 180;
  const away = (1 - up / 90) * 24;
  return (
    <div className="pointer-events-none absolute bottom-3 left-3 h-14 w-14 rounded-full border border-label-ink/50 bg-label/40">
      <span
        className="absolute -mt-[6.5px] -ml-[6.5px] text-label-ink"
        style={{ left: `${27 + Math.cos(angle) * away}px`, top: `${27 - Math.sin(angle) * away}px` }}
      >
        <SunIcon />
      </span>
    </div>
  );
}

function Small({
  label,
  hint,
  value,
  most,
  onSet,
}: {
  label: string;
  hint: string;
  value: number;
  most: number;
  onSet: (value: number) => void;
}) {
  return (
    <Hint text={hint}>
      <label className="flex items-center gap-1 text-fine">
        {label}
        <input
          type="number"
          min={0}
          max={most}
          className="figures h-5 w-[33px] [appearance:textfield] rounded-sm border border-label-ink/40 bg-label px-1 text-right text-label-ink [&::-webkit-inner-spin-button]:hidden"
          value={Math.round(value)}
          onChange={(event) => {
            const typed = event.target.valueAsNumber;
            if (Number.isFinite(typed)) onSet(Math.min(most, Math.max(0, typed)));
          }}
        />
      </label>
    </Hint>
  );
}
