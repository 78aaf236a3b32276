"""Put a picture out for an outside editor, and look at what comes back."""

from __future__ import annotations

from enum import StrEnum

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from stonestack.core.files.codecs import pictures
from stonestack.core.files.codecs.sniff import READABLE, FileKind, kind_by_content, kind_by_name
from stonestack.core.files.workfiles import openraster
from stonestack.core.files.workfiles.openraster import GUIDES, ORIGINAL, PICTURE, Layer
from stonestack.core.picture.image import Bytes, Picture
from stonestack.core.picture.resize import resample
from stonestack.core.picture.texels import (
    Texels,
    at_depth,
    depth,
    eight,
    full,
    quantised,
    scaled,
    to_texels,
)
from stonestack.core.runtime.errors import BadFile
from stonestack.core.runtime.readers import reader

GUIDE = (255, 0, 144, 255)
"""Colour of guide lines."""


class WorkKind(StrEnum):
    """Forms in which a working file is put out."""

    PNG = "png"
    PNG16 = "png16"
    TGA = "tga"
    TIFF = "tiff"
    ORA = "ora"


EXTENSIONS = {
    WorkKind.PNG: ".png",
    WorkKind.PNG16: ".png",
    WorkKind.TGA: ".tga",
    WorkKind.TIFF: ".tif",
    WorkKind.ORA: ".ora",
}


_KINDS = {WorkKind.TGA: FileKind.TGA, WorkKind.TIFF: FileKind.TIFF}


class Trouble(BaseModel):
    """Something about a working file that came back.

    Parameters
    ----------
    code : str
    words : str
        What is wrong.
    fix : str
        What the button that mends it says; empty where it was mended on the way.
    """

    code: str
    words: str
    fix: str = ""


class Back(BaseModel):
    """A working file as it came back: its picture as a PNG, and what was noticed.

    ``unchanged`` tells that its picture is what was put out, so that nothing of it is taken.
    """

    png: bytes
    troubles: list[Trouble]
    unchanged: bool = False


def outgoing(picture: Picture, kind: WorkKind, original: Picture | None) -> tuple[bytes, bytes]:
    """Return a working file, and the plain PNG that says what was put out.

    Parameters
    ----------
    picture : Picture
        Vectors are stored as they are, green up.
    original : Picture or None
        The map's source, for a hidden layer.
    """
    bits = depth_of(picture, kind)
    texels = to_texels(picture, bits)
    plain = _png(texels)
    if kind in (WorkKind.PNG, WorkKind.PNG16):
        return plain, plain
    if kind is WorkKind.ORA:
        layers = [
            Layer(GUIDES, at_depth(guides(texels.shape[1], texels.shape[0]), bits)),
            Layer(PICTURE, texels),
        ]
        if original is not None and original.pixels.shape[:2] == picture.pixels.shape[:2]:
            layers.append(Layer(ORIGINAL, to_texels(original, bits), visible=False))
        return openraster.write(layers), plain
    shown = texels if picture.alpha else texels[..., :3]
    return pictures.write_texels(shown, _KINDS[kind]), plain


def full_colour(texels: Texels, kind: WorkKind) -> bytes:
    """Return stored texels as a file that any editor opens: grey, colour, with alpha if used.

    Parameters
    ----------
    texels : ndarray, uint8 or uint16, shape (height, width, 4)
    """
    if kind is WorkKind.ORA:
        return openraster.write([Layer(PICTURE, texels)])
    solid = bool((texels[..., 3] == full(texels)).all())
    shown = np.ascontiguousarray(texels[..., :3]) if solid else texels
    return pictures.write_texels(shown, _KINDS.get(kind, FileKind.PNG))


@reader("flattened picture")
def flat(data: bytes) -> bytes:
    """Return a picture file that is no layered one: that itself, or its layers as a PNG.

    Raises
    ------
    BadFile
        If it is layered and none of its layers is visible, or it is damaged.
    """
    if not openraster.told(data):
        return data
    return _png(_layered(data, []))


def depth_of(picture: Picture, kind: WorkKind) -> int:
    """Return the bits a channel in which a picture is put out: its own, where the kind has them."""
    if kind is WorkKind.TGA:
        return 8
    return 16 if kind is WorkKind.PNG16 else picture.bits


def _png(texels: Texels) -> bytes:
    solid = int(texels[..., 3].min()) == full(texels)
    return pictures.write_texels(texels[..., :3] if solid else texels, FileKind.PNG)


def guides(width: int, height: int) -> Bytes:
    """Return guide lines: the edges, and the middle both ways."""
    out = np.zeros((height, width, 4), np.uint8)
    out[guide_mask(width, height)] = GUIDE
    return out


