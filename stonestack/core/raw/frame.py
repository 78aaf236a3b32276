"""Straighten and crop a raw picture, at its source: four corners become the new picture.

Source of the map from a quadrilateral: P. Heckbert, "Fundamentals of Texture Mapping and Image
Warping", UC Berkeley 1989, section 2.2.3; of its proportions, Z. Zhang and L.-W. He, "Whiteboard
Scanning and Image Enhancement", Digital Signal Processing 17 (2007), section 3; of the fall-off
towards the corners of a lens, the even polynomial in D. Goldman, "Vignette and Exposure Calibration
and Compensation", IEEE TPAMI 32 (2010), section 3.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, model_validator

from stonestack.core.picture.image import Floats, Picture, Space, premultiplied, straightened
from stonestack.core.picture.texels import normalised

_LEAST = 0.02
"""Shortest side of a frame, as a share of the picture's."""
VERSION = 2
_VANISHES = 0.02
"""How much nearer the far side of a frame has to look for the lens to be told by it."""
_USUAL_LENS = 1.0
"""Focal length that is assumed where it cannot be told, in longer sides of the picture."""
_LENSES = (0.35, 12.0)


def frame_of(corners: tuple[tuple[float, float], ...], ratio: float = 0.0) -> Frame:
    """Return the frame with these four corners, in order from the top left round by the right."""
    tl, tr, br, bl = (Corner(x=x, y=y) for x, y in corners)
    return Frame(top_left=tl, top_right=tr, bottom_right=br, bottom_left=bl, ratio=ratio)


class Corner(BaseModel):
    """A place in the raw picture, as shares of its sides."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    x: float = Field(ge=-0.5, le=1.5)
    y: float = Field(ge=-0.5, le=1.5)


WHOLE = (Corner(x=0, y=0), Corner(x=1, y=0), Corner(x=1, y=1), Corner(x=0, y=1))
"""Top left, top right, bottom right and bottom left of the whole picture."""


class Frame(BaseModel):
    """What of a raw picture is used, and how it is straightened."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    top_left: Corner = WHOLE[0]
    top_right: Corner = WHOLE[1]
    bottom_right: Corner = WHOLE[2]
    bottom_left: Corner = WHOLE[3]
    ratio: float = Field(
        0.0,
        ge=0,
        le=8,
        multiple_of=0.01,
        title="Width to height",
        description="Of the straightened picture; 0 takes it from the perspective of the corners",
    )
    vignette: float = Field(
        0.0,
        ge=0,
        le=1,
        multiple_of=0.01,
        title="Lens fall-off",
        description="How much darker the lens made the picture's corners",
    )

    @model_validator(mode="after")
    def _convex(self) -> Frame:
        points = [(c.x, c.y) for c in self.corners]
        for i in range(4):
            (ax, ay), (bx, by), (cx, cy) = points[i], points[(i + 1) % 4], points[(i + 2) % 4]
            if (bx - ax) * (cy - by) - (by - ay) * (cx - bx) <= _LEAST * _LEAST:
                raise ValueError("The corners have to go round the frame, none inside the others.")
        return self

    @property
    def corners(self) -> tuple[Corner, Corner, Corner, Corner]:
        """The corners in order, from the top left round by the right."""
        return self.top_left, self.top_right, self.bottom_right, self.bottom_left

    @property
    def plain(self) -> bool:
        """Whether the whole picture is used as it is."""
        return self.corners == WHOLE and self.vignette == 0 and self.ratio == 0

    @property
    def share(self) -> float:
        """The longer side of the frame, as a share of the picture's; for previews."""
        tl, tr, br, bl = self.corners
        across = max(abs(tr.x - tl.x), abs(br.x - bl.x))
        down = max(abs(bl.y - tl.y), abs(br.y - tr.y))
        return max(_LEAST, min(1.0, max(across, down)))


