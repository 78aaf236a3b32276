/** For the tests: read every texel of every level of a KTX2 file through the loaders that the views use. */
import * as THREE from "three";
import { KTX2Loader } from "three/examples/jsm/loaders/KTX2Loader.js";
import { halfBlocks } from "../../frontend/src/gl/halfBlocks";

const FRAGMENT = `
precision highp float;
uniform highp sampler2D map;
uniform int level;
out vec4 texel;
void main() { texel = texelFetch(map, ivec2(gl_FragCoord.xy), level); }
`;

interface Asked {
  /** Let the sampler decode sRGB; else numbers come as they are stored. */
  decoded?: boolean;
  /** Give numbers as they are; else bytes. */
  floats?: boolean;
}

const renderer = new THREE.WebGLRenderer();
renderer.outputColorSpace = THREE.LinearSRGBColorSpace;
const loader = new KTX2Loader().detectSupport(renderer);

/** Every level; null where this machine's sampler cannot decode what is asked for. */
async function texels(
  url: string,
  { decoded = false, floats = false }: Asked = {},
): Promise<{ width: number; height: number; data: number[] }[] | null> {
  const halves = halfBlocks(await (await fetch(url)).arrayBuffer());
  const texture = halves ?? (await loader.loadAsync(url));
  const s3tc = (texture.format as number) >= 0x83f0 && (texture.format as number) <= 0x83f3;
  if (decoded && s3tc && !renderer.extensions.has("WEBGL_compressed_texture_s3tc_srgb")) return null;
  if (floats) renderer.extensions.get("EXT_color_buffer_float");
  texture.colorSpace = decoded ? THREE.SRGBColorSpace : THREE.NoColorSpace;
  texture.minFilter = THREE.NearestMipmapNearestFilter;
  texture.magFilter = THREE.NearestFilter;
  texture.needsUpdate = true;
  const material = new THREE.RawShaderMaterial({
    glslVersion: THREE.GLSL3,
    vertexShader: "in vec3 position; void main() { gl_Position = vec4(position.xy, 0.0, 1.0); }",
    fragmentShader: FRAGMENT,
    uniforms: { map: { value: texture }, level: { value: 0 } },
    depthTest: false,
    blending: THREE.NoBlending,
  });
  const scene = new THREE.Scene();
  const plane = new THREE.PlaneGeometry(2, 2);
  scene.add(new THREE.Mesh(plane, material));
  const camera = new THREE.OrthographicCamera();
  const mipmaps = (texture.mipmaps ?? []) as { width: number; height: number }[];
  const levels = mipmaps.map(({ width, height }, level) => {
    const type = floats ? THREE.FloatType : THREE.UnsignedByteType;
    const target = new THREE.WebGLRenderTarget(width, height, { depthBuffer: false, type });
    const uniform = material.uniforms["level"];
    if (uniform) uniform.value = level;
    renderer.setRenderTarget(target);
    renderer.render(scene, camera);
    const data = floats ? new Float32Array(width * height * 4) : new Uint8Array(width * height * 4);
    renderer.readRenderTargetPixels(target, 0, 0, width, height, data);
    target.dispose();
    return { width, height, data: [...data] };
  });
  for (const each of [texture, material, plane]) each.dispose();
  return levels;
}

Object.assign(window, { texels });
