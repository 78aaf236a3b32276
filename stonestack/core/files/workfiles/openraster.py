"""OpenRaster: a picture with layers that many image editors open.

Source: OpenRaster 0.0.6 baseline: a ZIP with ``mimetype`` first and stored, ``stack.xml``, layers
as PNG below ``data/``, ``mergedimage.png`` and ``Thumbnails/thumbnail.png``.
"""

from __future__ import annotations

import io
import math
import zipfile
from dataclasses import dataclass
from xml.etree import ElementTree

import numpy as np

from stonestack.core.files import containers
from stonestack.core.files.codecs import pictures
from stonestack.core.files.codecs.headers import MOST_SIDE
from stonestack.core.files.codecs.sniff import FileKind, kind_by_content
from stonestack.core.picture.texels import Texels, at_depth, depth, eight, quantised, scaled
from stonestack.core.runtime import stopping
from stonestack.core.runtime.errors import BadFile
from stonestack.core.runtime.readers import reader

MIME = b"image/openraster"
PICTURE, ORIGINAL, GUIDES = "Picture", "Original", "Guides, not part of the picture"
_MOST_LAYERS = 200
_MOST_STACK = 1 << 20
_MOST_DIGITS = 9
_LARGE = 4 << 20
"""Texels that a layer may have in any case."""


@dataclass(frozen=True)
class Layer:
    """One layer.

    Parameters
    ----------
    name : str
    texels : ndarray, uint8 or uint16, shape (height, width, 4)
        Of the whole canvas.
    visible : bool
    opacity : float
        0..1.
    """

    name: str
    texels: Texels
    visible: bool = True
    opacity: float = 1.0


def told(data: bytes) -> bool:
    """Tell an OpenRaster file by its first bytes."""
    return data[:4] == b"PK\x03\x04" and data[30:38] == b"mimetype" and MIME in data[38:70]