def framed(picture: Picture, frame: Frame) -> Picture:
    """Return what a frame holds, straightened.

    Parameters
    ----------
    picture : Picture
        Vectors are turned with the frame, so that they still face the same way.
    frame : Frame

    Returns
    -------
    Picture
        As many pixels each way as the frame's longer sides have, the shorter way more where the
        proportions ask for it. A frame whose sides are upright and whole pixels is cut out
        exactly, with no resampling.
    """
    lit = _without_fall_off(picture, frame.vignette)
    size = np.array([picture.width, picture.height], np.float64)
    corners = np.array([(c.x, c.y) for c in frame.corners]) * size
    width, height = _size(corners, frame.ratio or proportions(corners, size))
    upright = _upright(corners)
    if upright is not None and (width, height) == (
        upright[2] - upright[0],
        upright[3] - upright[1],
    ):
        left, top, right, bottom = upright
        return lit.with_pixels(lit.pixels[top:bottom, left:right])
    return _warped(lit, corners, width, height)


def within(
    frame: Frame, corners: tuple[tuple[float, float], ...], width: int, height: int
) -> Frame:
    """Return the frame, in the raw picture, of a part of what another frame holds.

    Parameters
    ----------
    frame : Frame
        Straightens the raw picture.
    corners : tuple of four (x, y)
        Of the part, as shares of the straightened picture's sides.
    width, height : int
        Of the straightened picture.
    """
    import cv2

    unit = np.array([(c.x, c.y) for c in WHOLE], np.float32)
    there = cv2.getPerspectiveTransform(
        unit, np.array([(c.x, c.y) for c in frame.corners], np.float32)
    )
    part = np.array(corners, np.float64)
    places = cv2.perspectiveTransform(part[np.newaxis], there)[0]
    tl, tr, _, bl = part * (width, height)
    found = frame_of(tuple((float(x), float(y)) for x, y in np.clip(places, -0.5, 1.5)))
    if frame.ratio == 0 and _is_upright(np.array([(c.x, c.y) for c in frame.corners])):
        ratio = 0.0
    else:
        # Sides that are seen at a slant do not tell the proportions; the straightened ones do.
        ratio = round(float(np.hypot(*(tr - tl)) / np.hypot(*(bl - tl))), 2)
    return found.model_copy(update={"ratio": min(8.0, ratio), "vignette": frame.vignette})


class Straightened(BaseModel):
    """What a frame comes out as, and how its proportions were found.

    Parameters
    ----------
    ratio : float
        Width to height.
    words : str
        What they follow from, and what was assumed.
    """

    ratio: float
    words: str


_GIVEN = "as given"
_AS_SEEN = "as it is seen; the sides run side by side"
_TOLD = "from how the sides run together, with the lens behind the middle of the picture"
_ASSUMED = (
    "with a usual lens assumed: the sides run together one way only, or as behind no lens. "
    "Give the proportions where you know them"
)


def straightened_as(frame: Frame, width: int, height: int) -> Straightened:
    """Say what a frame of a picture comes out as, and how that was found."""
    size = np.array([width, height], np.float64)
    corners = np.array([(c.x, c.y) for c in frame.corners]) * size
    seen, told = _proportions(corners, size)
    out = _size(corners, frame.ratio or seen)
    words = _GIVEN if frame.ratio else _AS_SEEN if not seen else _TOLD if told else _ASSUMED
    return Straightened(ratio=out[0] / out[1], words=words)


def proportions(corners: NDArray[np.float64], size: NDArray[np.float64]) -> float:
    """Return width to height of a rectangle that is seen as a quadrilateral; 0 for a parallelogram.

    The lens is taken to look through the middle of the picture, with square pixels. Its focal
    length follows from the corners where both pairs of sides run together; where only one does, or
    none that a lens could have, it is assumed to be as long as the picture's longer side.

    Parameters
    ----------
    corners : ndarray, shape (4, 2)
        In pixels of the picture, from the top left round by the right.
    size : ndarray, shape (2,)
        Width and height of the picture.
    """
    return _proportions(corners, size)[0]


def _proportions(corners: NDArray[np.float64], size: NDArray[np.float64]) -> tuple[float, bool]:
    """Return width to height, 0 for a parallelogram, and whether the corners told the lens."""
    centred = np.concatenate([corners - size / 2, np.ones((4, 1))], axis=1)
    tl, tr, br, bl = centred
    across = np.dot(np.cross(tl, br), bl) / np.dot(np.cross(tr, br), bl) * tr - tl
    down = np.dot(np.cross(tl, br), tr) / np.dot(np.cross(bl, br), tr) * bl - tl
    told = abs(across[2]) > _VANISHES, abs(down[2]) > _VANISHES
    if not any(told):
        return 0.0, False
    longer = float(size.max())
    lens, known = _USUAL_LENS * longer, False
    if all(told):
        squared = -(across[0] * down[0] + across[1] * down[1]) / (across[2] * down[2])
        if (_LENSES[0] * longer) ** 2 <= squared <= (_LENSES[1] * longer) ** 2:
            lens, known = math.sqrt(squared), True
    sides = [math.hypot(n[0] / lens, n[1] / lens, n[2]) for n in (across, down)]
    return sides[0] / sides[1], known


