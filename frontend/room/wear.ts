/** How an object of the room answers to light. */
import * as THREE from "three";
import { placeholder, upload, type Described, type Uploaded } from "./blocks";

export interface Wear {
  name: string;
  gloss: number;
  cutout: boolean;
  metres: number;
  from: string;
  slots: Record<string, Described | null>;
}

const VERTEX = /* glsl */ `
attribute vec2 metresUv;
varying vec2 vAt;
varying vec3 vNormal, vPosition;
void main() {
  vAt = metresUv;
  vec4 world = modelMatrix * vec4(position, 1.0);
  vPosition = world.xyz;
  vNormal = normalize(mat3(modelMatrix) * normal);
  gl_Position = projectionMatrix * viewMatrix * world;
}
`;

const FRAGMENT = /* glsl */ `
precision highp float;
varying vec2 vAt;
varying vec3 vNormal, vPosition;
uniform sampler2D colourMap, normalMap, shineMap, openingMap;
uniform vec3 sun, gain;
uniform float metres, gloss, glow;
uniform bool decode, twoChannels, cutout, hasOpening, unlit;

vec3 decoded(vec3 c) { return mix(c / 12.92, pow((c + 0.055) / 1.055, vec3(2.4)), step(0.04045, c)); }
vec3 encoded(vec3 c) {
  c = clamp(c, 0.0, 1.0);
  return mix(c * 12.92, 1.055 * pow(c, vec3(1.0 / 2.4)) - 0.055, step(0.0031308, c));
}

void main() {
  vec2 uv = vAt / metres;
  vec4 base = texture2D(colourMap, uv);
  vec3 albedo = decode ? decoded(base.rgb) : base.rgb;
  albedo *= gain;
  if (cutout && (hasOpening ? texture2D(openingMap, uv).r : base.a) < 0.5) discard;
  if (unlit) { gl_FragColor = vec4(encoded(albedo), 1.0); return; }
  vec3 n = normalize(vNormal) * (gl_FrontFacing ? 1.0 : -1.0);
  vec3 px = dFdx(vPosition), py = dFdy(vPosition);
  // Rows of a texture run down: what is up in it is against v.
  vec2 ux = dFdx(vAt) * vec2(1.0, -1.0), uy = dFdy(vAt) * vec2(1.0, -1.0);
  vec3 cy = cross(py, n), cx = cross(n, px);
  vec3 t = cy * ux.x + cx * uy.x, b = cy * ux.y + cx * uy.y;
  float size = inversesqrt(max(dot(t, t), dot(b, b)) + 1e-20);
  vec3 m = texture2D(normalMap, uv).xyz * 2.0 - 1.0;
  if (twoChannels) m.z = sqrt(max(0.0, 1.0 - dot(m.xy, m.xy)));
  vec3 facing = normalize(mat3(t * size, b * size, n) * normalize(m));
  vec3 eye = normalize(cameraPosition - vPosition);
  float lambert = max(dot(facing, sun), 0.0) * smoothstep(-0.1, 0.1, dot(n, sun));
  float power = exp2(2.0 + gloss * 9.0);
  float glint = pow(max(dot(facing, normalize(sun + eye)), 0.0), power) * (power + 2.0) / 8.0;
  float shine = texture2D(shineMap, uv).r;
  // Daylight from the glass roof, cooler; warm light back from the floor.
  vec3 sky = mix(vec3(0.24, 0.21, 0.17), vec3(0.5, 0.57, 0.6), facing.y * 0.5 + 0.5);
  float corner = smoothstep(0.0, 1.1, vPosition.y) * 0.35 + 0.65;
  vec3 light = albedo * (vec3(1.5, 1.36, 1.12) * lambert + sky * corner + glow);
  light += shine * (vec3(1.4, 1.3, 1.1) * glint * lambert + sky * 0.4 * pow(1.0 - max(dot(facing, eye), 0.0), 4.0));
  gl_FragColor = vec4(encoded(light * 0.92), 1.0);
}
`;

const WHITE = dot(255, 255, 255);
const BLACK = dot(0, 0, 0);
const UP = dot(128, 128, 255);

function dot(r: number, g: number, b: number): THREE.Texture {
  const texture = new THREE.DataTexture(new Uint8Array([r, g, b, 255]), 1, 1);
  texture.needsUpdate = true;
  return texture;
}

export interface Dressed {
  material: THREE.ShaderMaterial;
  /** Formats that had to be decoded for this machine. */
  decoded: string[];
}

/** Make the shader of an object from what the loader has read; a missing texture is loud. */
export async function dress(
  renderer: THREE.WebGLRenderer,
  wear: Wear | null,
  address: (slot: string) => string,
  gain: readonly number[],
): Promise<Dressed> {
  const fetched = new Map<string, Uploaded>();
  await Promise.all(
    Object.entries(wear?.slots ?? {}).map(async ([slot, described]) => {
      if (described) fetched.set(slot, await upload(renderer, address(slot), described));
    }),
  );
  const colour = fetched.get("colour");
  const missing = !wear || !colour || Object.values(wear.slots).some((d) => d === null);
  const uniforms = {
    colourMap: { value: missing ? placeholder() : colour.texture },
    normalMap: { value: fetched.get("normal")?.texture ?? UP },
    shineMap: { value: fetched.get("shine")?.texture ?? BLACK },
    openingMap: { value: fetched.get("opening")?.texture ?? WHITE },
    sun: { value: new THREE.Vector3(0, 1, 0) },
    gain: { value: missing ? new THREE.Vector3(1, 1, 1) : new THREE.Vector3(...gain) },
    metres: { value: missing ? 1 : wear.metres },
    gloss: { value: wear?.gloss ?? 0 },
    glow: { value: 0 },
    decode: { value: !missing && colour.decode },
    twoChannels: { value: fetched.get("normal")?.twoChannels ?? false },
    cutout: { value: !missing && wear.cutout },
    hasOpening: { value: fetched.has("opening") },
    unlit: { value: missing },
  };
  const material = new THREE.ShaderMaterial({
    vertexShader: VERTEX,
    fragmentShader: FRAGMENT,
    uniforms,
    side: THREE.DoubleSide,
  });
  const decoded = [...fetched].flatMap(([slot, u]) => {
    const format = wear?.slots[slot]?.format;
    return format && format !== "rgba8" && !u.asBlocks ? [format] : [];
  });
  return { material, decoded };
}
