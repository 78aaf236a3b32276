import * as THREE from "three";
import { isLeft } from "@/api/client";
import { MOST_OFF } from "./layout";
import { SRGB, VECTORS } from "./shaders";
import { AGAIN_MS, Stagehand } from "./stagehand";
import { flatTexture, Textures, type Kind, type Loaded, type TextureSource } from "./textures";

/** How some engines lay each repeat, so that the eye finds the grid less easily. */
export type Cells = "plain" | "offset" | "mirrored" | "turned" | "both";
export const CELLS = [
  ["plain", "all alike"],
  ["offset", "every row half offset"],
  ["mirrored", "mirrored at random"],
  ["turned", "turned at random"],
  ["both", "turned and mirrored"],
] as const satisfies readonly (readonly [Cells, string])[];

export type Channel = "all" | "r" | "g" | "b" | "a";

/** What is seen of a compressed map: its texels, how far they are off, or how far each block is. */
export type Seen = "texels" | "difference" | "blocks";
const SEEN: readonly Seen[] = ["texels", "difference", "blocks"];


const KINDS: readonly Kind[] = ["colour", "vector", "data"];

export interface FlatLook {
  /** What is shown, and what is left of the wipe. */
  right: TextureSource | null;
  left: TextureSource | null;
  /** Where the wipe stands, 0..1 of the width; 0 shows only the right. */
  wipe: number;
  repeat: number;
  cells: Cells;
  seams: boolean;
  channel: Channel;
  /** The one level that is shown, spread over the size of the first; null is as the distance asks for. */
  level: number | null;
  /** Right of the wipe; against what is left of it. */
  seen: Seen;
  /** How many times a difference is shown. */
  gain: number;
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
uniform float level, gain;
uniform int channel, backdrop, rightKind, leftKind, cells, lost;
uniform bool rightDecode, leftDecode, rightTwo, leftTwo, hasLeft;
${SRGB}
${VECTORS}

// Kinds: 0 colour, 1 vectors whose third channel may have to be rebuilt, 2 data shown as grey.
vec4 shown(vec4 texel, int kind, bool decode, bool two, mat2 turn) {
  if (kind == 1) {
    vec3 v = readVector(texel, two, 1.0);
    // Rows run down and the y of vectors up: a cell's turn is theirs the other way round.
    v.xy = vec2(1.0, -1.0) * (turn * (vec2(1.0, -1.0) * v.xy));
    return vec4(v * 0.5 + 0.5, 1.0);
  }
  if (kind == 2) return vec4(texel.rrr, 1.0);
  vec4 c = texel;
  if (!decode) c.rgb = toSrgb(c.rgb);
  return c;
}

float drawn(vec2 cell, float n) {
  return fract(sin(dot(cell + n, vec2(12.9898, 78.233))) * 43758.5453);
}

// From a place in a cell to the place of the tile that is seen there.
mat2 cellTurn(vec2 cell, bool square) {
  mat2 turn = mat2(1.0);
  if (cells == 3 || cells == 4) {
    float quarter = floor(drawn(cell, 1.0) * 4.0);
    if (!square) quarter = 2.0 * mod(quarter, 2.0);
    if (quarter == 1.0) turn = mat2(0.0, 1.0, -1.0, 0.0);
    if (quarter == 2.0) turn = mat2(-1.0, 0.0, 0.0, -1.0);
    if (quarter == 3.0) turn = mat2(0.0, -1.0, 1.0, 0.0);
  }
  if (cells == 2 || cells == 4) {
    if (drawn(cell, 2.0) < 0.5) turn = turn * mat2(-1.0, 0.0, 0.0, 1.0);
    if (cells == 2 && drawn(cell, 3.0) < 0.5) turn = turn * mat2(1.0, 0.0, 0.0, -1.0);
  }
  return turn;
}

// So near that a texel takes more than three pixels, it is a square with an edge of about one pixel.
vec2 inTexels(vec2 place, vec2 size, float scale) {
  float steep = scale - 2.0;
  if (steep <= 1.0) return place;
  vec2 at = place * size - 0.5;
  return (floor(at) + clamp((fract(at) - 0.5) * steep + 0.5, 0.0, 1.0) + 0.5) / size;
}

vec4 levelTexel(sampler2D map, vec2 place, vec2 dx, vec2 dy) {
  return level < 0.0 ? textureGrad(map, place, dx, dy) : textureLod(map, place, level);
}

// Colour by as much as alpha lets through, and alpha.
vec4 asSeen(vec4 c) {
  return vec4(c.rgb * c.a, c.a);
}

// From none to the most that is told apart, ever lighter: for any eye.
vec3 heat(float share) {
  vec3 none = vec3(0.055, 0.075, 0.09), some = vec3(0.08, 0.36, 0.33), much = vec3(0.79, 0.55, 0.16), most = vec3(1.0, 0.97, 0.88);
  float s = clamp(share, 0.0, 1.0) * 3.0;
  return s < 1.0 ? mix(none, some, s) : s < 2.0 ? mix(some, much, s - 1.0) : mix(much, most, s - 2.0);
}

// Root of the mean squared difference of the block that holds a place: degrees for vectors, else levels of 255.
float blockLoss(vec2 place) {
  int at = max(0, int(level));
  ivec2 size = max(ivec2(1), ivec2(rightSize) >> at);
  ivec2 texel = ivec2(fract(place) * vec2(size));
  ivec2 corner = texel / 4 * 4, end = min(corner + 4, size);
  float sum = 0.0, count = 0.0;
  for (int n = 0; n < 16; n++) {
    ivec2 t = corner + ivec2(n % 4, n / 4);
    if (t.x >= end.x || t.y >= end.y) continue;
    vec4 a = texelFetch(leftMap, t, at), b = texelFetch(rightMap, t, at);
    if (rightKind == 1) {
      float apart = degrees(2.0 * asin(min(1.0, 0.5 * distance(readVector(a, leftTwo, 1.0), readVector(b, rightTwo, 1.0)))));
      sum += apart * apart;
      count += 1.0;
      continue;
    }
    vec4 d = 255.0 * (asSeen(shown(b, rightKind, rightDecode, rightTwo, mat2(1.0))) - asSeen(shown(a, leftKind, leftDecode, leftTwo, mat2(1.0))));
    sum += dot(d, d);
    count += 3.0;
  }
  return sqrt(sum / count);
}

void main() {
  vec2 p = vec2(gl_FragCoord.x, view.y - gl_FragCoord.y);
  bool onLeft = hasLeft && p.x < wipe * view.x;
  vec2 size = onLeft ? leftSize : rightSize;
  vec2 whole = size * repeats;
  float fit = repeats < 1.5 ? min(view.x / whole.x, view.y / whole.y) : max(view.x / whole.x, view.y / whole.y);
  float scale = fit * zoom;
  vec2 uv = ((p - view * 0.5) / scale + pan * whole) / size + repeats * 0.5;
  vec2 dx = dFdx(uv), dy = dFdy(uv);
  vec2 laid = uv;
  if (cells == 1 && mod(floor(uv.y), 2.0) > 0.5) laid.x += 0.5;
  bool square = abs(size.x - size.y) < 0.5;
  mat2 turn = cells > 1 ? cellTurn(floor(laid), square) : mat2(1.0);
  vec2 seen = cells > 1 ? turn * (fract(laid) - 0.5) + 0.5 : laid;
  float halved = exp2(max(0.0, level));
  seen = inTexels(seen, max(vec2(1.0), floor(size / halved)), scale * halved);
  // Levels follow the place before it is turned: at the edge of a cell it jumps.
  dx = turn * dx;
  dy = turn * dy;
  vec4 rightTexel = levelTexel(rightMap, seen, dx, dy), leftTexel = levelTexel(leftMap, seen, dx, dy);
  mat2 back = transpose(turn);
  vec4 c = onLeft ? shown(leftTexel, leftKind, leftDecode, leftTwo, back) : shown(rightTexel, rightKind, rightDecode, rightTwo, back);
  if (lost == 1 && hasLeft && !onLeft) {
    vec4 other = shown(leftTexel, leftKind, leftDecode, leftTwo, back);
    vec4 apart = abs(asSeen(c) - asSeen(other)) * gain;
    c = vec4(max(apart.rgb, vec3(apart.a)), 1.0);
  }
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
  if (lost == 2 && hasLeft && !onLeft) rgb = heat(blockLoss(cells > 1 ? turn * (fract(laid) - 0.5) + 0.5 : laid) / (rightKind == 1 ? ${MOST_OFF.vector.toFixed(1)} : ${MOST_OFF.data.toFixed(1)}));
  if (outside) rgb = ground;
  if (seams > 0.5 && !outside) {
    vec2 away = abs(fract(laid + 0.5) - 0.5) * size * scale;
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
  private readonly blank = flatTexture(119, 119, 119);
  private turn = 0;
  private look: FlatLook | null = null;

  constructor(
    canvas: HTMLCanvasElement,
    private readonly told: (problem: unknown) => void,
    private readonly onShown: (loaded: Loaded | null) => void,
  ) {
    const blank = this.blank;
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
        cells: { value: 0 },
        channel: { value: 0 },
        level: { value: -1 },
        lost: { value: 0 },
        gain: { value: 1 },
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

  /**
   * Show something else; what is on screen stays until the new texels are there, and is then seen as the view
   * stands by that time.
   */
  async show(look: FlatLook): Promise<void> {
    this.look = look;
    const turn = ++this.turn;
    this.hand.load();
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
      this.apply(this.look);
      this.hand.loaded();
    } catch (problem) {
      if (turn !== this.turn) return;
      if (isLeft(problem)) setTimeout(() => { if (turn === this.turn) void this.show(look); }, AGAIN_MS);
      else {
        this.told(problem);
        this.hand.loaded();
      }
    }
  }

  /** Change how the present texels are shown, at once. */
  adjust(look: FlatLook) {
    if (this.look?.right?.key !== look.right?.key || this.look?.left?.key !== look.left?.key) return;
    this.look = look;
    this.apply(look);
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
    this.value("cells", CELLS.findIndex(([name]) => name === look.cells));
    this.value("channel", ["all", "r", "g", "b", "a"].indexOf(look.channel));
    this.value("level", look.level ?? -1);
    this.value("lost", SEEN.indexOf(look.seen));
    this.value("gain", look.gain);
    this.value("backdrop", ["grey", "white", "checks"].indexOf(look.backdrop));
    this.hand.ask();
  }

  private place(side: "right" | "left", loaded: Loaded | null, source: TextureSource | null) {
    if (!loaded || !source) {
      this.value(`${side}Map`, this.blank);
      this.value(`${side}Kind`, 0);
      this.value(`${side}Decode`, true);
      return;
    }
    this.value(`${side}Kind`, KINDS.indexOf(source.kind));
    this.value(`${side}Map`, loaded.texture);
    this.value(`${side}Size`, new THREE.Vector2(loaded.width, loaded.height));
    this.value(`${side}Decode`, loaded.decode);
    this.value(`${side}Two`, loaded.channels === 2);
  }

  private value(name: string, value: unknown) {
    const uniform = this.material.uniforms[name];
    if (uniform) uniform.value = value;
  }
}
