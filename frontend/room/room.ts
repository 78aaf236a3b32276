/** Saltglass's room. It knows its own server, which knows the game folder, and nothing else. */
import * as THREE from "three";
import { shapes } from "./shapes";
import { dress, type Wear } from "./wear";

interface Scene {
  turn: number;
  folder: string;
  /** What the game's profile multiplies colours by on import. */
  gain: [number, number, number];
  ours: Record<string, Wear | null>;
  original: Record<string, Wear | null>;
  log: { word: string; path: string; text: string }[];
}

type Which = "ours" | "original";

function element(id: string): HTMLElement {
  const found = document.getElementById(id);
  if (!found) throw new Error(`The page has no ${id}`);
  return found;
}

const canvas = element("room") as HTMLCanvasElement;
const renderer = new THREE.WebGLRenderer({ canvas, antialias: true });
renderer.outputColorSpace = THREE.LinearSRGBColorSpace; // The shader encodes for itself.
const scene = new THREE.Scene();
scene.background = new THREE.Color(0xa9bcc0);
const camera = new THREE.PerspectiveCamera(52, 1, 0.05, 60);
const objects = shapes();
for (const meshes of Object.values(objects)) scene.add(...meshes);

const state = { which: "ours" as Which, near: false, sun: 0.62, yaw: 0, pitch: 0, forward: 0 };
const dressed: Record<Which, Map<string, THREE.ShaderMaterial>> = { ours: new Map(), original: new Map() };

let asked = false;
function ask() {
  if (asked) return;
  asked = true;
  requestAnimationFrame(() => {
    asked = false;
    draw();
  });
}

function draw() {
  const { clientWidth, clientHeight } = canvas;
  if (clientWidth === 0 || clientHeight === 0) return;
  renderer.setSize(clientWidth, clientHeight, false);
  camera.aspect = clientWidth / clientHeight;
  camera.updateProjectionMatrix();
  const eye = state.near ? new THREE.Vector3(-0.5, 1.35, 0.4) : new THREE.Vector3(-0.9, 1.75, 5.9);
  eye.z -= state.forward;
  camera.position.copy(eye);
  const yaw = state.yaw - 0.12;
  const pitch = state.pitch - (state.near ? 0.42 : 0.1);
  camera.lookAt(
    eye.x + Math.sin(-yaw) * Math.cos(pitch),
    eye.y + Math.sin(pitch),
    eye.z - Math.cos(-yaw) * Math.cos(pitch),
  );
  const sun = new THREE.Vector3(Math.cos(state.sun), 0.75, Math.sin(state.sun)).normalize();
  for (const [thing, meshes] of Object.entries(objects)) {
    const material = dressed[state.which].get(thing);
    for (const mesh of meshes) {
      mesh.visible = material !== undefined;
      if (material) {
        mesh.material = material;
        const uniform = material.uniforms["sun"];
        if (uniform) uniform.value = sun;
      }
    }
  }
  renderer.render(scene, camera);
}

function say(words: string) {
  element("say").textContent = words;
}

function showLog(log: Scene["log"]) {
  const rows = log.map(({ word, path, text }) => {
    const row = document.createElement("tr");
    row.className = word;
    for (const cell of [word, path, text]) row.insertCell().textContent = cell;
    return row;
  });
  element("log").querySelector("tbody")?.replaceChildren(...rows);
}

async function read() {
  const answer = await fetch("/scene.json");
  const told = (await answer.json()) as Scene;
  const before = [...dressed.ours.values(), ...dressed.original.values()];
  const decoded = new Set<string>();
  for (const which of ["ours", "original"] as const) {
    const entries = await Promise.all(
      Object.entries(told[which]).map(async ([thing, wear]) => {
        const made = await dress(renderer, wear, (slot) => `/texture/${which}/${thing}/${slot}`, told.gain);
        for (const format of made.decoded) decoded.add(format);
        return [thing, made.material] as const;
      }),
    );
    dressed[which] = new Map(entries);
  }
  for (const material of before) {
    for (const { value } of Object.values(material.uniforms)) if (value instanceof THREE.Texture) value.dispose();
    material.dispose();
  }
  element("folder").textContent = told.folder.split(/[\\/]/).slice(-2).join(" / ");
  element("folder").title = told.folder;
  showLog(told.log);
  const troubles = told.log.filter((line) => !["read", "note"].includes(line.word)).length;
  const blocks = decoded.size ? ` This machine cannot take ${[...decoded].join(", ")}: texels were decoded.` : "";
  say(`${troubles ? `${troubles} line${troubles === 1 ? "" : "s"} to look at in the log.` : "All was read."}${blocks}`);
  ask();
  canvas.dataset["turn"] = String(told.turn);
  canvas.dataset["state"] = "shown";
}