def guide_mask(width: int, height: int) -> NDArray[np.bool_]:
    """Return where guide lines lie, bool (height, width)."""
    mask = np.zeros((height, width), bool)
    for row in (0, height // 2, height - 1):
        mask[row] = True
    for column in (0, width // 2, width - 1):
        mask[:, column] = True
    return mask


def incoming(name: str, data: bytes, sent: bytes, had_alpha: bool, fixes: set[str]) -> Back:
    """Read what came back, and compare it with what was put out.

    Parameters
    ----------
    sent : bytes
        The PNG of what was put out.
    fixes : set of str
        Codes of troubles to mend.

    Raises
    ------
    BadFile
        If it cannot be read; an editor may still be writing it.
    """
    troubles: list[Trouble] = []
    before = pictures.stored(sent, FileKind.PNG, 16)
    texels = (
        _layered(data, troubles) if openraster.told(data) else _flat(name, data, troubles, fixes)
    )
    if depth(texels) < depth(before):
        troubles.append(
            Trouble(
                code="depth",
                words="It came back with 8 bits a channel instead of 16; "
                "only what was painted is taken from it",
            )
        )
    before = at_depth(before, depth(texels))
    height, width = before.shape[:2]
    if texels.shape[:2] != before.shape[:2]:
        size = f"{texels.shape[1]} × {texels.shape[0]}"
        troubles.append(
            Trouble(
                code="size",
                words=f"It came back as {size} instead of {width} × {height}",
                fix="" if "size" in fixes else "Resample it to fit",
            )
        )
        if "size" in fixes:
            texels = _fitted(texels, width, height)
    if texels.shape == before.shape:
        texels = _checked_alpha(texels, before, had_alpha, troubles, fixes)
        texels = _checked_guides(texels, before, troubles, fixes)
    mended = [t for t in troubles if t.code not in fixes]
    same = texels.shape == before.shape and bool((texels == before).all())
    return Back(png=_png(texels), troubles=mended, unchanged=same)


def _fitted(texels: Texels, width: int, height: int) -> Texels:
    """Resample stored texels on their own scale, weighted by alpha."""
    values = scaled(texels)
    weighted = np.concatenate([values[..., :3] * values[..., 3:], values[..., 3:]], axis=2)
    out = resample(weighted, width, height, "lanczos", False)
    alpha = np.clip(out[..., 3:], 0, 1)
    body = np.where(alpha > 1e-6, out[..., :3] / np.maximum(alpha, 1e-6), 0)
    return quantised(np.concatenate([body, alpha], axis=2).astype(np.float32), depth(texels))


def _layered(data: bytes, troubles: list[Trouble]) -> Texels:
    layers = openraster.read(data)
    own = [layer for layer in layers if layer.name not in (GUIDES, ORIGINAL)]
    if not any(layer.visible for layer in own):
        raise BadFile(
            "all-hidden", "No layer of the picture is visible.", "Show one and save it again."
        )
    if any(layer.name == ORIGINAL and layer.visible for layer in layers):
        troubles.append(
            Trouble(code="original", words="The original's layer was left visible; it was left out")
        )
    return openraster.flattened(own)


def _flat(name: str, data: bytes, troubles: list[Trouble], fixes: set[str]) -> Texels:
    kind = kind_by_content(data)
    if kind not in READABLE or kind in (FileKind.DDS, FileKind.KTX2):
        raise BadFile(
            "not-a-working-file",
            f"{name} is no picture that can come back.",
            "Save it as PNG, TGA, TIFF or OpenRaster.",
        )
    claimed = kind_by_name(name)
    if claimed not in (kind, FileKind.UNKNOWN):
        troubles.append(
            Trouble(code="extension", words=f"It is {kind} inside though it is called {claimed}")
        )
    header = pictures.facts(data, kind)
    if header.mode in _CONVERTED:
        words = _CONVERTED[header.mode]
        troubles.append(Trouble(code="mode", words=f"It was saved as {words}; it was converted"))
    if header.profile is not None and not header.profile.is_srgb:
        troubles.append(
            Trouble(
                code="profile",
                words="It holds another colour profile than sRGB",
                fix="" if "profile" in fixes else "Convert it to sRGB",
            )
        )
    elif header.icc and header.profile is None:
        words = "It holds a colour profile that does not fit it; that was passed over"
        troubles.append(Trouble(code="profile", words=words))
    return pictures.stored(data, kind, 16, to_srgb="profile" in fixes)


_CONVERTED = {"P": "indexed colours", "CMYK": "CMYK", "1": "black and white"}


def _checked_alpha(
    texels: Texels, before: Texels, had_alpha: bool, troubles: list[Trouble], fixes: set[str]
) -> Texels:
    most = full(texels)
    lost = had_alpha and int(texels[..., 3].min()) == most and int(before[..., 3].min()) < most
    if not lost:
        return texels
    troubles.append(
        Trouble(
            code="alpha", words="Its alpha was lost on the way", fix="Take the alpha as put out"
        )
    )
    if "alpha" not in fixes:
        return texels
    out = texels.copy()
    out[..., 3] = before[..., 3]
    return out


def _checked_guides(
    texels: Texels, before: Texels, troubles: list[Trouble], fixes: set[str]
) -> Texels:
    mask = guide_mask(texels.shape[1], texels.shape[0])
    near, was = (
        np.abs(eight(t[mask])[:, :3].astype(int) - np.array(GUIDE[:3])).max(axis=1) < 40
        for t in (texels, before)
    )
    if float((near & ~was).mean()) < 0.25:
        return texels
    troubles.append(
        Trouble(code="guides", words="Guide lines are merged into the picture", fix="Take them out")
    )
    if "guides" not in fixes:
        return texels
    out = texels.copy()
    out[mask] = before[mask]
    return out
