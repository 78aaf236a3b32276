"""A small stand-in for an outside image editor: it makes a visible change and saves."""

from __future__ import annotations

import io
from pathlib import Path

import numpy as np
from PIL import Image, ImageDraw

from stonestack.core.workfiles import openraster
from stonestack.core.workfiles.openraster import PICTURE, Layer
from stonestack.store.files import write_atomically


def paint(path: Path, shade: str = "#c43a2f") -> None:
    """Paint a bar with a saw's teeth over the middle of a picture, in place.

    In OpenRaster only the picture's own layer is painted on.
    """
    data = path.read_bytes()
    if openraster.told(data):
        layers = [
            Layer(x.name, _painted(x.texels, shade), x.visible, x.opacity)
            if x.name == PICTURE
            else x
            for x in openraster.read(data)
        ]
        write_atomically(path, openraster.write(layers))
        return
    with Image.open(io.BytesIO(data)) as image:
        kind, alpha = image.format or "PNG", image.mode in ("RGBA", "LA")
        texels = np.asarray(image.convert("RGBA"))
    out = Image.fromarray(_painted(texels, shade)).convert("RGBA" if alpha else "RGB")
    buffer = io.BytesIO()
    out.save(buffer, kind)
    write_atomically(path, buffer.getvalue())


def _painted(
    texels: np.ndarray[tuple[int, ...], np.dtype[np.uint8]], shade: str
) -> np.ndarray[tuple[int, ...], np.dtype[np.uint8]]:
    image = Image.fromarray(texels)
    draw = ImageDraw.Draw(image)
    width, height = image.size
    left, right, top, bottom = width * 0.1, width * 0.9, height * 0.44, height * 0.6
    draw.rectangle((left, top, right, bottom), fill=shade)
    tooth = (right - left) / 5
    for number in range(5):
        at = left + number * tooth
        draw.polygon([(at, top), (at + tooth, top), (at, height * 0.26)], fill=shade)
    return np.asarray(image)
