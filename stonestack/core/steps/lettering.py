"""Lettering: words in one of the fonts that come with the application."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache
from pathlib import Path
from typing import Literal

import numpy as np
from PIL import Image, ImageDraw, ImageFont
from pydantic import Field

from stonestack.core.kinds.step import Group, StepKind, StepParams
from stonestack.core.picture import swatches
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.steps.placing import Place, covered
from stonestack.core.steps.stamping import fitted_to_light, stamped

_FONTS = Path(__file__).with_name("fonts")
_MOST = 2048
"""Pixels of height at which letters are drawn at most; larger ones are drawn out from there."""
_LEAST = 8
_MEASURED_AT = 256


Font = Literal["slab", "narrow", "stencil", "hand"]


class Lettering(StepParams):
    """Parameters of :func:`lettering`; places and sizes are shares of the map's width."""

    kind: Literal["lettering"] = "lettering"
    text: str = Field(
        "Holm", min_length=1, max_length=200, title="Words", description="A stroke / starts a line"
    )
    font: Font = Field(
        "slab", title="Letters", description="Upright with feet, narrow, cut in a sheet, or written"
    )
    colour: swatches.Swatch = Field(
        "#2b2620", title="Colour", description="Of plain numbers its grey"
    )
    x: float = Field(
        0.5, ge=-1, le=2, multiple_of=0.0001, title="Across", description="Where its middle lies"
    )
    y: float = Field(
        0.5, ge=-1, le=2, multiple_of=0.0001, title="Down", description="Where its middle lies"
    )
    width: float = Field(
        0.6, ge=0.005, le=4, multiple_of=0.0001, title="Width", description="Share of the map's"
    )
    stretch: float = Field(
        1.0, ge=0.1, le=10, multiple_of=0.001, title="Height", description="Times the usual"
    )
    turn: float = Field(
        0.0, ge=-180, le=180, multiple_of=0.1, title="Turn", description="Degrees clockwise"
    )
    mirrored: Literal["no", "across", "down", "both"] = Field(
        "no", title="Mirrored", description="Left to right, top to bottom, or both"
    )
    light: float = Field(
        0.0,
        ge=0,
        le=1,
        multiple_of=0.01,
        title="Take the light",
        description="How far it follows light and shade of what lies beneath",
    )
    depth: float = Field(
        1.0,
        ge=-20,
        le=20,
        multiple_of=0.1,
        title="Depth",
        description="On a normal map: how far it stands out, or in, per cent of the width",
    )


def lettering(map_: Picture, params: Lettering) -> Picture:
    """Return the words where they are placed, and clear elsewhere."""
    across = params.width * map_.width
    proportion = proportion_of(params.text, params.font)
    down = across * proportion * params.stretch
    shape = Picture(_drawn(params.text, params.font, across)[..., np.newaxis], Space.DATA)
    mirrored = (params.mirrored in ("across", "both"), params.mirrored in ("down", "both"))
    place = Place(
        params.x * map_.width, params.y * map_.height, across, down, params.turn, mirrored
    )
    cover = covered(replace(map_, whole=False), shape, place)
    if map_.whole:
        cover = np.asarray(cover >= 0.5, np.float32)
    pixels = np.empty((map_.height, map_.width, 4), np.float32)
    pixels[..., :3], pixels[..., 3:] = swatches.linear(params.colour), cover
    layer = Picture(pixels, Space.LINEAR, True, map_.wraps, map_.whole)
    return stamped(map_, fitted_to_light(map_, layer, params.light), params.depth)


def proportion_of(text: str, font: str) -> float:
    """Return the height of words over their width."""
    left, top, right, bottom = _box(text, font, _MEASURED_AT)
    return max(1.0, bottom - top) / max(1.0, right - left)


def _lines(text: str) -> str:
    return "\n".join(line.strip() for line in text.split("/"))


@lru_cache(maxsize=64)
def _font(name: str, size: int) -> ImageFont.FreeTypeFont:
    return ImageFont.truetype(str(_FONTS / f"{name}.woff"), size)


def _box(text: str, font: str, size: int) -> tuple[float, float, float, float]:
    """Return left, top, right and bottom of words that are drawn at a size."""
    draw = ImageDraw.Draw(Image.new("L", (1, 1)))
    return draw.multiline_textbbox(
        (0, 0), _lines(text), font=_font(font, size), align="center", spacing=size / 5
    )


def _drawn(text: str, font: str, across: float) -> Floats:
    """Return how far words cover each pixel, at least as fine as they will be seen."""
    left, _, right, _ = _box(text, font, _MEASURED_AT)
    size = round(_MEASURED_AT * 2 * across / max(1.0, right - left))
    size = min(_MOST, max(_LEAST, size))
    left, top, right, bottom = _box(text, font, size)
    width, height = max(1, round(right - left)), max(1, round(bottom - top))
    image = Image.new("L", (width, height), 0)
    draw = ImageDraw.Draw(image)
    draw.multiline_text(
        (-left, -top),
        _lines(text),
        fill=255,
        font=_font(font, size),
        align="center",
        spacing=size / 5,
    )
    return np.asarray(image, np.float32) / np.float32(255)


STEP = StepKind(
    name="lettering",
    title="Lettering",
    hint="Words, placed by hand; over an edge they come in at the other",
    params=Lettering,
    version=2,
    apply=lettering,
    spaces=frozenset({Space.LINEAR, Space.DATA, Space.VECTOR}),
    over=True,
    group=Group.LAY,
    summary=lambda p: p.text,
)
