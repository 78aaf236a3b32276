import * as THREE from "three";
import { KTX2Loader } from "three/examples/jsm/loaders/KTX2Loader.js";
import { fetched, pictureUrl, textureUrl } from "@/api/client";
import { inSlot } from "@/api/slots";

/** Where the texels of a view come from. */
export interface TextureSource {
  key: string;
  /** Compressed stages come as blocks in KTX2; all others as pictures. */
  compressed: boolean;
  kind: Kind;
  /** Known to be made, so that it need not wait its turn among what is still to be made. */
  made?: boolean;
}

/** What the numbers mean: colour stored in sRGB, unit vectors, or plain data. */
export type Kind = "colour" | "vector" | "data";

export interface Loaded {
  texture: THREE.Texture;
  width: number;
  height: number;
  /** The shader has to decode sRGB itself: the sampler of this machine cannot. */
  decode: boolean;
  /** What lies on the GPU. */
  stored: string;
}

const NAMES = new Map<number, string>([
  [THREE.RGB_S3TC_DXT1_Format, "BC1"],
  [THREE.RGBA_S3TC_DXT1_Format, "BC1"],
  [THREE.RGBA_S3TC_DXT5_Format, "BC3"],
  [THREE.RGBA_BPTC_Format, "BC7"],
  [THREE.RED_RGTC1_Format, "BC4"],
  [THREE.RED_GREEN_RGTC2_Format, "BC5"],
]);

/** Loads textures for one renderer and keeps the last few. */
export class Textures {
  private readonly kept = new Map<string, Promise<Loaded>>();
  private readonly ktx2: KTX2Loader;
  private readonly images = new THREE.TextureLoader();

  constructor(private readonly renderer: THREE.WebGLRenderer) {
    this.ktx2 = new KTX2Loader().detectSupport(renderer);
  }

  load(source: TextureSource): Promise<Loaded> {
    const name = `${source.key}:${source.compressed}`;
    const known = this.kept.get(name);
    if (known) {
      this.kept.delete(name);
      this.kept.set(name, known);
      return known;
    }
    const load = () => (source.compressed ? this.blocks(source) : this.picture(source));
    const loading = source.made ? load() : inSlot(null, load, true);
    this.kept.set(name, loading);
    loading.catch(() => this.kept.delete(name));
    this.trim();
    return loading;
  }

  dispose() {
    for (const loading of this.kept.values()) void loading.then((l) => { l.texture.dispose(); }, () => undefined);
    this.kept.clear();
    this.ktx2.dispose();
  }

  private trim() {
    while (this.kept.size > 24) {
      const [name, loading] = this.kept.entries().next().value ?? [];
      if (name === undefined) return;
      this.kept.delete(name);
      void loading?.then((l) => { l.texture.dispose(); }, () => undefined);
    }
  }

  private async picture({ key, kind }: TextureSource): Promise<Loaded> {
    const local = URL.createObjectURL(new Blob([await fetched(pictureUrl(key))]));
    const texture = await this.images.loadAsync(local).finally(() => {
      URL.revokeObjectURL(local);
    });
    texture.flipY = false;
    texture.colorSpace = kind === "colour" ? THREE.SRGBColorSpace : THREE.NoColorSpace;
    texture.generateMipmaps = true;
    texture.minFilter = THREE.LinearMipmapLinearFilter;
    const image = texture.image;
    return this.ready(texture, image.width, image.height, false, "picture");
  }

  private async blocks({ key }: TextureSource): Promise<Loaded> {
    const bytes = await fetched(textureUrl(key));
    const texture = await new Promise<THREE.CompressedTexture>((resolve, reject) => {
      this.ktx2.parse(bytes, resolve, reject);
    });
    const srgb = texture.colorSpace === THREE.SRGBColorSpace;
    const isBlocks = NAMES.has(texture.format);
    // Without the sRGB variant of the block formats the shader decodes instead.
    const own = texture.format === THREE.RGBA_BPTC_Format;
    const decode = srgb && isBlocks && !own && !this.renderer.extensions.has("WEBGL_compressed_texture_s3tc_srgb");
    if (decode) texture.colorSpace = THREE.NoColorSpace;
    const image = texture.image;
    texture.minFilter = THREE.LinearMipmapLinearFilter;
    return this.ready(texture, image.width, image.height, decode, NAMES.get(texture.format) ?? "RGBA8");
  }

  private ready(texture: THREE.Texture, width: number, height: number, decode: boolean, stored: string): Loaded {
    texture.wrapS = texture.wrapT = THREE.RepeatWrapping;
    texture.magFilter = THREE.LinearFilter;
    texture.anisotropy = 4;
    texture.needsUpdate = true;
    return { texture, width, height, decode, stored };
  }
}

/** One texel, for a map that is not there. */
export function flatTexture(r: number, g: number, b: number): THREE.Texture {
  const texture = new THREE.DataTexture(new Uint8Array([r, g, b, 255]), 1, 1);
  texture.wrapS = texture.wrapT = THREE.RepeatWrapping;
  texture.needsUpdate = true;
  return texture;
}
