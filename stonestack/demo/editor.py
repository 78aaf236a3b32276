"""A small stand-in for an outside image editor: it makes a visible change and saves."""

from __future__ import annotations

import io
from pathlib import Path

import numpy as np
from PIL import Image, ImageColor, ImageDraw

from stonestack.core.files.codecs import pictures
from stonestack.core.files.codecs.sniff import kind_by_content
from stonestack.core.files.workfiles import openraster
from stonestack.core.files.workfiles.openraster import PICTURE, Layer
from stonestack.core.picture.texels import Texels, at_depth, depth
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
    kind = kind_by_content(data)
    with Image.open(io.BytesIO(data)) as image:
        alpha = image.mode in ("RGBA", "LA")
    painted = _painted(pictures.stored(data, kind, 16), shade)
    shown = painted if alpha else painted[..., :3]
    write_atomically(path, pictures.write_texels(shown, kind))


def _painted(texels: Texels, shade: str) -> Texels:
    height, width = texels.shape[:2]
    mask = Image.new("1", (width, height))
    draw = ImageDraw.Draw(mask)
    left, right, top, bottom = width * 0.1, width * 0.9, height * 0.44, height * 0.6
    draw.rectangle((left, top, right, bottom), fill=1)
    tooth = (right - left) / 5
    for number in range(5):
        at = left + number * tooth
        draw.polygon([(at, top), (at + tooth, top), (at, height * 0.26)], fill=1)
    colour = np.array([[[*ImageColor.getrgb(shade)[:3], 255]]], np.uint8)
    return np.where(np.asarray(mask)[..., np.newaxis], at_depth(colour, depth(texels)), texels)
