"""Put a picture out for an outside editor, and look at what comes back."""

from __future__ import annotations

import io
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageCms
from pydantic import BaseModel

from stonestack.core import colour
from stonestack.core.catalogue.describe import encoded, picture_bytes
from stonestack.core.codecs import pictures
from stonestack.core.codecs.sniff import READABLE, FileKind, kind_by_content, kind_by_name
from stonestack.core.errors import BadFile
from stonestack.core.image import Bytes, Picture, Space
from stonestack.core.texels import to_texels
from stonestack.core.workfiles import openraster
from stonestack.core.workfiles.openraster import GUIDES, ORIGINAL, PICTURE, Layer

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
    """A working file as it came back: its picture as a PNG, and what was noticed."""

    png: bytes
    troubles: list[Trouble]


def outgoing(picture: Picture, kind: WorkKind, original: Picture | None) -> tuple[bytes, bytes]:
    """Return a working file, and the plain PNG that says what was put out.

    Parameters
    ----------
    picture : Picture
        Vectors are stored as they are, green up.
    original : Picture or None
        The map's source, for a hidden layer.
    """
    texels = to_texels(picture)
    plain = encoded(texels)
    if kind is WorkKind.PNG:
        return plain, plain
    if kind is WorkKind.PNG16:
        return _deep(picture, texels), plain
    if kind is WorkKind.ORA:
        layers = [Layer(GUIDES, guides(texels.shape[1], texels.shape[0])), Layer(PICTURE, texels)]
        if original is not None and original.pixels.shape[:2] == picture.pixels.shape[:2]:
            layers.append(Layer(ORIGINAL, to_texels(original), visible=False))
        return openraster.write(layers), plain
    image = Image.fromarray(texels if picture.alpha else np.ascontiguousarray(texels[..., :3]))
    buffer = io.BytesIO()
    image.save(buffer, {WorkKind.TGA: "TGA", WorkKind.TIFF: "TIFF"}[kind])
    return buffer.getvalue(), plain


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
    before = picture_bytes(sent, None)
    texels = (
        _layered(data, troubles) if openraster.told(data) else _flat(name, data, troubles, fixes)
    )
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
            image = Image.fromarray(texels).convert("RGBa")
            fitted = image.resize((width, height), Image.Resampling.LANCZOS).convert("RGBA")
            texels = np.asarray(fitted)
    if texels.shape == before.shape:
        texels = _checked_alpha(texels, before, had_alpha, troubles, fixes)
        texels = _checked_guides(texels, before, troubles, fixes)
    mended = [t for t in troubles if t.code not in fixes]
    return Back(png=encoded(texels), troubles=mended)


def _layered(data: bytes, troubles: list[Trouble]) -> Bytes:
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


def _flat(name: str, data: bytes, troubles: list[Trouble], fixes: set[str]) -> Bytes:
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
    with pictures.opened(data, kind) as image:
        mode, profile = image.mode, image.info.get("icc_profile")
        if mode in ("P", "CMYK", "1"):
            words = {"P": "indexed colours", "CMYK": "CMYK", "1": "black and white"}[mode]
            troubles.append(
                Trouble(code="mode", words=f"It was saved as {words}; it was converted")
            )
        if profile and not _is_srgb(profile):
            troubles.append(
                Trouble(
                    code="profile",
                    words="It holds another colour profile than sRGB",
                    fix="" if "profile" in fixes else "Convert it to sRGB",
                )
            )
            if "profile" in fixes:
                return _to_srgb(image, profile)
    return pictures.stored(data, kind)


def _checked_alpha(
    texels: Bytes, before: Bytes, had_alpha: bool, troubles: list[Trouble], fixes: set[str]
) -> Bytes:
    lost = had_alpha and int(texels[..., 3].min()) == 255 and int(before[..., 3].min()) < 255
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
    texels: Bytes, before: Bytes, troubles: list[Trouble], fixes: set[str]
) -> Bytes:
    mask = guide_mask(texels.shape[1], texels.shape[0])
    near = np.abs(texels[mask][:, :3].astype(int) - np.array(GUIDE[:3])).max(axis=1) < 40
    was = np.abs(before[mask][:, :3].astype(int) - np.array(GUIDE[:3])).max(axis=1) < 40
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


def _is_srgb(profile: bytes) -> bool:
    try:
        name = ImageCms.getProfileDescription(ImageCms.ImageCmsProfile(io.BytesIO(profile)))
    except (OSError, ImageCms.PyCMSError):
        return True
    return "srgb" in name.lower()


def _to_srgb(image: Image.Image, profile: bytes) -> Bytes:
    source = ImageCms.ImageCmsProfile(io.BytesIO(profile))
    alpha = image.getchannel("A") if image.mode in ("RGBA", "LA") else None
    body = image.convert("RGB") if image.mode != "CMYK" else image
    try:
        turned = ImageCms.profileToProfile(
            body, source, ImageCms.createProfile("sRGB"), outputMode="RGB"
        )
    except ImageCms.PyCMSError as error:
        raise BadFile(
            "profile-damaged", "Its colour profile cannot be used.", "Save it without a profile."
        ) from error
    if turned is None:
        raise BadFile("profile-damaged", "Its colour profile cannot be used.", "Save it as sRGB.")
    if alpha is not None:
        turned.putalpha(alpha)
    return np.asarray(turned.convert("RGBA"))


def _deep(picture: Picture, texels: Bytes) -> bytes:
    body = picture.body
    if picture.space is Space.LINEAR:
        body = colour.to_srgb(body)
    elif picture.space is Space.VECTOR:
        body = body * np.float32(0.5) + np.float32(0.5)
    channels = 4 if picture.alpha else 3
    values = np.empty((*texels.shape[:2], channels), np.uint16)
    values[..., :3] = np.rint(np.clip(body, 0, 1) * np.float32(65535))
    if picture.opacity is not None:
        values[..., 3:] = np.rint(picture.opacity * np.float32(65535))
    return pictures.deep_png(values)
