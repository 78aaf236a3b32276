"""The one picture type that passes between the rooms of core."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from stonestack.core.runtime.parallel import texelwise

Floats = NDArray[np.float32]
Bytes = NDArray[np.uint8]


class Space(StrEnum):
    """What the numbers of a picture mean."""

    LINEAR = "linear"
    """Linear-light Rec. 709 colour, 0..1."""
    DATA = "data"
    """Plain numbers, 0..1: height, specular level, alpha, masks."""
    VECTOR = "vector"
    """Unit vectors, each component -1..1: tangent-space normals, green up."""


@dataclass(frozen=True)
class Picture:
    """Pixels together with all that is needed to treat them rightly.

    Parameters
    ----------
    pixels : ndarray, float32, shape (height, width, channels)
        One or three channels, and one more for straight alpha where ``alpha`` is set.
    space : Space
        Meaning of the channels other than alpha. Alpha is always 0..1.
    alpha : bool
        Whether the last channel is straight (not premultiplied) alpha.
    wraps : bool
        Whether the picture is a torus: its right edge continues at its left, its bottom
        at its top. Filters that look at neighbours follow this.
    whole : bool
        Whether its texels are never mixed: what resizes or places it takes the nearest.
    bits : {8, 16}
        How finely the file that it came from was stored; what is written of it is no coarser.
    """

    pixels: Floats
    space: Space
    alpha: bool = False
    wraps: bool = False
    whole: bool = False
    bits: int = 8

    def __post_init__(self) -> None:
        if self.pixels.ndim != 3 or self.pixels.dtype != np.float32:
            raise ValueError("pixels are float32 with shape (height, width, channels)")
        expected = {1, 3} if not self.alpha else {2, 4}
        if self.pixels.shape[2] not in expected:
            raise ValueError(f"{self.pixels.shape[2]} channels do not fit alpha={self.alpha}")

    @property
    def height(self) -> int:
        """Rows."""
        return int(self.pixels.shape[0])

    @property
    def width(self) -> int:
        """Columns."""
        return int(self.pixels.shape[1])

    @property
    def body(self) -> Floats:
        """All channels but alpha; a view."""
        return self.pixels[..., :-1] if self.alpha else self.pixels

    @property
    def opacity(self) -> Floats | None:
        """Alpha with shape (height, width, 1); a view, or None where there is none."""
        return self.pixels[..., -1:] if self.alpha else None

    def with_pixels(self, pixels: Floats) -> Picture:
        """Return the same kind of picture with other pixels."""
        return replace(self, pixels=np.ascontiguousarray(pixels, dtype=np.float32))

    def with_body(self, body: Floats) -> Picture:
        """Return the picture with its colour or data replaced and its alpha kept."""
        if self.opacity is None:
            return self.with_pixels(body)
        return self.with_pixels(np.concatenate([body, self.opacity], axis=2))

    def tiling(self) -> Picture:
        """Return the same pixels marked as a torus."""
        return replace(self, wraps=True)


def premultiplied(picture: Picture) -> Floats:
    """Return pixels whose body is weighted by alpha, as filters need them."""
    if picture.opacity is None:
        return picture.pixels

    def work(pixels: Floats) -> Floats:
        out = pixels.copy()
        out[..., :-1] *= pixels[..., -1:]
        return out

    return texelwise(work, picture.pixels)


def straightened(pixels: Floats, like: Picture) -> Picture:
    """Undo :func:`premultiplied` after filtering.

    Where nothing is opaque the weighted colour is undefined; it stays black there and
    alpha says that it is not seen.
    """
    if not like.alpha:
        return like.with_pixels(pixels)

    def work(weighted: Floats) -> Floats:
        opacity = weighted[..., -1:]
        safe = np.where(opacity > 1e-6, opacity, np.float32(np.inf))
        return np.concatenate([weighted[..., :-1] / safe, np.clip(opacity, 0, 1)], axis=2)

    return like.with_pixels(texelwise(work, pixels))
