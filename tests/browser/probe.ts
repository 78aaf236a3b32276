/** For the tests: read every texel of every level of a KTX2 file through three.js's loader. */
import * as THREE from "three";
import { KTX2Loader } from "three/examples/jsm/loaders/KTX2Loader.js";

const FRAGMENT = `
precision highp float;
uniform highp sampler2D map;
uniform int level;
out vec4 texel;
void main() { texel = texelFetch(map, ivec2(gl_FragCoord.xy), level); }
`;

async function texels(url: string): Promise<{ width: number; height: number; data: number[] }[]> {
  const renderer = new THREE.WebGLRenderer();
  renderer.outputColorSpace = THREE.LinearSRGBColorSpace;
  const texture = await new KTX2Loader().detectSupport(renderer).loadAsync(url);
  texture.colorSpace = THREE.NoColorSpace; // As stored.
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
  scene.add(new THREE.Mesh(new THREE.PlaneGeometry(2, 2), material));
  const camera = new THREE.OrthographicCamera();
  const mipmaps = (texture.mipmaps ?? []) as { width: number; height: number }[];
  return mipmaps.map(({ width, height }, level) => {
    const target = new THREE.WebGLRenderTarget(width, height, { depthBuffer: false });
    const uniform = material.uniforms["level"];
    if (uniform) uniform.value = level;
    renderer.setRenderTarget(target);
    renderer.render(scene, camera);
    const data = new Uint8Array(width * height * 4);
    renderer.readRenderTargetPixels(target, 0, 0, width, height, data);
    return { width, height, data: [...data] };
  });
}

Object.assign(window, { texels });