def _size(corners: NDArray[np.float64], ratio: float) -> tuple[int, int]:
    tl, tr, br, bl = corners
    width = max(np.hypot(*(tr - tl)), np.hypot(*(br - bl)))
    height = max(np.hypot(*(bl - tl)), np.hypot(*(br - tr)))
    if ratio > 0:
        # The side that is too short is made longer, so that nothing is lost.
        width, height = max(width, height * ratio), max(height, width / ratio)
    return max(1, round(float(width))), max(1, round(float(height)))


def _upright(corners: NDArray[np.float64]) -> tuple[int, int, int, int] | None:
    """Return left, top, right and bottom where a frame lies on whole pixels and is upright."""
    near = np.rint(corners)
    if not _is_upright(corners) or np.abs(near - corners).max() > 0.26:
        return None
    return int(near[0][0]), int(near[0][1]), int(near[2][0]), int(near[2][1])


def _is_upright(corners: NDArray[np.float64]) -> bool:
    (left, top), (right, bottom) = corners[0], corners[2]
    wanted = np.array([(left, top), (right, top), (right, bottom), (left, bottom)])
    return bool(np.abs(corners - wanted).max() <= 1e-6)


def _warped(picture: Picture, corners: NDArray[np.float64], width: int, height: int) -> Picture:
    import cv2

    inner = np.array([(0, 0), (width, 0), (width, height), (0, height)], np.float32)
    # Pixels are areas: their middles lie half a pixel in.
    shift = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1]])
    there = cv2.getPerspectiveTransform(inner, corners.astype(np.float32))
    matrix = np.linalg.inv(shift) @ there @ shift
    pixels = premultiplied(picture)
    flags = cv2.WARP_INVERSE_MAP | (cv2.INTER_NEAREST if picture.whole else cv2.INTER_CUBIC)
    warped = cv2.warpPerspective(
        pixels, matrix, (width, height), flags=flags, borderMode=cv2.BORDER_REFLECT_101
    )
    values = np.asarray(warped, np.float32).reshape(height, width, pixels.shape[2])
    if picture.space is Space.VECTOR:
        return picture.with_pixels(_facing(values, corners))
    result = straightened(values, picture)
    return result.with_pixels(np.clip(result.pixels, 0, 1))


def _facing(vectors: Floats, corners: NDArray[np.float64]) -> Floats:
    """Turn vectors against the frame's own turn, and bring them to unit length."""
    tl, tr, br, bl = corners
    along = (tr - tl) + (br - bl)
    angle = math.atan2(float(along[1]), float(along[0]))
    c, s = np.float32(math.cos(angle)), np.float32(math.sin(angle))
    turned = vectors.copy()
    # Rows run down and the vectors' y runs up, so the turn is the other way round.
    turned[..., 0] = vectors[..., 0] * c - vectors[..., 1] * s
    turned[..., 1] = vectors[..., 0] * s + vectors[..., 1] * c
    turned[..., :3] = normalised(np.ascontiguousarray(turned[..., :3]))
    return turned


def _without_fall_off(picture: Picture, amount: float) -> Picture:
    """Lighten towards the corners by what a lens took there: ``1 / (1 - 0.75 · amount · r²)``."""
    if amount <= 0 or picture.space is not Space.LINEAR:
        return picture
    down = (np.arange(picture.height, dtype=np.float32) + 0.5) / picture.height * 2 - 1
    across = (np.arange(picture.width, dtype=np.float32) + 0.5) / picture.width * 2 - 1
    # Measured so that a corner is at distance one.
    radius = (np.square(down)[:, np.newaxis] + np.square(across)[np.newaxis, :]) / 2
    gain = 1 / (1 - np.float32(amount * 0.75) * radius.astype(np.float32))
    return picture.with_body(np.clip(picture.body * gain[..., np.newaxis], 0, 1))