def write(layers: list[Layer]) -> bytes:
    """Store layers, the topmost first."""
    height, width = layers[0].texels.shape[:2]
    image = ElementTree.Element("image", w=str(width), h=str(height), version="0.0.6")
    stack = ElementTree.SubElement(image, "stack")
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as file:
        file.writestr(zipfile.ZipInfo("mimetype"), MIME)
        for number, layer in enumerate(layers):
            place = f"data/layer{number}.png"
            file.writestr(zipfile.ZipInfo(place), _png(layer.texels))
            said = {
                "name": layer.name,
                "src": place,
                "x": "0",
                "y": "0",
                "opacity": f"{layer.opacity:g}",
                "visibility": "visible" if layer.visible else "hidden",
                "composite-op": "svg:src-over",
            }
            ElementTree.SubElement(stack, "layer", said)
        merged = flattened(layers)
        text = ElementTree.tostring(image, encoding="utf-8", xml_declaration=True)
        file.writestr(zipfile.ZipInfo("stack.xml"), text)
        file.writestr(zipfile.ZipInfo("mergedimage.png"), _png(merged))
        step = max(1, max(width, height) // 256)
        thumb = np.ascontiguousarray(merged[::step, ::step][:256, :256])
        file.writestr(
            zipfile.ZipInfo("Thumbnails/thumbnail.png"),
            _png(eight(thumb)),
        )
    return buffer.getvalue()


_TEXEL = 8
"""Bytes of a texel at the depth that a layer may have."""
_MOST_MEMORY = 1 << 30
_FARTHEST = 1 << 20
"""Texels that a layer may lie away from the picture's corner."""


@reader("openraster")
def read(data: bytes) -> list[Layer]:
    """Read layers, the topmost first.

    Raises
    ------
    BadFile
        If the file is damaged, or asks for more than a plain stack of layers.
    """
    parts = _Parts(data)
    image = _stack(parts.read("stack.xml", _MOST_STACK))
    size = (_whole(image, "w"), _whole(image, "h"))
    if not (0 < size[0] <= MOST_SIDE and 0 < size[1] <= MOST_SIDE):
        raise _damaged()
    nodes = list(image.iter("layer"))
    if len(nodes) > _MOST_LAYERS or len(nodes) * size[0] * size[1] * _TEXEL > _MOST_MEMORY:
        raise BadFile(
            "too-many-layers",
            f"{len(nodes)} layers of {size[0]} × {size[1]} are more than fit in memory.",
            "Merge some of them in the image editor.",
        )
    return [_layer(parts, node, size) for node in nodes]


class _Parts:
    """The files that an OpenRaster file holds, by name; of two of one name the last."""

    def __init__(self, data: bytes) -> None:
        held = containers.Held(data)
        self._container = containers.opened(held)
        self._allowance = containers.Allowance(held.size)
        entries = self._allowance.list(self._container)
        self._entries = {entry.name: entry for entry in entries}

    def read(self, name: str, most: int) -> bytes:
        """Return a part's content."""
        entry = self._entries.get(name)
        if entry is None or entry.size > most:
            raise _damaged()
        return self._allowance.read(self._container, entry)


def _stack(text: bytes) -> ElementTree.Element:
    """Read the list of layers; it is plain, declares nothing and refers to nothing."""
    try:
        plain = text.decode("utf-8-sig")
        if "<!DOCTYPE" in plain or "<!ENTITY" in plain:
            raise _damaged()
        return ElementTree.fromstring(plain)
    except (UnicodeDecodeError, ElementTree.ParseError, ValueError) as error:
        raise _damaged() from error


def _whole(node: ElementTree.Element, name: str, otherwise: str = "0") -> int:
    """Return a whole number of a few digits."""
    said = node.get(name, otherwise).strip()
    if len(said) > _MOST_DIGITS or not said.lstrip("+-").isdecimal():
        raise _damaged()
    try:
        return int(said)
    except ValueError as error:
        raise _damaged() from error


def flattened(layers: list[Layer]) -> Texels:
    """Lay visible layers over each other, as an editor shows them (in stored sRGB).

    The result is as deep as the deepest layer.
    """
    bits = max(depth(layer.texels) for layer in layers)
    shown = [layer for layer in layers if layer.visible]
    if len(shown) == 1 and shown[0].opacity == 1:
        return at_depth(shown[0].texels, bits)
    height, width = layers[0].texels.shape[:2]
    out = np.zeros((height, width, 4), np.float32)
    for layer in reversed(layers):
        if not layer.visible:
            continue
        over = scaled(layer.texels)
        alpha = over[..., 3:] * np.float32(layer.opacity)
        below = out[..., 3:] * (1 - alpha)
        whole = alpha + below
        safe = np.where(whole > 0, whole, 1)
        out[..., :3] = (over[..., :3] * alpha + out[..., :3] * below) / safe
        out[..., 3:] = whole
    return quantised(out, bits)


def _layer(parts: _Parts, node: ElementTree.Element, size: tuple[int, int]) -> Layer:
    stopping.check()
    data = parts.read(node.get("src", ""), containers.MOST_ENTRY)
    if kind_by_content(data) is not FileKind.PNG:
        raise _damaged()
    header = pictures.facts(data, FileKind.PNG)
    if header.width * header.height > max(_LARGE, 4 * size[0] * size[1]):
        raise BadFile(
            "too-large-layer",
            f"A layer of {header.width} × {header.height} is far larger than the picture.",
            "Cut it to the picture's size in the image editor.",
        )
    texels = pictures.stored(data, FileKind.PNG, 16)
    whole = np.zeros((size[1], size[0], 4), texels.dtype)
    left, top = _whole(node, "x"), _whole(node, "y")
    if max(abs(left), abs(top)) > _FARTHEST:
        raise _damaged()
    ahead = texels[max(0, -top) : max(0, size[1] - top), max(0, -left) : max(0, size[0] - left)]
    if min(ahead.shape) > 0:
        x, y = max(0, left), max(0, top)
        whole[y : y + ahead.shape[0], x : x + ahead.shape[1]] = ahead
    return Layer(
        name=node.get("name", ""),
        texels=whole,
        visible=node.get("visibility", "visible") == "visible",
        opacity=_opacity(node.get("opacity", "1")),
    )


def _opacity(said: str) -> float:
    try:
        opacity = float(said)
    except ValueError as error:
        raise _damaged() from error
    if not math.isfinite(opacity):
        raise _damaged()
    return min(1.0, max(0.0, opacity))


def _png(texels: Texels) -> bytes:
    return pictures.write_texels(texels, FileKind.PNG)


def _damaged() -> BadFile:
    return BadFile(
        "openraster-damaged",
        "The OpenRaster file is damaged or not whole.",
        "Save it again in the image editor.",
    )
