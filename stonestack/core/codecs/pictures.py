"""Image files to pictures and back: PNG, JPEG, BMP, TGA and TIFF."""

from __future__ import annotations

import io
import struct
import warnings
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageOps

from stonestack.core import colour
from stonestack.core.codecs.profiles import Profile, read_profile
from stonestack.core.codecs.sniff import FileKind
from stonestack.core.errors import BadFile
from stonestack.core.image import Floats, Picture, Space
from stonestack.core.texels import Texels, eight, full, normalised, quantised, to_texels

MOST_SIDE = 16384
MOST_PIXELS = 96_000_000
"""Largest picture that is taken in: about 1.5 GB while it is worked on."""

PILLOW = {
    FileKind.PNG: "PNG",
    FileKind.JPEG: "JPEG",
    FileKind.BMP: "BMP",
    FileKind.TIFF: "TIFF",
    FileKind.TGA: "TGA",
}
"""What Pillow calls each kind."""
DAMAGED = (
    *(OSError, SyntaxError, ValueError, TypeError, struct.error, EOFError),
    *(MemoryError, LookupError, ArithmeticError, AttributeError),
)
"""What Pillow raises on damaged files."""
_DEEP_MODES = {"I;16", "I;16B", "I;16L", "I", "F"}


@dataclass(frozen=True)
class PictureFacts:
    """What a header says, before any pixel is read."""

    width: int
    height: int
    mode: str
    bits: int
    alpha: bool
    channels: int = 3
    turned: int = 1
    profile: Profile | None = None


def facts(data: bytes, kind: FileKind) -> PictureFacts:
    """Read the header of an image file and check its size.

    Raises
    ------
    BadFile
        If the header is damaged, or claims more pixels than are taken in.
    """
    with opened(data, kind) as image:
        width, height, mode = image.width, image.height, image.mode
        turned, bands = _turn(image), len(image.getbands())
        icc = image.info.get("icc_profile")
        deep = kind is FileKind.PNG and len(data) > 24 and data[24] == 16
        if kind is FileKind.TIFF:
            bits = image.tag_v2.get(258)  # type: ignore[attr-defined]  # BitsPerSample
            deep = deep or (isinstance(bits, tuple) and max(bits) == 16)
    if width > MOST_SIDE or height > MOST_SIDE or width * height > MOST_PIXELS:
        raise BadFile(
            "too-large",
            f"The picture has {width} × {height} pixels; "
            f"{MOST_SIDE} each way and {MOST_PIXELS // 1_000_000} million in all are the most.",
            "Cut or shrink it in an image editor first.",
        )
    bits_ = 16 if deep or mode in _DEEP_MODES else 8
    alpha = mode in {"RGBA", "LA", "PA"}
    bands = 3 if mode == "P" else bands - alpha
    profile = read_profile(icc if isinstance(icc, bytes) else None, bands)
    if turned >= 5:
        width, height = height, width
    return PictureFacts(width, height, mode, bits_, alpha, bands, turned, profile)


def _turn(image: Image.Image) -> int:
    """Return how a camera says that a picture is turned: 1 for not at all, up to 8 (Exif 2.3)."""
    try:
        turned = image.getexif().get(_ORIENTATION, 1)
    except DAMAGED:
        return 1
    return turned if isinstance(turned, int) and 1 <= turned <= 8 else 1


_ORIENTATION = 0x0112
_UPRIGHT = {
    2: lambda p: p[:, ::-1],
    3: lambda p: p[::-1, ::-1],
    4: lambda p: p[::-1],
    5: lambda p: p.swapaxes(0, 1),
    6: lambda p: p.swapaxes(0, 1)[:, ::-1],
    7: lambda p: p[::-1, ::-1].swapaxes(0, 1),
    8: lambda p: p.swapaxes(0, 1)[::-1],
}
"""From how a picture is stored to how it is meant to be seen (Exif 2.3, table 6)."""


