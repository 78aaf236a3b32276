import * as THREE from "three";
import { SRGB, VECTORS } from "./shaders";
import { Stagehand } from "./stagehand";
import { flatTexture, Textures, type Kind, type Loaded, type TextureSource } from "./textures";

export type Channel = "all" | "r" | "g" | "b" | "a";

const KINDS: readonly Kind[] = ["colour", "vector", "data"];

export interface FlatLook {
  /** What is shown, and what is left of the wipe. */
  right: TextureSource | null;
  left: TextureSource | null;
  /** Where the wipe stands, 0..1 of the width; 0 shows only the right. */
  wipe: number;
  repeat: number;
  seams: boolean;
  channel: Channel;
  backdrop: "grey" | "white" | "checks";
  zoom: number;
  panX: number;
  panY: number;
}

const FRAGMENT = /* glsl */ `
precision highp float;
uniform sampler2D rightMap, leftMap;
uniform vec2 rightSize, leftSize, view, pan;
uniform float repeats, zoom, wipe, seams;
uniform int channel, backdrop, rightKind, leftKind;
uniform bool rightDecode, leftDecode, rightTwo, leftTwo, hasLeft;
${SRGB}
${VECTORS}

// Kinds: 0 colour, 1 vectors whose third channel may have to be rebuilt, 2 data shown as grey.
vec4 shown(vec4 texel, int kind, bool decode, bool two) {
  if (kind == 1) return vec4(readVector(texel, two, 1.0) * 0.5 + 0.5, 1.0);
  if (kind == 2) return vec4(texel.rrr, 1.0);
  vec4 c = texel;
  if (!decode) c.rgb = toSrgb(c.rgb);
  return c;
}

void main() {
  vec2 p = vec2(gl_FragCoord.x, view.y - gl_FragCoord.y);
  bool onLeft = hasLeft && p.x < wipe * view.x;
  vec2 size = onLeft ? leftSize : rightSize;
  vec2 whole = size * repeats;
  float fit = repeats < 1.5 ? min(view.x / whole.x, view.y / whole.y) : max(view.x / whole.x, view.y / whole.y);
  float scale = fit * zoom;
  vec2 uv = ((p - view * 0.5) / scale + pan * whole) / size + repeats * 0.5;
  // Both are sampled everywhere, so that levels are chosen rightly on the line of the wipe.
  vec4 rightTexel = texture2D(rightMap, uv), leftTexel = texture2D(leftMap, uv);
  vec4 c = onLeft ? shown(leftTexel, leftKind, leftDecode, leftTwo) : shown(rightTexel, rightKind, rightDecode, rightTwo);
  bool outside = any(lessThan(uv, vec2(0.0))) || any(greaterThan(uv, vec2(repeats)));
  vec3 ground = vec3(0.467);
  vec3 behind = ground;
  if (backdrop == 1) behind = vec3(1.0);
  if (backdrop == 2) {
    vec2 cell = floor(p / 8.0);
    behind = vec3(mod(cell.x + cell.y, 2.0) < 0.5 ? 0.42 : 0.515);
  }
  vec3 rgb = mix(behind, c.rgb, c.a);
  if (channel == 1) rgb = c.rrr;
  if (channel == 2) rgb = c.ggg;
  if (channel == 3) rgb = c.bbb;
  if (channel == 4) rgb = c.aaa;
  if (outside) rgb = ground;
  if (seams > 0.5 && !outside) {
    vec2 away = abs(fract(uv + 0.5) - 0.5) * size * scale;
    float line = min(away.x, away.y);
    if (line < 1.0) {
      float dash = mod(p.x + p.y, 8.0) < 4.0 ? 1.0 : 0.0;
      rgb = vec3(dash);
    }
  }
  gl_FragColor = vec4(rgb, 1.0);
}
`;

