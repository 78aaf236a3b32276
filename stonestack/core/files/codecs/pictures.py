"""Image files to pictures and back: PNG, JPEG, BMP, TGA, TIFF, WebP, OpenEXR and Radiance."""

from __future__ import annotations

import io
from dataclasses import dataclass

import numpy as np
from PIL import Image

from stonestack.core.files.codecs import apart
from stonestack.core.files.codecs.apart import Decoded
from stonestack.core.files.codecs.beyond import write_exr
from stonestack.core.files.codecs.headers import PILLOW, PictureFacts
from stonestack.core.files.codecs.imagefiles import Numbers, Wanted
from stonestack.core.files.codecs.profiles import Profile
from stonestack.core.files.codecs.sniff import FileKind
from stonestack.core.picture import colour
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.picture.texels import (
    Texels,
    at_depth,
    eight,
    full,
    normalised,
    quantised,
    to_texels,
)
from stonestack.core.runtime.errors import BadFile
from stonestack.core.runtime.parallel import over_bands
from stonestack.core.runtime.readers import reader

__all__ = ["PILLOW", "PictureFacts", "Survey"]

_PIECE = 1 << 18
"""Texels that are turned to light at once."""


@dataclass(frozen=True)
class Survey:
    """A picture as it is looked at: small, with what is known of all its texels.

    Parameters
    ----------
    facts : PictureFacts
    texels : ndarray, uint8 or uint16, shape (height, width, 4)
        As stored, upright, shrunk by a whole number.
    opaque, grey : bool
        Whether no texel of the full picture is clear, or coloured.
    alpha : bool
        Whether the file has alpha.
    unit : float
        Which share of the full picture's texels are unit vectors.
    span : (float, float)
        The range of stored floating-point or wide numbers that is 0..1 here.
    """

    facts: PictureFacts
    texels: Texels
    alpha: bool
    opaque: bool
    grey: bool
    unit: float
    span: tuple[float, float]


def facts(data: bytes, kind: FileKind) -> PictureFacts:
    """Read the header of an image file and check its size.

    Raises
    ------
    BadFile
        If the header is damaged, or claims more pixels than are taken in.
    """
    return apart.header(data, kind)


def survey(data: bytes, kind: FileKind, longest: int, quick: bool = False) -> Survey:
    """Read a whole image file, and return it small.

    Parameters
    ----------
    longest : int
        Its longest side is at least this, and less than twice as much, where the file's is not
        smaller.
    quick : bool
        Whether it may be decoded coarsely where the file allows that.

    Raises
    ------
    BadFile
        If the file is damaged, cut short or too large.
    """
    found = apart.decoded(data, kind, Wanted("inks", longest, quick))
    return Survey(
        found.facts,
        _four(found, 16),
        found.alpha,
        found.opaque,
        found.grey,
        found.unit,
        found.span,
    )