def upright(pixels: NDArray[Any], turned: int) -> NDArray[Any]:
    """Return pixels as they are meant to be seen; ``turned`` is what the header says."""
    return np.asarray(_UPRIGHT[turned](pixels)) if turned > 1 else pixels


def read(data: bytes, kind: FileKind, space: Space) -> Picture:
    """Read an image file as a working picture.

    Parameters
    ----------
    data : bytes
        The whole file.
    kind : FileKind
        As told by content.
    space : Space
        What its numbers mean: colour is decoded from sRGB to linear light, vectors are
        scaled to -1..1 (green up) and brought to unit length, data is taken as it is.

    Raises
    ------
    BadFile
        If the file is damaged, cut short or too large.
    """
    header = facts(data, kind)
    values, alpha = _values(data, kind, header)
    body, opacity = (values[..., :-1], values[..., -1:]) if alpha else (values, None)
    if body.shape[2] == 4:
        body = _from_inks(body, header.profile if space is Space.LINEAR else None)
    elif space is Space.LINEAR and header.profile is not None and not header.profile.is_srgb:
        body = header.profile.to_srgb(body)
    if space is Space.VECTOR:
        if body.shape[2] != 3:
            raise BadFile(
                "not-a-normal-map",
                "A normal map needs red, green and blue; this picture is grey.",
                "Drop it on the Height course instead, and derive the normals from it.",
            )
        vectors = normalised(body * np.float32(2) - np.float32(1))
        return Picture(vectors, space, bits=header.bits)
    if space is Space.LINEAR:
        body = np.repeat(body, 3, axis=2) if body.shape[2] == 1 else body
        body = colour.to_linear(body)
    elif body.shape[2] == 3:
        body = body.mean(axis=2, keepdims=True, dtype=np.float32)
    if opacity is not None and bool((opacity < 1).any()):
        body = np.concatenate([body, opacity], axis=2)
        return Picture(np.ascontiguousarray(body), space, alpha=True, bits=header.bits)
    return Picture(np.ascontiguousarray(body), space, bits=header.bits)


