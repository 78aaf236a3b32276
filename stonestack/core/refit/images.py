"""Image files: same kind, mode, depth, packing and palette as the game's own."""

from __future__ import annotations

import io

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from stonestack.core.files.codecs import headers, pictures, tga
from stonestack.core.files.codecs.headers import Input
from stonestack.core.files.codecs.sniff import FileKind
from stonestack.core.picture.image import Bytes, Picture
from stonestack.core.picture.texels import Texels, at_depth, to_texels

Mask = NDArray[np.bool_]
_ENOUGH = 8
"""Free places of a palette that are enough for what changed."""
_PNG_DEPTH_AT = 24


def made(
    original: bytes, kind: FileKind, before: Picture, after: Picture
) -> tuple[bytes, int, int]:
    """Return the file with another picture, its texels in all, and how many changed."""
    header = pictures.facts(original, kind)
    count = after.width * after.height
    if header.bits == 16:
        deep = to_texels(after, 16)
        anew = int((deep != to_texels(before, 16)).any(axis=2).sum())
        return (_deep_file(original, kind, deep) if anew else original), count, anew
    new = to_texels(after)
    changed = (new != to_texels(before)).any(axis=2)
    if not changed.any():
        return original, count, 0
    anew = int(changed.sum())
    texels = np.where(changed[..., np.newaxis], new, at_depth(pictures.stored(original, kind), 8))
    if kind is FileKind.TGA:
        return _tga(original, texels, changed), count, anew
    return _pillow(original, kind, texels, changed), count, anew


def repalette(
    indices: Bytes, palette: Bytes, texels: Bytes, changed: Mask, most: int = 256
) -> tuple[Bytes, Bytes]:
    """Put changed texels into a palette: into new and free places where those are enough.

    Parameters
    ----------
    indices : ndarray, uint8, shape (height, width)
    palette : ndarray, uint8, shape (count, 4)
    texels : ndarray, uint8, shape (height, width, 4)
    changed : ndarray, bool, shape (height, width)
    most : int
        How many colours its kind allows; it grows up to that.

    Returns
    -------
    indices, palette : ndarray
        What did not change keeps its colour; in a palette with room it keeps its place too.
    """
    colours = np.unique(texels[changed], axis=0)
    unknown = _nearest(colours, palette)[1] > 0
    if unknown.any():
        kept = np.unique(indices[~changed])
        room = np.arange(len(palette), most)
        free = np.concatenate([room, np.setdiff1d(np.arange(len(palette)), kept)])
        if unknown.sum() <= len(room):
            palette = np.concatenate([palette, colours[unknown]])
        elif len(free) >= min(_ENOUGH, len(colours)):
            palette = np.concatenate([palette, np.zeros((len(room), 4), np.uint8)])
            palette[free] = _reduced(texels[changed], len(free))
        else:
            changed = np.ones_like(changed)
            palette = _reduced(texels.reshape(-1, 4), max(most, len(palette)))
    wanted, places = np.unique(texels[changed], axis=0, return_inverse=True)
    out = indices.copy()
    out[changed] = _nearest(wanted, palette)[0][places.reshape(-1)]
    return out, palette


def _reduced(texels: Bytes, count: int) -> Bytes:
    """Return ``count`` colours that stand for many."""
    unique = np.unique(texels, axis=0)
    if len(unique) <= count:
        return np.concatenate([unique, np.repeat(unique[-1:], count - len(unique), axis=0)])
    image = Image.fromarray(texels.reshape(1, -1, 4))
    small = image.quantize(count, Image.Quantize.FASTOCTREE)
    found = np.frombuffer(bytes(small.getpalette("RGBA") or b""), np.uint8).reshape(-1, 4)[:count]
    return np.concatenate([found, np.repeat(found[-1:], count - len(found), axis=0)])


def _nearest(colours: Bytes, palette: Bytes) -> tuple[NDArray[np.uint8], NDArray[np.float32]]:
    places = np.zeros(len(colours), np.uint8)
    gaps = np.zeros(len(colours), np.float32)
    wide = palette.astype(np.float32)
    for start in range(0, len(colours), 4096):
        part = colours[start : start + 4096].astype(np.float32)
        apart = np.square(part[:, np.newaxis] - wide).sum(axis=2)
        places[start : start + 4096] = apart.argmin(axis=1)
        gaps[start : start + 4096] = apart.min(axis=1)
    return places, gaps


def _tga(original: bytes, texels: Bytes, changed: Mask) -> bytes:
    file = tga.parse(original)
    if file.kind != 1:
        return tga.written(
            file, np.where(changed[..., np.newaxis], tga.values_of(file, texels), file.values)
        )
    before = file.palette()
    indices, palette = repalette(file.values[..., 0], before, texels, changed)
    if not np.array_equal(before, palette):
        file = tga.with_palette(file, palette)
    return tga.written(file, indices[..., np.newaxis])


def _pillow(original: bytes, kind: FileKind, texels: Bytes, changed: Mask) -> bytes:
    buffer = io.BytesIO()
    # It was read apart before, so it is known to be whole and to keep its bounds.
    with headers.untrusted(), headers.opened(Input(original), kind) as image:
        image.load()
        mode, info = image.mode, dict(image.info)
        options: dict[str, object] = {
            key: info[key] for key in ("icc_profile", "dpi", "exif", "gamma") if info.get(key)
        }
        if kind is FileKind.JPEG:
            from PIL import JpegImagePlugin

            options["qtables"] = image.quantization  # type: ignore[attr-defined]
            options["subsampling"] = JpegImagePlugin.get_sampling(image)
            options["progressive"] = bool(info.get("progressive"))
        if kind is FileKind.TIFF and info.get("compression", "raw") != "raw":
            options["compression"] = info["compression"]
        if mode == "P":
            indices = np.asarray(image)
            palette = _palette(image)
            depth = original[_PNG_DEPTH_AT] if kind is FileKind.PNG else 8
            places, palette = repalette(indices, palette, texels, changed, 1 << depth)
            if kind is FileKind.PNG:
                options["bits"] = depth
            out = Image.fromarray(places, "P")
            out.putpalette(np.ascontiguousarray(palette[:, :3]).tobytes(), "RGB")
            if "transparency" in info:
                options["transparency"] = np.ascontiguousarray(palette[:, 3]).tobytes()
        else:
            whole = Image.fromarray(np.ascontiguousarray(texels))
            out = whole.convert("RGB").convert(mode) if mode == "1" else whole.convert(mode)
    out.save(buffer, pictures.PILLOW[kind], **options)
    return buffer.getvalue()


def _palette(image: Image.Image) -> Bytes:
    colours = np.frombuffer(bytes(image.getpalette("RGB") or b""), np.uint8).reshape(-1, 3)
    out = np.full((len(colours), 4), 255, np.uint8)
    out[:, :3] = colours
    seen = image.info.get("transparency")
    if isinstance(seen, int):
        out[seen, 3] = 0
    elif isinstance(seen, bytes):
        out[: len(seen), 3] = np.frombuffer(seen, np.uint8)[: len(out)]
    return out


def _deep_file(original: bytes, kind: FileKind, texels: Texels) -> bytes:
    header = pictures.facts(original, kind)
    channels = 4 if header.alpha else 3
    if header.mode in ("I;16", "I;16B", "I;16L", "I", "L"):
        channels = 1
    return pictures.write_texels(texels[..., :channels], kind)
