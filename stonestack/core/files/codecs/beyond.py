"""OpenEXR and Radiance pictures: linear light that may lie beyond white.

Sources: Academy Software Foundation, "OpenEXR File Layout" and "Technical Introduction to
OpenEXR" (colour is weighted by alpha); G. Ward, "Real Pixels", Graphics Gems II, 1991, and the
header of Radiance pictures. Files are taken apart by the libraries OpenEXR and OpenCV.
"""

from __future__ import annotations

import io
import math
import re
from typing import Any

import numpy as np
from numpy.typing import NDArray

from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.runtime.errors import BadFile

_COLOUR = ("R", "G", "B")
_GREY = "Y"
_ALPHA = "A"
_SIZE = re.compile(rb"^-Y (\d+) \+X (\d+)$")
_MOST_LINES, _MOST_LINE = 400, 4096
_LEAST = 1e-6


def exr_header(data: Any) -> tuple[int, int, int, bool]:
    """Read an EXR's header.

    Parameters
    ----------
    data : binary stream

    Returns
    -------
    width, height, channels : int
        Of its data window; channels without alpha.
    alpha : bool

    Raises
    ------
    BadFile
        If it is deep, or has no colour that is read here.
    """
    import OpenEXR

    with OpenEXR.File(data, header_only=True) as file:
        if len(file.parts) < 1:
            raise _no_colour()
        head = file.parts[0].header
        if head["type"] not in (OpenEXR.scanlineimage, OpenEXR.tiledimage):
            raise BadFile(
                "deep-exr", "This EXR is deep: it holds layers of depth.", "Flatten it first."
            )
        names = {c.name: c for c in head["channels"]}
        used = _used(set(names))
        if any((names[n].xSampling, names[n].ySampling) != (1, 1) for n in used):
            raise _no_colour()
        low, high = head["dataWindow"]
    width, height = (int(b) - int(a) + 1 for a, b in zip(low, high, strict=True))
    alpha = used[-1] == _ALPHA
    return width, height, len(used) - alpha, alpha


def exr_numbers(data: Any) -> Floats:
    """Read an EXR's pixels, (height, width, channels): straight alpha last, where it has any."""
    import OpenEXR

    with OpenEXR.File(data, separate_channels=True) as file:
        channels = file.channels()
        used = _used(set(channels))
        planes = [np.asarray(channels[name].pixels, np.float32) for name in used]
    numbers = np.stack(planes, axis=2)
    if used[-1] == _ALPHA:
        alpha = np.clip(np.nan_to_num(numbers[..., -1:]), 0, 1)
        numbers[..., :-1] /= np.where(alpha > _LEAST, alpha, np.float32(1))
        numbers[..., -1:] = alpha
    return numbers


def _used(names: set[str]) -> list[str]:
    """Return the channels that are read, in order."""
    alpha = [_ALPHA] if _ALPHA in names else []
    if names.issuperset(_COLOUR):
        return [*_COLOUR, *alpha]
    if _GREY in names:
        return [_GREY, *alpha]
    plain = sorted(names - {_ALPHA})
    if len(plain) == 1:
        return [*plain, *alpha]
    raise _no_colour()


def _no_colour() -> BadFile:
    return BadFile(
        "no-colour",
        "This EXR has no channels R, G and B, no Y, and more than one other.",
        "Save one layer of it, with these names and at full size.",
    )


def fits_halves(picture: Picture) -> bool:
    """Tell whether half precision keeps a picture's numbers as they are."""
    with np.errstate(over="ignore"):
        return bool(np.array_equal(picture.pixels, picture.pixels.astype(np.float16)))


def write_exr(picture: Picture, bits: int = 16) -> bytes:
    """Write a picture as EXR, packed without loss: colour as light, other numbers as they are.

    Parameters
    ----------
    picture : Picture
        Vectors are stored from 0 to 1, as in all other files.
    bits : {16, 32}
        Half or single precision.
    """
    import OpenEXR

    kind = np.float32 if bits == 32 else np.float16
    body = picture.body
    if picture.space is Space.VECTOR:
        body = body * np.float32(0.5) + np.float32(0.5)
    if picture.opacity is not None:
        body = body * picture.opacity
    names = _COLOUR if body.shape[2] == 3 else (_GREY,)
    most = np.float32(np.finfo(kind).max)
    planes: dict[str, NDArray[Any]] = {
        name: np.ascontiguousarray(np.clip(body[..., n], -most, most).astype(kind))
        for n, name in enumerate(names)
    }
    if picture.opacity is not None:
        planes[_ALPHA] = np.ascontiguousarray(picture.opacity[..., 0].astype(kind))
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    buffer = io.BytesIO()
    OpenEXR.File(header, planes).write(buffer)
    return buffer.getvalue()


def radiance_header(data: Any) -> tuple[int, int, float]:
    """Read a Radiance picture's header.

    Returns
    -------
    width, height : int
    exposure : float
        What its light was multiplied by.

    Raises
    ------
    BadFile
        If it is turned or mirrored, or its numbers are no red, green and blue.
    """
    exposure = 1.0
    for _ in range(_MOST_LINES):
        line = data.readline(_MOST_LINE).strip()
        if line.startswith(b"EXPOSURE="):
            exposure *= float(line[9:])
        if line.startswith(b"FORMAT=") and line != b"FORMAT=32-bit_rle_rgbe":
            raise _other_radiance()
        if found := _SIZE.match(line):
            if not (math.isfinite(exposure) and exposure > 0):
                raise _other_radiance()
            return int(found[2]), int(found[1]), exposure
        if re.match(rb"^[-+][XY] \d+ [-+][XY] \d+$", line):
            break
    raise _other_radiance()


def _other_radiance() -> BadFile:
    return BadFile(
        "radiance-form",
        "This Radiance picture is turned, mirrored, or not in red, green and blue.",
        "Save it upright as RGBE.",
    )


def radiance_numbers(whole: NDArray[np.uint8], exposure: float) -> Floats:
    """Read a Radiance picture's pixels, (height, width, 3), as light was before its exposure."""
    import cv2

    stored = cv2.imdecode(whole, cv2.IMREAD_UNCHANGED)
    if stored is None or stored.dtype != np.float32 or stored.ndim != 3:
        raise BadFile(
            "file-damaged",
            "The file is damaged or cut short.",
            "Open it in an image editor and save it again, or fetch a fresh copy.",
        )
    return np.asarray(stored[..., ::-1] / np.float32(exposure), np.float32)
