"""Resampling with proper filters, on a torus where the picture wraps.

Source of the filters: Lanczos, C. Duchon, "Lanczos Filtering in One and Two Dimensions",
J. Appl. Meteor. 18 (1979), equation 9 and section 3; Kaiser, J. Kaiser and R. Schafer, "On the Use
of the I0-Sinh Window for Spectrum Analysis", IEEE Trans. ASSP 28 (1980), equation 1; Mitchell,
D. Mitchell
and A. Netravali, "Reconstruction Filters in Computer Graphics", SIGGRAPH 1988, equation 8 with
B = C = 1/3; box: area average; nearest: the sample under the middle, for pictures made of pixels.
"""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray

from stonestack.core.picture.image import Floats, Picture, Space, premultiplied, straightened
from stonestack.core.picture.spread import spread
from stonestack.core.picture.texels import normalised
from stonestack.core.runtime.parallel import over_bands, rows_worth

Filter = Literal["lanczos", "mitchell", "kaiser", "box", "nearest"]
_REACH: dict[str, float] = {"lanczos": 3, "mitchell": 2, "kaiser": 3, "box": 0.5}
_KAISER = 4.0
"""Shape of the Kaiser window: nearly no ringing, and little that aliases."""


def weights(
    source: int, target: int, filter_: Filter, wraps: bool
) -> tuple[NDArray[np.int64], Floats]:
    """Return which samples make up each new one on an axis, and with what weight.

    Parameters
    ----------
    source, target : int
        Samples before and after.
    filter_ : {"lanczos", "mitchell", "kaiser", "box", "nearest"}
        When the axis shrinks, the filter is widened by the same ratio, so that nothing
        finer than the new spacing is left to alias; nearest aliases, as is asked of it.
    wraps : bool
        Whether the axis is a ring; otherwise its end samples are repeated outwards.

    Returns
    -------
    index : ndarray, int64, shape (target, taps)
    weight : ndarray, float32, shape (target, taps)
        Each row sums to one.
    """
    ratio = source / target
    width = max(1.0, ratio)
    centres = (np.arange(target) + 0.5) * ratio
    if filter_ == "nearest":
        under = np.clip(np.floor(centres), 0, source - 1).astype(np.int64)[:, np.newaxis]
        return under, np.ones((target, 1), np.float32)
    reach = _REACH[filter_] * width
    taps = int(np.ceil(2 * reach)) + 1
    first = np.floor(centres - reach + 1e-9).astype(np.int64)
    columns = first[:, np.newaxis] + np.arange(taps)
    offset = (columns + 0.5 - centres[:, np.newaxis]) / width
    if filter_ == "lanczos":
        lobes = _REACH[filter_]
        kernel = np.where(np.abs(offset) < lobes, np.sinc(offset) * np.sinc(offset / lobes), 0.0)
    elif filter_ == "kaiser":
        inside = np.sqrt(np.maximum(1 - np.square(offset / _REACH[filter_]), 0.0))
        window = np.i0(_KAISER * inside) / np.i0(_KAISER)
        kernel = np.where(np.abs(offset) < _REACH[filter_], np.sinc(offset) * window, 0.0)
    elif filter_ == "mitchell":
        kernel = _mitchell(np.abs(offset))
    else:
        # The share of each source sample that lies under the target sample.
        left = np.maximum(columns, (centres - reach)[:, np.newaxis])
        right = np.minimum(columns + 1, (centres + reach)[:, np.newaxis])
        kernel = np.maximum(right - left, 0.0)
    kernel /= kernel.sum(axis=1, keepdims=True)
    columns = columns % source if wraps else np.clip(columns, 0, source - 1)
    return columns, kernel.astype(np.float32)


def _mitchell(t: NDArray[np.float64]) -> NDArray[np.float64]:
    near = 7 * t**3 - 12 * t**2 + 16 / 3
    far = -7 / 3 * t**3 + 12 * t**2 - 20 * t + 32 / 3
    return np.asarray(np.where(t < 1, near, np.where(t < 2, far, 0.0)) / 6)


