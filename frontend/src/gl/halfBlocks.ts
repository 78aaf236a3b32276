import * as THREE from "three";

/** Formats that three.js can upload and its loader does not know, by their Vulkan numbers. */
const FORMATS = new Map<number, THREE.CompressedPixelFormat>([
  [143, THREE.RGB_BPTC_UNSIGNED_Format],
  [144, THREE.RGB_BPTC_SIGNED_Format],
]);

/** Where a KTX2 file's header says these things, and where its list of levels begins (KTX 2.0, section 3). */
const AT = { format: 12, width: 20, height: 24, levels: 40, scheme: 44, index: 80 };
const INDEX_BYTES = 24;

/** The texture of a KTX2 file of half-precision blocks that are not packed; null for all others. */
export function halfBlocks(bytes: ArrayBuffer): THREE.CompressedTexture | null {
  const view = new DataView(bytes);
  const at = (place: number) => view.getUint32(place, true);
  const format = FORMATS.get(at(AT.format));
  if (format === undefined || at(AT.scheme) !== 0) return null;
  const [width, height] = [at(AT.width), at(AT.height)];
  const mipmaps = Array.from({ length: Math.max(1, at(AT.levels)) }, (_, level) => {
    const place = AT.index + level * INDEX_BYTES;
    const [offset, size] = [view.getBigUint64(place, true), view.getBigUint64(place + 8, true)].map(Number);
    return {
      data: new Uint8Array(bytes, offset, size),
      width: Math.max(1, width >> level),
      height: Math.max(1, height >> level),
    };
  });
  const texture = new THREE.CompressedTexture(mipmaps, width, height, format, THREE.HalfFloatType);
  texture.colorSpace = THREE.NoColorSpace;
  return texture;
}