async function reload() {
  canvas.dataset["state"] = "loading";
  say("Reading the folder…");
  try {
    await fetch("/reload", { method: "POST" });
    await read();
  } catch (problem) {
    canvas.dataset["state"] = "failed";
    say(`The room could not be shown: ${problem instanceof Error ? problem.message : String(problem)}. Read it again.`);
  }
}

async function update() {
  canvas.dataset["state"] = "loading";
  say("Updating…");
  try {
    const answer = await fetch("/update", { method: "POST" });
    if (!answer.ok) throw new Error(await answer.text());
    const { written } = (await answer.json()) as { written: number };
    await read();
    say(`Updated: ${String(written)} file${written === 1 ? "" : "s"} written.`);
  } catch (problem) {
    canvas.dataset["state"] = "shown";
    say(problem instanceof Error ? problem.message : String(problem));
  }
}

function show(which: Which) {
  state.which = which;
  element("original").setAttribute("aria-pressed", String(which === "original"));
  ask();
}

function stepNear() {
  state.near = !state.near;
  element("near").setAttribute("aria-pressed", String(state.near));
  ask();
}

let moving = 0;
function moveSun() {
  const on = moving === 0;
  element("sun").setAttribute("aria-pressed", String(on));
  if (on) {
    moving = window.setInterval(() => {
      state.sun += 0.03;
      ask();
    }, 40);
  } else {
    window.clearInterval(moving);
    moving = 0;
  }
}

function toggleLog() {
  const log = element("log");
  log.hidden = !log.hidden;
  element("show-log").setAttribute("aria-expanded", String(!log.hidden));
}

element("original").addEventListener("click", () => {
  show(state.which === "ours" ? "original" : "ours");
});
element("near").addEventListener("click", stepNear);
element("sun").addEventListener("click", moveSun);
element("reload").addEventListener("click", () => void reload());
element("update").addEventListener("click", () => void update());
element("show-log").addEventListener("click", toggleLog);

window.addEventListener("keydown", (event) => {
  if (event.repeat && event.key.toLowerCase() === "o") return;
  const turn = { ArrowLeft: [0.06, 0], ArrowRight: [-0.06, 0], ArrowUp: [0, 0.05], ArrowDown: [0, -0.05] }[event.key];
  if (turn) {
    state.yaw += turn[0] ?? 0;
    state.pitch += turn[1] ?? 0;
    ask();
  }
  const key = event.key.toLowerCase();
  if (key === "o") show("original");
  if (key === "n") stepNear();
  if (key === "m") moveSun();
  if (key === "r" && !event.ctrlKey && !event.metaKey) void reload();
  if (key === "u") void update();
  if (key === "l") toggleLog();
  if (key === "+" || key === "=") walk(0.25);
  if (key === "-") walk(-0.25);
});
window.addEventListener("keyup", (event) => {
  if (event.key.toLowerCase() === "o") show("ours");
});

function walk(by: number) {
  state.forward = Math.min(7, Math.max(-1, state.forward + by));
  ask();
}
canvas.addEventListener("wheel", (event) => {
  walk(event.deltaY < 0 ? 0.25 : -0.25);
}, { passive: true });
canvas.addEventListener("pointerdown", (event) => {
  canvas.setPointerCapture(event.pointerId);
});
canvas.addEventListener("pointermove", (event) => {
  if (!canvas.hasPointerCapture(event.pointerId)) return;
  state.yaw += event.movementX * 0.004;
  state.pitch = Math.min(0.9, Math.max(-0.9, state.pitch + event.movementY * 0.003));
  ask();
});
new ResizeObserver(ask).observe(canvas);

// Opened with "?fresh" the folder is read anew; otherwise the room shows what the game has loaded.
void (window.location.search.includes("fresh") ? reload() : read());
