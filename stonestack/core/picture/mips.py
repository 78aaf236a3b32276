"""Mipmaps: each level is made of the one above, by the rules of what its numbers mean.

Sources: L. Williams, "Pyramidal Parametrics", SIGGRAPH 1983; M. Toksvig, "Mipmapping Normal Maps",
Journal of Graphics Tools 10(3), 2005, equation 4; B. Walter and others, "Microfacet Models for
Refraction through Rough Surfaces", EGSR 2007 (the exponent that is like a width).
"""

from __future__ import annotations

from typing import Literal

import numpy as np

from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.picture.resize import resample, resize
from stonestack.core.picture.texels import are_unit_length, normalised

MipFilter = Literal["kaiser", "box", "lanczos", "nearest"]
FILTERS: dict[MipFilter, tuple[str, str]] = {
    "kaiser": ("Kaiser", "Clear, with nearly no ringing"),
    "box": ("Box", "The plain average of four texels: softest"),
    "lanczos": ("Lanczos", "Sharpest, with some ringing at hard edges"),
    "nearest": ("Nearest", "One texel of four as it is: for pictures made of pixels"),
}
"""What each filter is called, and a line about it."""
Gloss = Literal["", "gloss", "roughness"]
"""Whether a map tells how sharply light is reflected, and which way round."""

TESTED_AT = 0.5
"""The alpha from which on an alpha test lets texels be seen."""
_HARD = (16 / 255, 239 / 255)
_SOFT_SHARE = 0.15
_CLEAR = 24 / 255
"""How far from the limit alpha is kept: more than eight values between 0 and 255 turn it by."""
_SMOOTHEST = 1e-3


def level_count(width: int, height: int) -> int:
    """Return how many levels there are down to a single texel."""
    return max(width, height).bit_length()


def level_size(width: int, height: int, level: int) -> tuple[int, int]:
    """Return the size of a level: halved and rounded down, never below one."""
    return max(1, width >> level), max(1, height >> level)


def chain(
    picture: Picture,
    filter_: MipFilter = "kaiser",
    *,
    mask: bool = False,
    gloss: Gloss = "",
    normals: Picture | None = None,
) -> list[Picture]:
    """Return the picture and all its smaller levels.

    Colour is averaged in linear light and weighted by alpha, so that what is cut out does not
    bleed into rims; where alpha is hard, as an alpha test wants it, each level lets as large a
    share be seen as the first. Vectors are averaged as they are, and each level is brought to unit
    length. Gloss and roughness take in how far the normals below spread. Other data is averaged.

    Parameters
    ----------
    picture : Picture
        ``wraps`` decides what lies beyond its edges.
    filter_ : {"kaiser", "box", "lanczos", "nearest"}
        Pictures made of pixels always take the nearest.
    mask : bool
        Whether its numbers themselves are tested as alpha is.
    gloss : {"", "gloss", "roughness"}
    normals : Picture, optional
        Normals of the same surface, for gloss and roughness.

    Returns
    -------
    list of Picture
        Level 0 first, down to one texel.
    """
    sizes = [
        level_size(picture.width, picture.height, level)
        for level in range(1, level_count(picture.width, picture.height))
    ]
    if picture.space is Space.VECTOR:
        return [picture, *_vectors(picture, sizes, filter_)]
    levels = [picture]
    for width, height in sizes:
        levels.append(resize(levels[-1], width, height, filter_))
    if gloss and normals is not None:
        lengths = _lengths(normals, [(picture.width, picture.height), *sizes], filter_)
        levels = [_rougher(a, b, gloss) for a, b in zip(levels, lengths, strict=True)]
    if mask or picture.alpha:
        share = _share_seen(picture, mask)
        if share is not None:
            levels = [picture, *(_covering(level, share, mask) for level in levels[1:])]
    return levels


def _vectors(picture: Picture, sizes: list[tuple[int, int]], filter_: MipFilter) -> list[Picture]:
    """Return the smaller levels of normals: means are carried on as they are.

    Where the picture's own are not of unit length, as two channels alone are not, none are made so.
    """
    means, levels = picture.pixels, []
    unit = are_unit_length(picture.pixels[..., :3])
    for width, height in sizes:
        means = resample(
            means, width, height, "nearest" if picture.whole else filter_, picture.wraps
        )
        pixels = means.copy()
        pixels[..., 3:] = np.clip(pixels[..., 3:], 0.0, 1.0)
        if unit:
            pixels[..., :3] = normalised(np.ascontiguousarray(pixels[..., :3]))
        levels.append(picture.with_pixels(pixels))
    return levels