def read(
    data: bytes,
    kind: FileKind,
    space: Space,
    longest: int = 0,
    *,
    beyond_white: bool = False,
    plain_vectors: bool = False,
) -> Picture:
    """Read an image file as a working picture.

    Parameters
    ----------
    data : bytes
        The whole file.
    kind : FileKind
        As told by content.
    space : Space
        What its numbers mean: colour is decoded from sRGB to linear light (floating-point
        numbers above 1 are light already), vectors are scaled to -1..1 (green up) and brought
        to unit length, data is taken as it is.
    longest : int
        Shrink by a whole number to a longest side of no less than this; 0 for the full size.
    beyond_white : bool
        Whether light keeps its range; else it is brought to 0..1.
    plain_vectors : bool
        Whether vectors stay as long as they are stored.

    Raises
    ------
    BadFile
        If the file is damaged, cut short or too large.
    """
    found = apart.decoded(
        data, kind, Wanted("all" if space is Space.LINEAR else "nothing", longest)
    )
    bits = found.facts.bits
    if space is Space.VECTOR:
        body = found.numbers[..., :-1] if found.alpha else found.numbers
        if body.shape[2] != 3:
            raise BadFile(
                "not-a-normal-map",
                "A normal map needs red, green and blue; this picture is grey.",
                "Drop it on the Height course instead, and derive the normals from it.",
            )
        vectors = _values(body) * np.float32(2) - np.float32(1)
        return Picture(vectors if plain_vectors else normalised(vectors), space, bits=bits)
    alpha = found.alpha and not found.opaque
    profile = found.facts.profile if space is Space.LINEAR else None
    is_light = found.facts.light or (found.facts.floats and found.span[1] > 1)
    least, most = found.span if beyond_white and is_light else (0.0, 1.0)
    if profile is not None and (profile.is_srgb or not profile.exact):
        profile = None
    grey = found.numbers.shape[2] - found.alpha == 1
    body_channels = 3 if space is Space.LINEAR else 1
    height, width = found.numbers.shape[:2]
    pixels = np.empty((height, width, body_channels + alpha), np.float32)

    def rows(start: int, stop: int) -> None:
        numbers = found.numbers[start:stop]
        out = pixels[start:stop]
        values = _values(numbers[..., :-1] if found.alpha else numbers)
        if space is Space.LINEAR:
            if is_light:
                values = values * np.float32(most - least) + np.float32(least)
            out[..., :3] = values if is_light else _light(values, profile)
        elif grey:
            out[..., :1] = values
        else:
            out[..., :1] = values.mean(axis=2, keepdims=True, dtype=np.float32)
        if alpha:
            out[..., -1:] = _values(numbers[..., -1:])

    def band(start: int, stop: int) -> None:
        step = max(1, _PIECE // width)
        for top in range(start, stop, step):
            rows(top, min(stop, top + step))

    over_bands(band, height)
    return Picture(pixels, space, alpha=alpha, bits=bits)


@reader("stored texels", kind=FileKind.TIFF, deepest=16, to_srgb=True)
def stored(
    data: bytes, kind: FileKind, deepest: int = 8, to_srgb: bool = False, longest: int = 0
) -> Texels:
    """Read an image file's texels as they are stored, with no decoding of colour.

    Parameters
    ----------
    deepest : {8, 16}
        Sixteen bits are kept where this allows it, else rounded to eight.
    to_srgb : bool
        Whether another colour profile than sRGB is converted to it.
    longest : int
        Shrink by a whole number to a longest side of no less than this; 0 for the full size.

    Returns
    -------
    ndarray, uint8 or uint16, shape (height, width, 4)
        Alpha is full where there is none.
    """
    found = apart.decoded(data, kind, Wanted("all" if to_srgb else "inks", longest))
    texels = _four(found, deepest)
    profile = found.facts.profile
    if to_srgb and profile is not None and profile.exact and not profile.is_srgb:
        body = found.numbers[..., :-1] if found.alpha else found.numbers
        bits = 8 if texels.dtype == np.uint8 else 16
        texels[..., :3] = quantised(profile.to_srgb(_values(body)), bits)
    return texels


def _four(found: Decoded, deepest: int) -> Texels:
    """Return numbers as red, green, blue and alpha, at their own depth or less."""
    numbers = found.numbers
    if found.facts.light:
        numbers = numbers.copy()
        body = numbers[..., :-1] if found.alpha else numbers
        body[...] = colour.to_srgb(body)
    if numbers.dtype == np.float32:
        numbers = quantised(numbers, deepest)
    elif deepest == 8:
        numbers = at_depth(numbers, 8)
    texels: Texels = np.empty((*numbers.shape[:2], 4), numbers.dtype)
    texels[..., :3] = numbers[..., :-1] if found.alpha else numbers
    texels[..., 3] = numbers[..., -1] if found.alpha else full(texels)
    return texels


def _values(numbers: Numbers) -> Floats:
    """Return stored numbers as 0..1; no transfer function."""
    if numbers.dtype == np.float32:
        return np.asarray(numbers, np.float32)
    return numbers.astype(np.float32) / np.float32(full(numbers))


def _light(values: Floats, profile: Profile | None) -> Floats:
    """Return linear light, three channels, of stored values."""
    if profile is not None:
        values = profile.to_srgb(values)
    linear = colour.to_linear(values)
    return linear if linear.shape[2] == 3 else np.repeat(linear, 3, axis=2)


def write_texels(texels: Texels, kind: FileKind) -> bytes:
    """Write stored texels as an image file, at their own depth.

    Parameters
    ----------
    texels : ndarray, uint8 or uint16, shape (height, width, 1, 3 or 4)
        Sixteen bits are rounded to eight where the kind holds no more.

    Raises
    ------
    BadFile
        If ``kind`` is not an image kind.
    """
    if kind not in PILLOW:
        raise BadFile("not-written", f"{kind} is not an image kind.", "Choose png, tga or tiff.")
    if texels.shape[2] == 1:
        texels = texels[..., 0]
    if texels.dtype == np.uint16 and kind is FileKind.PNG:
        return deep_png(texels)
    buffer = io.BytesIO()
    if texels.dtype == np.uint16 and kind is FileKind.TIFF:
        import tifffile

        photometric = "minisblack" if texels.ndim == 2 else "rgb"
        extra = ["unassalpha"] if texels.ndim == 3 and texels.shape[2] == 4 else None
        tifffile.imwrite(buffer, texels, photometric=photometric, extrasamples=extra)
        return buffer.getvalue()
    image = Image.fromarray(np.ascontiguousarray(eight(texels)))
    if kind in (FileKind.JPEG, FileKind.BMP) and image.mode == "RGBA":
        image = image.convert("RGB")
    image.save(buffer, PILLOW[kind], **({"compress_level": 1} if kind is FileKind.PNG else {}))
    return buffer.getvalue()


def quick_png(picture: Picture) -> bytes:
    """Store a picture for the screen as a PNG of eight bits: larger than need be, but soon there.

    Runs are found in rows that were subtracted from their left neighbours: it takes about half
    of the time of the usual search, and is no larger.
    """
    import cv2

    texels = to_texels(picture)
    order = [0] if picture.pixels.shape[2] == 1 else [2, 1, 0, 3] if picture.alpha else [2, 1, 0]
    texels = np.ascontiguousarray(texels[..., order])
    how = (cv2.IMWRITE_PNG_COMPRESSION, 1, cv2.IMWRITE_PNG_STRATEGY, cv2.IMWRITE_PNG_STRATEGY_RLE)
    done, data = cv2.imencode(".png", texels, how)
    if not done:
        raise BadFile("not-written", "This picture cannot be shown.", "Choose another size.")
    return data.tobytes()


def deep_png(values: Texels) -> bytes:
    """Store sixteen bits a channel as a PNG, which Pillow does for grey only.

    Parameters
    ----------
    values : ndarray, uint16, shape (height, width) or (height, width, 3 or 4)
    """
    import cv2

    turned = values if values.ndim == 2 else values[..., [2, 1, 0, 3][: values.shape[2]]]
    done, data = cv2.imencode(".png", np.ascontiguousarray(turned))
    if not done:
        raise BadFile("not-written", "The PNG could not be made.", "Make the picture smaller.")
    return data.tobytes()


def write(picture: Picture, kind: FileKind, bits: int = 8) -> bytes:
    """Write a picture as an image file, with as many channels as it has.

    Parameters
    ----------
    bits : {8, 16, 32}
        Kinds that hold fewer get as many as they hold; EXR has at least sixteen. 32 bits are
        floating point; in a TIFF they are light where any of it lies beyond white.

    Raises
    ------
    BadFile
        If ``kind`` is not an image kind.
    """
    if kind is FileKind.EXR:
        return write_exr(picture, bits)
    if kind is FileKind.TIFF and bits > 16:
        return _single_tiff(picture)
    texels = to_texels(picture, min(bits, 16))
    channels = 1 if picture.pixels.shape[2] == 1 else 4 if picture.alpha else 3
    return write_texels(texels[..., :channels], kind)


def _single_tiff(picture: Picture) -> bytes:
    """Write a picture as a TIFF of single precision, as it is read: sRGB-encoded, or light."""
    import tifffile

    body = picture.body
    if picture.space is Space.VECTOR:
        body = body * np.float32(0.5) + np.float32(0.5)
    elif picture.space is Space.LINEAR and float(body.max(initial=0)) <= 1:
        body = colour.to_srgb(body)
    parts = [body] if picture.opacity is None else [body, picture.opacity]
    numbers = np.concatenate(parts, axis=2)
    grey = body.shape[2] == 1
    extra = None if picture.opacity is None else ["unassalpha"]
    buffer = io.BytesIO()
    tifffile.imwrite(
        buffer,
        numbers[..., 0] if numbers.shape[2] == 1 else numbers,
        photometric="minisblack" if grey else "rgb",
        planarconfig="contig",
        extrasamples=extra,
    )
    return buffer.getvalue()
