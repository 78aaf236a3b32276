/** Textures of the game: the bytes of its own files, uploaded as they are. */
import * as THREE from "three";

export interface Described {
  path: string;
  format: "bc1" | "bc2" | "bc3" | "bc4" | "bc5" | "bc6h" | "bc7" | "rgba8";
  srgb: boolean;
  width: number;
  height: number;
  /** Bytes of each level, the largest first. */
  levels: number[];
}

export interface Uploaded {
  texture: THREE.Texture;
  /** The shader decodes sRGB, since this machine's sampler cannot for this format. */
  decode: boolean;
  twoChannels: boolean;
  /** Blocks went to the GPU as they are; otherwise decoded texels did. */
  asBlocks: boolean;
}

const FORMATS = {
  bc1: THREE.RGB_S3TC_DXT1_Format,
  bc2: THREE.RGBA_S3TC_DXT3_Format,
  bc3: THREE.RGBA_S3TC_DXT5_Format,
  bc7: THREE.RGBA_BPTC_Format,
  bc4: THREE.RED_RGTC1_Format,
  bc5: THREE.RED_GREEN_RGTC2_Format,
} as const;
const EXTENSIONS = {
  bc1: "WEBGL_compressed_texture_s3tc",
  bc2: "WEBGL_compressed_texture_s3tc",
  bc3: "WEBGL_compressed_texture_s3tc",
  bc7: "EXT_texture_compression_bptc",
  bc4: "EXT_texture_compression_rgtc",
  bc5: "EXT_texture_compression_rgtc",
} as const;
const CHANNELS = { bc1: 4, bc2: 4, bc3: 4, bc4: 1, bc5: 2, bc6h: 4, bc7: 4, rgba8: 4 } as const;

export async function upload(renderer: THREE.WebGLRenderer, url: string, described: Described): Promise<Uploaded> {
  const { format, srgb } = described;
  // BC6H is light beyond white, which this room does not show; its texels are decoded.
  const asBlocks = format !== "rgba8" && format !== "bc6h" && renderer.extensions.has(EXTENSIONS[format]);
  const wanted = asBlocks || format === "rgba8" ? url : `${url}?decoded`;
  const answer = await fetch(wanted);
  if (!answer.ok) throw new Error(`${described.path} could not be fetched`);
  const bytes = new Uint8Array(await answer.arrayBuffer());
  const texture = asBlocks ? blocks(bytes, described, format) : texels(bytes, described);
  const sampler = asBlocks && format !== "bc7" ? renderer.extensions.has("WEBGL_compressed_texture_s3tc_srgb") : asBlocks || CHANNELS[format] === 4;
  texture.colorSpace = srgb && sampler ? THREE.SRGBColorSpace : THREE.NoColorSpace;
  texture.wrapS = texture.wrapT = THREE.RepeatWrapping;
  texture.minFilter = THREE.LinearMipmapLinearFilter;
  texture.magFilter = THREE.LinearFilter;
  texture.anisotropy = 4;
  texture.needsUpdate = true;
  return { texture, decode: srgb && !sampler, twoChannels: format === "bc5", asBlocks };
}

function cut(bytes: Uint8Array, described: Described, size: (w: number, h: number, n: number) => number) {
  let at = 0;
  return described.levels.map((_, level) => {
    const width = Math.max(1, described.width >> level);
    const height = Math.max(1, described.height >> level);
    const length = size(width, height, level);
    const data = bytes.slice(at, at + length);
    at += length;
    return { data, width, height };
  });
}

function blocks(bytes: Uint8Array, described: Described, format: keyof typeof FORMATS): THREE.Texture {
  const levels = cut(bytes, described, (_w, _h, n) => described.levels[n] ?? 0);
  return new THREE.CompressedTexture(levels, described.width, described.height, FORMATS[format]);
}

function texels(bytes: Uint8Array, described: Described): THREE.Texture {
  const channels = CHANNELS[described.format];
  const levels = cut(bytes, described, (w, h) => w * h * channels);
  const format = { 1: THREE.RedFormat, 2: THREE.RGFormat, 4: THREE.RGBAFormat }[channels];
  const texture = new THREE.DataTexture(levels[0]?.data ?? null, described.width, described.height, format);
  texture.mipmaps = levels;
  texture.unpackAlignment = 1;
  return texture;
}

/** Loud on purpose: a texture is missing. */
export function placeholder(): THREE.Texture {
  const side = 16;
  const data = new Uint8Array(side * side * 4);
  for (let y = 0; y < side; y++) {
    for (let x = 0; x < side; x++) {
      const bar = (x + y) % side < side / 2;
      data.set(bar ? [255, 0, 160, 255] : [255, 240, 0, 255], (y * side + x) * 4);
    }
  }
  const texture = new THREE.DataTexture(data, side, side);
  texture.wrapS = texture.wrapT = THREE.RepeatWrapping;
  texture.magFilter = THREE.NearestFilter;
  texture.needsUpdate = true;
  return texture;
}
