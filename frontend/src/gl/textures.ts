import * as THREE from "three";
import { KTX2Loader } from "three/examples/jsm/loaders/KTX2Loader.js";
import { api, beforeUrl, fetched, got, pictureUrl, textureUrl, type Schemas } from "@/api/client";
import { queries } from "@/api/queries";
import { inSlot } from "@/api/slots";
import { texels } from "@/api/texels";
import { halfBlocks } from "./halfBlocks";

/** Where the texels of a view come from. */
export interface TextureSource {
  key: string;
  /** Compressed stages come as blocks in KTX2; all others as pictures. */
  compressed: boolean;
  /** Of a compressed stage, its levels as they were before. */
  before?: boolean;
  kind: Kind;
  /** A look that passes: made already, so that it need not wait its turn, and fetched as plain texels. */
  passing?: boolean;
  /** Its texels are squares, however near. */
  whole: boolean;
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
  channels: number;
}

/** Channels of what lies on the GPU uncompressed. */
const CHANNELS = new Map<number, number>([
  [THREE.RedFormat, 1],
  [THREE.RGFormat, 2],
]);

type Formats = Schemas["Knowledge"]["formats"];

/** What a format is to the GPU, as the server knows it. */
async function formats(): Promise<Formats> {
  const knowledge = await queries.query({
    queryKey: ["knowledge"],
    queryFn: () => got(api.GET("/api/knowledge")),
    staleTime: Infinity,
  });
  return knowledge.formats;
}

/** Loads textures for one renderer and keeps the last few. */
export class Textures {
  private readonly kept = new Map<string, Promise<Loaded>>();
  private readonly ktx2: KTX2Loader;
  private readonly images = new THREE.TextureLoader();

  constructor(private readonly renderer: THREE.WebGLRenderer) {
    this.ktx2 = new KTX2Loader().detectSupport(renderer);
  }

  load(source: TextureSource): Promise<Loaded> {
    const name = `${source.key}:${source.compressed}:${source.before ?? false}:${source.whole}`;
    const known = this.kept.get(name);
    if (known) {
      this.kept.delete(name);
      this.kept.set(name, known);
      return known;
    }
    const load = () => (source.compressed ? this.blocks(source) : this.picture(source));
    const coming = source.passing && !source.compressed ? this.texels(source) : inSlot(null, load, true);
    const loading = source.whole ? coming.then(squares) : coming;
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
    return this.ready(texture, image.width, image.height, false, "picture", 4);
  }

  private async texels({ key, kind }: TextureSource): Promise<Loaded> {
    const texture = await this.parsed(await texels(key));
    texture.colorSpace = kind === "colour" ? THREE.SRGBColorSpace : THREE.NoColorSpace;
    texture.generateMipmaps = true;
    texture.minFilter = THREE.LinearMipmapLinearFilter;
    const image = texture.image;
    return this.ready(texture, image.width, image.height, false, "picture", 4);
  }

  private parsed(bytes: ArrayBuffer): Promise<THREE.CompressedTexture> {
    const halves = halfBlocks(bytes);
    if (halves) return Promise.resolve(halves);
    return new Promise((resolve, reject) => {
      this.ktx2.parse(bytes, resolve, reject);
    });
  }

  private async blocks({ key, before }: TextureSource): Promise<Loaded> {
    const texture = await this.parsed(await fetched(before ? beforeUrl(key) : textureUrl(key)));
    const srgb = texture.colorSpace === THREE.SRGBColorSpace;
    const known = Object.values(await formats());
    const blocks = known.find((f) => f.gpu !== 0 && (f.gpu === texture.format || f.gpu_holes === texture.format));
    const channels = blocks?.channels ?? CHANNELS.get(texture.format) ?? 4;
    const plain = known.find((f) => f.gpu === 0 && f.channels === channels && f.keeps === channels);
    // Without the sRGB variant of the block formats the shader decodes instead.
    const own = texture.format === THREE.RGBA_BPTC_Format;
    const decode = srgb && blocks !== undefined && !own && !this.renderer.extensions.has("WEBGL_compressed_texture_s3tc_srgb");
    if (decode) texture.colorSpace = THREE.NoColorSpace;
    const image = texture.image;
    texture.minFilter = THREE.LinearMipmapLinearFilter;
    return this.ready(texture, image.width, image.height, decode, (blocks ?? plain)?.title ?? "RGBA8", channels);
  }

  private ready(texture: THREE.Texture, width: number, height: number, decode: boolean, stored: string, channels: number): Loaded {
    texture.wrapS = texture.wrapT = THREE.RepeatWrapping;
    texture.magFilter = THREE.LinearFilter;
    texture.anisotropy = 4;
    texture.needsUpdate = true;
    return { texture, width, height, decode, stored, channels };
  }
}

function squares(loaded: Loaded): Loaded {
  loaded.texture.magFilter = THREE.NearestFilter;
  return loaded;
}

/** One texel, for a map that is not there. */
export function flatTexture(r: number, g: number, b: number): THREE.Texture {
  const texture = new THREE.DataTexture(new Uint8Array([r, g, b, 255]), 1, 1);
  texture.wrapS = texture.wrapT = THREE.RepeatWrapping;
  texture.needsUpdate = true;
  return texture;
}