def resample(
    pixels: Floats,
    width: int,
    height: int,
    filter_: Filter,
    wraps: bool,
    repeats: tuple[int, int] = (1, 1),
) -> Floats:
    """Resample plain channels; the caller has premultiplied what needs it.

    Parameters
    ----------
    pixels : ndarray, float32, shape (height, width, channels)
    width, height : int
        Samples wanted.
    filter_, wraps
        As in :func:`weights`.
    repeats : (int, int)
        How often the picture is repeated across and down before; the repeats are never laid out.
    """
    from stonestack.core.picture.kernels.resampling import along_columns, along_rows

    pixels = np.ascontiguousarray(pixels, dtype=np.float32)
    rows, columns, channels = pixels.shape
    across, down = repeats
    if rows * down != height or down > 1:
        index, weight = weights(rows * down, height, filter_, wraps)
        index %= rows
        flat = pixels.reshape(rows, columns * channels)
        out = np.empty((height, columns * channels), np.float32)
        least = rows_worth(out.shape[1])
        over_bands(lambda a, b: along_rows(flat, index, weight, out, a, b), height, least)
        pixels = out.reshape(height, columns, channels)
    if columns * across != width or across > 1:
        index, weight = weights(columns * across, width, filter_, wraps)
        index %= columns
        source, out = pixels, np.empty((height, width, channels), np.float32)
        least = rows_worth(width * channels)
        over_bands(lambda a, b: along_columns(source, index, weight, out, a, b), height, least)
        pixels = out
    return pixels


def at_most(values: Floats, longest: int) -> Floats:
    """Shrink plain channels by area to a longest side, as a ring; small ones stay."""
    height, width = values.shape[:2]
    shrink = max(height, width) / longest
    if shrink <= 1:
        return values
    return resample(
        values, max(8, round(width / shrink)), max(8, round(height / shrink)), "box", True
    )


def resize(
    picture: Picture,
    width: int,
    height: int,
    filter_: Filter = "lanczos",
    repeats: tuple[int, int] = (1, 1),
) -> Picture:
    """Return the picture with another number of texels.

    Colour is filtered in linear light and weighted by alpha; vectors are filtered
    component by component and brought back to unit length; everything is clipped to its
    range, since the filter overshoots at edges. Whole texels are taken as they are. Clear texels
    get the colour of their neighbours.

    Parameters
    ----------
    picture : Picture
        Any space; ``wraps`` decides what lies beyond the edge.
    width, height : int
        Texels wanted.
    filter_ : {"lanczos", "mitchell", "kaiser", "box", "nearest"}
    repeats : (int, int)
        How often it is repeated across and down in the result.
    """
    if (picture.width, picture.height) == (width, height) and repeats == (1, 1):
        return picture
    if picture.whole:
        filter_ = "nearest"
    if picture.space is Space.VECTOR:
        # What a game packs into the alpha of normals is a map of its own, no opacity.
        pixels = resample(picture.pixels, width, height, filter_, picture.wraps, repeats)
        pixels[..., 3:] = np.clip(pixels[..., 3:], 0.0, 1.0)
        pixels[..., :3] = normalised(np.ascontiguousarray(pixels[..., :3]))
        return picture.with_pixels(pixels)
    pixels = resample(premultiplied(picture), width, height, filter_, picture.wraps, repeats)
    result = straightened(pixels, picture)
    return spread(result.with_pixels(np.clip(result.pixels, *_range(picture))))


def _range(picture: Picture) -> tuple[float, float]:
    """Return what a picture's numbers may be: 0 to 1, and as far beyond as some of its light is."""
    if picture.space is not Space.LINEAR:
        return 0.0, 1.0
    body = picture.body
    return min(0.0, float(body.min(initial=0))), max(1.0, float(body.max(initial=0)))


THINNEST = 32
"""Pixels across that a long strip keeps where it is shrunk to be measured."""


def limited(picture: Picture, longest: int, thinnest: int = 1) -> Picture:
    """Shrink a picture so that its longer side is at most ``longest``.

    Parameters
    ----------
    picture : Picture
    longest : int
        Pixels of the longer side.
    thinnest : int
        Pixels that the shorter side keeps, though the longer one is longer then.
    """
    shorter, longer = sorted((picture.width, picture.height))
    shrink = min(longer / longest, shorter / min(thinnest, longest))
    if shrink <= 1:
        return picture
    width, height = round(picture.width / shrink), round(picture.height / shrink)
    return resize(picture, max(1, width), max(1, height), "box")


def nearest_powers_of_two(width: float, height: float, most: int = 4096) -> tuple[int, int]:
    """Return powers of two near both sides: stretched little, and about as many texels."""

    def near(side: float) -> list[int]:
        exponent = int(np.floor(np.log2(max(4.0, side))))
        return [int(np.clip(2**n, 4, most)) for n in (exponent, exponent + 1)]

    def cost(size: tuple[int, int]) -> float:
        across, down = np.log2(size[0] / width), np.log2(size[1] / height)
        return abs(float(across - down)) + abs(float(across + down)) / 2

    return min(((w, h) for w in near(width) for h in near(height)), key=cost)
