import * as THREE from "three";
import { isLeft } from "@/api/client";
import { SRGB, VECTORS } from "./shaders";
import { AGAIN_MS, Stagehand } from "./stagehand";
import { flatTexture, Textures, type TextureSource } from "./textures";

export type Shape = "plane" | "sphere" | "cube";
/** What the light view uses of a surface; roles say which of these they are. */
export const SLOTS = ["albedo", "normal", "specular", "opacity"] as const;
export type Slot = (typeof SLOTS)[number];

/** What is lit: it is shown all at once, as soon as its textures are there. */
export interface LitSurface {
  maps: Record<Slot, TextureSource | null>;
  gloss: number;
  /** The stored normals have green pointing down. */
  greenDown: boolean;
  cutout: boolean;
}

/** How it is lit and seen: followed at once, whatever is still loading. */
export interface Lamp {
  shape: Shape;
  /** Where the light comes from: degrees anticlockwise from the right, and up from the surface. */
  from: number;
  up: number;
  /** Light that comes from everywhere, 0..1. */
  fill: number;
  tiling: number;
  distance: number;
}

const VERTEX = /* glsl */ `
varying vec2 vUv;
varying vec3 vNormal, vPosition;
void main() {
  vUv = uv;
  vec4 world = modelMatrix * vec4(position, 1.0);
  vPosition = world.xyz;
  vNormal = normalize(mat3(modelMatrix) * normal);
  gl_Position = projectionMatrix * viewMatrix * world;
}
`;

const FRAGMENT = /* glsl */ `
precision highp float;
varying vec2 vUv;
varying vec3 vNormal, vPosition;
uniform sampler2D colourMap, normalMap, specularMap, alphaMap;
uniform vec3 toLight, toEye;
uniform float fill, gloss, green, fade;
uniform vec2 tiling;
uniform bool colourDecode, twoChannels, hasAlpha, cutout, parallel;
${SRGB}
${VECTORS}

void main() {
  // Rows of a texture run down, so v does too.
  vec2 uv = vec2(vUv.x, 1.0 - vUv.y) * tiling;
  vec4 base = texture2D(colourMap, uv);
  vec3 albedo = colourDecode ? fromSrgb(base.rgb) : base.rgb;
  float open = hasAlpha ? texture2D(alphaMap, uv).r : base.a;
  if (cutout && open < 0.5) discard;

  // Tangents from how position and texture place change across the screen.
  vec3 n = normalize(vNormal) * (gl_FrontFacing ? 1.0 : -1.0);
  vec3 px = dFdx(vPosition), py = dFdy(vPosition);
  vec2 ux = dFdx(vUv), uy = dFdy(vUv);
  vec3 cy = cross(py, n), cx = cross(n, px);
  vec3 t = cy * ux.x + cx * uy.x;
  vec3 b = cy * ux.y + cx * uy.y;
  float size = inversesqrt(max(dot(t, t), dot(b, b)) + 1e-20);
  vec3 m = readVector(texture2D(normalMap, uv), twoChannels, green);
  vec3 facing = normalize(mat3(t * size, b * size, n) * m);

  vec3 eye = parallel ? toEye : normalize(cameraPosition - vPosition);
  float lambert = max(dot(facing, toLight), 0.0);
  vec3 half_ = normalize(toLight + eye);
  float power = exp2(2.0 + gloss * 9.0);
  float shine = texture2D(specularMap, uv).r;
  float glint = pow(max(dot(facing, half_), 0.0), power) * (power + 2.0) / 8.0 * step(0.0, dot(n, toLight));
  float sky = fill * (0.6 + 0.4 * facing.y);
  vec3 light = albedo * (lambert + sky) + shine * (glint * lambert + sky * 0.25 * pow(1.0 - max(dot(facing, eye), 0.0), 3.0));
  vec3 lit = toSrgb(light);
  // Far ground goes over into the neutral backdrop.
  float away = fade > 0.0 ? smoothstep(fade * 0.45, fade, length(vPosition.xz)) : 0.0;
  gl_FragColor = vec4(mix(lit, vec3(0.467), away), 1.0);
}
`;

