"""A loud picture with a letter code, to see in the game where a texture is shown."""

from __future__ import annotations

import hashlib

import numpy as np
from PIL import Image, ImageDraw, ImageFont

from stonestack.core.picture.image import Bytes

_LETTERS = "ABCDEFGHJKLMNPRSTUVWXYZ"


def code_of(path: str) -> str:
    """Return a code of three letters and a digit for a path; the same path has the same code."""
    number = int.from_bytes(hashlib.sha256(path.encode()).digest()[:6], "big")
    letters = ""
    for _ in range(3):
        number, place = divmod(number, len(_LETTERS))
        letters += _LETTERS[place]
    return f"{letters}{number % 10}"


def marker(path: str, width: int, height: int) -> Bytes:
    """Draw a marker: a grid in two loud colours with the code in every part.

    Returns
    -------
    ndarray, uint8, shape (height, width, 4)
    """
    code = code_of(path)
    hue = int(hashlib.sha256(path.encode()).hexdigest()[:2], 16)
    one = Image.new("HSV", (1, 1), (hue, 230, 250)).convert("RGB").getpixel((0, 0))
    other = Image.new("HSV", (1, 1), ((hue + 128) % 256, 230, 60)).convert("RGB").getpixel((0, 0))
    image = Image.new("RGB", (width, height))
    draw = ImageDraw.Draw(image)
    side = max(8, min(width, height) // 2)
    font = ImageFont.load_default(max(8, side // 3))
    for row, top in enumerate(range(0, height, side)):
        for column, left in enumerate(range(0, width, side)):
            tint, ink = (one, other) if (row + column) % 2 == 0 else (other, one)
            draw.rectangle((left, top, left + side - 1, top + side - 1), fill=tint)
            middle = (left + side / 2, top + side / 2)
            draw.text(middle, code, fill=ink, font=font, anchor="mm")
            draw.line((left, top, left + side // 6, top), fill="#ffffff", width=2)
    return np.asarray(image.convert("RGBA"))