def _lengths(normals: Picture, sizes: list[tuple[int, int]], filter_: MipFilter) -> list[Floats]:
    """Return how long the mean of the normals under each texel of each size is, (h, w, 1)."""
    means, out = np.ascontiguousarray(normals.pixels[..., :3]), []
    for width, height in sizes:
        if (width, height) != (means.shape[1], means.shape[0]):
            means = resample(means, width, height, filter_, normals.wraps)
        out.append(np.clip(np.linalg.norm(means, axis=2, keepdims=True), 1e-3, 1.0))
    return out


def _rougher(level: Picture, length: Floats, gloss: Gloss) -> Picture:
    """Widen the reflection of each texel by how far the normals under it spread.

    With ``n`` the length of the mean normal, an exponent ``s`` becomes ``s n / (n + s (1 - n))``.
    The exponent that is like a roughness ``r``, squared to a width ``a = r * r``, is
    ``2 / a**2 - 2``.
    """
    stored = level.body
    rough = np.maximum(1 - stored if gloss == "gloss" else stored, np.float32(_SMOOTHEST))
    exponent = np.maximum(2 / np.power(rough.astype(np.float64), 4) - 2, 0)
    wider = exponent * length / (length + exponent * (1 - length))
    result = np.asarray(np.power(2 / (wider + 2), 0.25), np.float32)
    # What is no rougher stays exactly as it is.
    result = np.where(length < 1 - 1e-6, np.maximum(result, rough), rough)
    body = np.clip(1 - result if gloss == "gloss" else result, 0, 1)
    return level.with_body(np.where(length < 1 - 1e-6, body, stored).astype(np.float32))


def _tested(level: Picture, mask: bool) -> Floats:
    """Return the numbers that an alpha test would look at."""
    if mask or level.opacity is None:
        return level.body[..., :1]
    return level.opacity


def _share_seen(picture: Picture, mask: bool) -> float | None:
    """Return the share of texels that an alpha test lets be seen; None where alpha is soft."""
    alpha = _tested(picture, mask)
    soft = float(((alpha > _HARD[0]) & (alpha < _HARD[1])).mean())
    share = float((alpha >= TESTED_AT).mean())
    return share if soft < _SOFT_SHARE and 0 < share < 1 else None


def _covering(level: Picture, share: float, mask: bool) -> Picture:
    """Change a level's alpha so that as large a share of it as told is seen.

    The texels of the most alpha are let be seen, by one factor for all; of those that are alike,
    as where a lattice has become one grey, an even pattern of them.
    """
    alpha = _tested(level, mask)
    count = round(share * alpha.size)
    if count == 0:
        return level
    rank = alpha[..., 0] + _pattern(level.width, level.height)
    limit = np.partition(rank.ravel(), alpha.size - count)[alpha.size - count]
    seen = (rank >= limit)[..., np.newaxis]
    least = max(float(alpha[seen].min()), 1 / 255)
    scaled = np.clip(alpha * np.float32(TESTED_AT / least), 0, 1)
    # Clear of the limit on either side, so that storing does not turn it.
    bounded = np.where(
        seen, np.maximum(scaled, TESTED_AT + _CLEAR), np.minimum(scaled, TESTED_AT - _CLEAR)
    ).astype(np.float32)
    if mask or level.opacity is None:
        return level.with_pixels(np.broadcast_to(bounded, level.pixels.shape))
    return level.with_pixels(np.concatenate([level.body, bounded], axis=2))


def _pattern(width: int, height: int) -> Floats:
    """Return an even order of texels, (height, width), from 0 to less than what alpha tells apart.

    B. Bayer, "An Optimum Method for Two-Level Rendition of Continuous-Tone Pictures", ICC 1973.
    """
    order = np.zeros((1, 1))
    for _ in range(3):
        order = np.block([[4 * order, 4 * order + 2], [4 * order + 3, 4 * order + 1]])
    tiled = np.tile(order, (-(-height // 8), -(-width // 8)))[:height, :width]
    return np.asarray(tiled / 64 / 1024, np.float32)