const GROUND = 2.6;

/** The surface in light, on a shape, from the compressed blocks. */
export class LightView {
  private readonly hand: Stagehand;
  private readonly textures: Textures;
  private readonly scene = new THREE.Scene();
  private readonly near = new THREE.PerspectiveCamera(32, 1, 0.1, 50);
  private readonly straight = new THREE.OrthographicCamera(-1, 1, 1, -1, -5, 5);
  private readonly body: THREE.ShaderMaterial;
  private readonly floor: THREE.ShaderMaterial;
  private readonly meshes: Record<Shape, THREE.Mesh>;
  private readonly ground: THREE.Mesh;
  private readonly white = flatTexture(255, 255, 255);
  private readonly black = flatTexture(0, 0, 0);
  private readonly up = flatTexture(128, 128, 255);
  private aspect = 1;
  private turn = 0;
  private lamp: Lamp;
  private lit = false;

  constructor(
    canvas: HTMLCanvasElement,
    lamp: Lamp,
    private readonly told: (problem: unknown) => void,
    private readonly onShown: (stored: string[]) => void,
  ) {
    this.lamp = lamp;
    this.body = this.material();
    this.floor = this.material();
    this.meshes = {
      plane: new THREE.Mesh(new THREE.PlaneGeometry(2, 2), this.body),
      sphere: new THREE.Mesh(new THREE.SphereGeometry(0.8, 96, 64), this.body),
      cube: new THREE.Mesh(new THREE.BoxGeometry(1.25, 1.25, 1.25), this.body),
    };
    this.ground = new THREE.Mesh(new THREE.PlaneGeometry(2 * GROUND, 2 * GROUND), this.floor);
    this.ground.rotation.x = -Math.PI / 2;
    this.scene.background = new THREE.Color(0.467, 0.467, 0.467);
    this.scene.add(this.ground, ...Object.values(this.meshes));
    this.hand = new Stagehand(canvas, (renderer, width, height) => {
      if (this.lit) renderer.render(this.scene, this.camera(this.lamp, width / height));
    });
    this.textures = new Textures(this.hand.renderer);
  }

  /** Whether this machine is too slow to shade every passing look. */
  get slow(): boolean {
    return this.hand.slow;
  }

  /** Something newer is about to be shown. */
  expect() {
    this.hand.load();
  }

  /**
   * Load what a surface needs, then show it whole; the old picture stays until then.
   *
   * What belongs to the textures (which way green points, what is cut out) changes with them and not before;
   * the lamp that stands when they come is the one that lights them.
   */
  async show(surface: LitSurface): Promise<void> {
    const turn = ++this.turn;
    this.hand.load();
    try {
      const load = (slot: Slot) => {
        const source = surface.maps[slot];
        return source ? this.textures.load(source) : Promise.resolve(null);
      };
      const found = await Promise.all([load("albedo"), load("normal"), load("specular"), load("opacity")]);
      if (turn !== this.turn) return;
      const [colour, normal, specular, alpha] = found;
      this.each("colourMap", colour?.texture ?? this.white);
      this.each("normalMap", normal?.texture ?? this.up);
      this.each("specularMap", specular?.texture ?? this.black);
      this.each("alphaMap", alpha?.texture ?? this.white);
      this.each("colourDecode", colour?.decode ?? false);
      this.each("twoChannels", normal?.channels === 2);
      this.each("hasAlpha", alpha !== null);
      this.aspect = colour ? colour.width / colour.height : 1;
      this.each("gloss", surface.gloss);
      this.each("green", surface.greenDown ? -1 : 1);
      this.each("cutout", surface.cutout);
      this.lit = true;
      this.onShown(found.flatMap((f) => (f ? [f.stored] : [])));
      this.adjust(this.lamp);
      this.hand.loaded();
    } catch (problem) {
      if (turn !== this.turn) return;
      if (isLeft(problem)) setTimeout(() => { if (turn === this.turn) void this.show(surface); }, AGAIN_MS);
      else {
        this.told(problem);
        this.hand.loaded();
      }
    }
  }