/** A map laid flat, repeated, compared by a wipe: all of it in one shader. */
export class FlatView {
  private readonly hand: Stagehand;
  private readonly textures: Textures;
  private readonly material: THREE.ShaderMaterial;
  private readonly scene = new THREE.Scene();
  private readonly camera = new THREE.OrthographicCamera(-1, 1, 1, -1, 0, 1);
  private turn = 0;
  private look: FlatLook | null = null;

  constructor(
    canvas: HTMLCanvasElement,
    private readonly told: (problem: unknown) => void,
    private readonly onShown: (loaded: Loaded | null) => void,
  ) {
    const blank = flatTexture(119, 119, 119);
    this.material = new THREE.ShaderMaterial({
      vertexShader: "void main() { gl_Position = vec4(position.xy, 0.0, 1.0); }",
      fragmentShader: FRAGMENT,
      depthTest: false,
      uniforms: {
        rightMap: { value: blank },
        leftMap: { value: blank },
        rightSize: { value: new THREE.Vector2(1, 1) },
        leftSize: { value: new THREE.Vector2(1, 1) },
        view: { value: new THREE.Vector2(1, 1) },
        pan: { value: new THREE.Vector2(0, 0) },
        repeats: { value: 1 },
        zoom: { value: 1 },
        wipe: { value: 0 },
        seams: { value: 0 },
        channel: { value: 0 },
        backdrop: { value: 0 },
        rightDecode: { value: false },
        leftDecode: { value: false },
        rightTwo: { value: false },
        leftTwo: { value: false },
        rightKind: { value: 0 },
        leftKind: { value: 0 },
        hasLeft: { value: false },
      },
    });
    this.scene.add(new THREE.Mesh(new THREE.PlaneGeometry(2, 2), this.material));
    this.hand = new Stagehand(canvas, (renderer, width, height) => {
      const ratio = renderer.getPixelRatio();
      this.value("view", new THREE.Vector2(width * ratio, height * ratio));
      renderer.render(this.scene, this.camera);
    });
    this.textures = new Textures(this.hand.renderer);
  }

  /** Show something else; what is on screen stays until the new texels are there. */
  async show(look: FlatLook): Promise<void> {
    this.look = look;
    const turn = ++this.turn;
    try {
      const [right, left] = await Promise.all([
        look.right ? this.textures.load(look.right) : null,
        look.left ? this.textures.load(look.left) : null,
      ]);
      if (turn !== this.turn) return;
      this.place("right", right, look.right);
      this.place("left", left, look.left);
      this.value("hasLeft", left !== null);
      this.onShown(right);
      this.apply(look);
    } catch (problem) {
      if (turn === this.turn) this.told(problem);
    }
  }

  /** Change how the present texels are shown, at once. */
  adjust(look: FlatLook) {
    if (this.look?.right?.key === look.right?.key && this.look?.left?.key === look.left?.key) this.apply(look);
  }

  dispose() {
    this.turn += 1;
    this.textures.dispose();
    this.material.dispose();
    this.hand.dispose();
  }

  private apply(look: FlatLook) {
    this.value("repeats", look.repeat);
    this.value("zoom", look.zoom);
    this.value("pan", new THREE.Vector2(look.panX, look.panY));
    this.value("wipe", look.wipe);
    this.value("seams", look.seams ? 1 : 0);
    this.value("channel", ["all", "r", "g", "b", "a"].indexOf(look.channel));
    this.value("backdrop", ["grey", "white", "checks"].indexOf(look.backdrop));
    this.hand.ask();
  }

  private place(side: "right" | "left", loaded: Loaded | null, source: TextureSource | null) {
    if (!loaded || !source) return;
    this.value(`${side}Kind`, KINDS.indexOf(source.kind));
    this.value(`${side}Map`, loaded.texture);
    this.value(`${side}Size`, new THREE.Vector2(loaded.width, loaded.height));
    this.value(`${side}Decode`, loaded.decode);
    this.value(`${side}Two`, loaded.stored === "BC5");
  }

  private value(name: string, value: unknown) {
    const uniform = this.material.uniforms[name];
    if (uniform) uniform.value = value;
  }
}