def stored(data: bytes, kind: FileKind, deepest: int = 8) -> Texels:
    """Read an image file's texels as they are stored, with no decoding of colour.

    Parameters
    ----------
    deepest : {8, 16}
        Sixteen bits are kept where this allows it, else rounded to eight.

    Returns
    -------
    ndarray, uint8 or uint16, shape (height, width, 4)
        Alpha is full where there is none.
    """
    header = facts(data, kind)
    values, alpha = _values(data, kind, header)
    if values.shape[2] == 4 + alpha:
        values = _from_inks(values[..., :4], header.profile)
        alpha = False
    numbers = quantised(values, min(deepest, header.bits))
    texels = np.full((*numbers.shape[:2], 4), full(numbers), numbers.dtype)
    texels[..., :3] = numbers[..., :-1] if alpha else numbers
    if alpha:
        texels[..., 3] = numbers[..., -1]
    return texels


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
    bits : {8, 16}
        Kinds that hold only eight get eight.

    Raises
    ------
    BadFile
        If ``kind`` is not an image kind.
    """
    texels = to_texels(picture, bits)
    channels = 1 if picture.pixels.shape[2] == 1 else 4 if picture.alpha else 3
    return write_texels(texels[..., :channels], kind)


def opened(data: bytes, kind: FileKind) -> Image.Image:
    """Open an image file with Pillow, by its true kind; pixels are not read yet."""
    if kind not in PILLOW:
        raise BadFile(
            "not-an-image",
            "This is not a picture that can come in.",
            "Bring a PNG, JPEG, TGA, BMP, TIFF, DDS or KTX2 file.",
        )
    # Sizes are checked by facts() before any pixel is read, with a message of our own.
    Image.MAX_IMAGE_PIXELS = None
    try:
        return Image.open(io.BytesIO(data), formats=[PILLOW[kind]])
    except DAMAGED as error:
        raise _damaged() from error


def _values(data: bytes, kind: FileKind, header: PictureFacts) -> tuple[Floats, bool]:
    """Return channels as stored, 0..1, upright; and whether the last is alpha.

    Four channels that are not colour and alpha are inks.
    """
    return _deep(data, kind, header) if header.bits == 16 else _shallow(data, kind)


def _from_inks(inks: Floats, profile: Profile | None) -> Floats:
    """Return sRGB from cyan, magenta, yellow and black; by the profile where there is one."""
    if profile is not None and profile.space == "CMYK":
        return profile.to_srgb(inks)
    return np.asarray((1 - inks[..., :3]) * (1 - inks[..., 3:]), np.float32)


def _shallow(data: bytes, kind: FileKind) -> tuple[Floats, bool]:
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            with opened(data, kind) as image:
                image.load()
                turned = ImageOps.exif_transpose(image)
    except DAMAGED as error:
        raise _damaged() from error
    if turned.mode == "P" or (turned.mode in ("L", "RGB") and "transparency" in turned.info):
        turned = turned.convert("RGBA" if "transparency" in turned.info else "RGB")
    elif turned.mode == "CMYK":
        inks = np.asarray(turned).astype(np.float32) / np.float32(255)
        return inks, False
    elif turned.mode in ("1", "La"):
        turned = turned.convert("L" if turned.mode == "1" else "LA")
    elif turned.mode not in ("L", "LA", "RGB", "RGBA"):
        turned = turned.convert("RGBA" if turned.mode in ("PA", "RGBa") else "RGB")
    pixels = np.asarray(turned).astype(np.float32) / np.float32(255)
    if pixels.ndim == 2:
        pixels = pixels[..., np.newaxis]
    return pixels, turned.mode in ("LA", "RGBA")


def _deep(data: bytes, kind: FileKind, header: PictureFacts) -> tuple[Floats, bool]:
    """Read sixteen bits a channel where that is stored."""
    if kind is FileKind.TIFF:
        import tifffile

        try:
            pixels = np.asarray(tifffile.imread(io.BytesIO(data)))
        except (ValueError, tifffile.TiffFileError, struct.error, IndexError) as error:
            # Packed in a way that only Pillow unpacks here; it keeps the upper eight bits.
            try:
                return _shallow(data, kind)
            except BadFile as damaged:
                raise damaged from error
    else:
        try:
            with opened(data, kind) as image:
                image.load()
                pixels = np.asarray(image) if image.mode in _DEEP_MODES else _deep_colour(data)
        except DAMAGED as error:
            raise _damaged() from error
    if pixels.ndim == 2:
        pixels = pixels[..., np.newaxis]
    if pixels.ndim != 3 or pixels.shape[2] > 4:
        raise BadFile(
            "not-flat",
            "This TIFF holds several pages or more than four channels.",
            "Save one flat page with grey, RGB or RGBA channels.",
        )
    top = np.float32(1 if pixels.dtype.kind == "f" else 255 if pixels.dtype == np.uint8 else 65535)
    values = upright(pixels, header.turned).astype(np.float32)
    values = np.clip(np.nan_to_num(values / top), 0, 1)
    alpha = pixels.shape[2] in (2, 4) and header.mode != "CMYK"
    return np.ascontiguousarray(values, np.float32), alpha


def _deep_colour(data: bytes) -> NDArray[np.uint16]:
    """Read sixteen-bit colour from a PNG, of which Pillow keeps the upper eight bits only."""
    import cv2

    stored = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    if stored is None or stored.dtype != np.uint16:
        raise _damaged()
    if stored.ndim == 2:
        return np.asarray(stored, dtype=np.uint16)
    return np.asarray(stored[..., [2, 1, 0, 3][: stored.shape[2]]], dtype=np.uint16)


def _damaged() -> BadFile:
    return BadFile(
        "file-damaged",
        "The file is damaged or cut short.",
        "Open it in an image editor and save it again, or fetch a fresh copy.",
    )