  /** Change light, shape or distance, at once. */
  adjust(lamp: Lamp) {
    this.lamp = lamp;
    const from = THREE.MathUtils.degToRad(lamp.from);
    const up = THREE.MathUtils.degToRad(lamp.up);
    // For a plane seen straight on, "up" is towards the eye; for shapes it is towards the sky.
    const flat = lamp.shape === "plane";
    const x = Math.cos(from) * Math.cos(up);
    const y = Math.sin(from) * Math.cos(up);
    const light = flat
      ? new THREE.Vector3(x, y, Math.sin(up))
      : new THREE.Vector3(x, Math.max(0.12, Math.sin(up) * 0.55 + y * 0.75), Math.max(0.18, Math.sin(up) * 0.85));
    this.each("toLight", light.normalize());
    this.each("fill", lamp.fill);
    this.each("parallel", flat);
    const n = lamp.tiling;
    set(this.body, "tiling", lamp.shape === "sphere" ? new THREE.Vector2(2 * n, n) : new THREE.Vector2(n, n));
    set(this.floor, "tiling", new THREE.Vector2(3 * n, 3 * n));
    set(this.body, "fade", 0);
    set(this.floor, "fade", GROUND);
    for (const [shape, mesh] of Object.entries(this.meshes)) mesh.visible = shape === lamp.shape;
    this.ground.visible = !flat;
    const { plane, sphere, cube } = this.meshes;
    plane.scale.set(Math.min(1, this.aspect), Math.min(1, 1 / this.aspect), 1);
    sphere.position.y = 0.8;
    cube.position.y = 0.64;
    sphere.rotation.set(0, -0.5, 0);
    cube.rotation.set(0, 0.6, 0);
    this.hand.ask();
  }

  dispose() {
    this.turn += 1;
    this.textures.dispose();
    this.body.dispose();
    this.floor.dispose();
    this.hand.dispose();
  }

  private camera(lamp: Lamp, aspect: number): THREE.Camera {
    if (lamp.shape === "plane") {
      const reach = lamp.distance;
      const wide = aspect > 1;
      this.straight.left = -(wide ? reach * aspect : reach);
      this.straight.right = -this.straight.left;
      this.straight.top = wide ? reach : reach / aspect;
      this.straight.bottom = -this.straight.top;
      this.straight.position.set(0, 0, 2);
      this.straight.lookAt(0, 0, 0);
      this.straight.updateProjectionMatrix();
      this.each("toEye", new THREE.Vector3(0, 0, 1));
      return this.straight;
    }
    const lift = 0.36;
    const away = 4.1 * lamp.distance;
    this.near.aspect = aspect;
    this.near.position.set(0, 0.7 + Math.sin(lift) * away, Math.cos(lift) * away);
    this.near.lookAt(0, 0.62, 0);
    this.near.updateProjectionMatrix();
    return this.near;
  }

  private material(): THREE.ShaderMaterial {
    return new THREE.ShaderMaterial({
      vertexShader: VERTEX,
      fragmentShader: FRAGMENT,
      side: THREE.DoubleSide,
      uniforms: {
        colourMap: { value: this.white },
        normalMap: { value: this.up },
        specularMap: { value: this.black },
        alphaMap: { value: this.white },
        toLight: { value: new THREE.Vector3(0, 0, 1) },
        toEye: { value: new THREE.Vector3(0, 0, 1) },
        fill: { value: 0.2 },
        gloss: { value: 0.5 },
        green: { value: 1 },
        fade: { value: 0 },
        tiling: { value: new THREE.Vector2(1, 1) },
        colourDecode: { value: false },
        twoChannels: { value: false },
        hasAlpha: { value: false },
        cutout: { value: false },
        parallel: { value: false },
      },
    });
  }

  private each(name: string, value: unknown) {
    set(this.body, name, value);
    set(this.floor, name, value);
  }
}

function set(material: THREE.ShaderMaterial, name: string, value: unknown) {
  const uniform = material.uniforms[name];
  if (uniform) uniform.value = value;
}
