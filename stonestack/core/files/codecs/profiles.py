"""Embedded colour profiles: their name, and the way from their numbers to sRGB.

Source: ICC.1:2022 (profile version 4.4): header, section 7.2; tag table, 7.3; matrix and curve
model, F.3; curveType, 10.6; parametricCurveType, 10.18; XYZType, 10.31; multiLocalizedUnicodeType,
10.15; textDescriptionType, ICC.1:2001-04, 6.5.17. The matrix of sRGB under D50: IEC 61966-2-1 with
the Bradford adaptation of ICC.1:2022, E.3.
"""

from __future__ import annotations

import io
import struct
from dataclasses import dataclass

import numpy as np
from PIL import Image, ImageCms

from stonestack.core.picture import colour
from stonestack.core.picture.image import Floats
from stonestack.core.runtime.readers import reader

_SRGB_D50 = np.array(
    [
        [0.4360747, 0.3850649, 0.1430804],
        [0.2225045, 0.7168786, 0.0606169],
        [0.0139322, 0.0971045, 0.7141733],
    ]
)
_TABLE = 4096
_GRID_STEPS = {1: 256, 3: 52, 4: 16}
"""Steps each way of the grid for finer numbers; those of 52 and 16 lie on whole levels."""
_SAME = 1.5 / 255
"""How far colours may lie from sRGB's own for a profile to count as sRGB."""


@dataclass(frozen=True)
class Profile:
    """An embedded profile that is taken apart.

    Parameters
    ----------
    name : str
        Its description.
    space : str
        ``RGB``, ``GRAY``, ``CMYK`` or another four letters of the header.
    curves : tuple of ndarray
        Linear light at even steps of each channel's numbers; empty where it is no matrix and
        curve profile.
    matrix : ndarray, shape (3, 3)
        From linear device light to XYZ under D50.
    """

    name: str
    space: str
    curves: tuple[Floats, ...]
    matrix: Floats | None
    data: bytes

    @property
    def exact(self) -> bool:
        """Whether it is converted in floating point, so that 16 bits are kept."""
        return bool(self.curves)

    @property
    def is_srgb(self) -> bool:
        """Whether its colours are sRGB's own, so that nothing has to be converted."""
        if self.space != "RGB" or not self.exact:
            return False
        steps = np.linspace(0, 1, 5, dtype=np.float32)
        cube = np.stack(np.meshgrid(steps, steps, steps), axis=-1).reshape(-1, 1, 3)
        return float(np.abs(self.to_srgb(cube) - cube).max()) < _SAME

    def to_srgb(self, values: Floats) -> Floats:
        """Return sRGB-encoded values, 0..1.

        Parameters
        ----------
        values : ndarray, float32, shape (height, width, 1 or 3)
            As stored, 0..1. What lies outside sRGB is clipped.

        Raises
        ------
        ValueError
            If it is not exact.
        """
        if not self.exact:
            raise ValueError("a profile of tables converts images, see by_tables")
        linear = np.stack(
            [_through(values[..., c], curve) for c, curve in enumerate(self.curves)], axis=-1
        )
        if self.matrix is not None:
            linear = linear @ (np.linalg.inv(_SRGB_D50) @ self.matrix).T.astype(np.float32)
        return colour.to_srgb(np.asarray(linear, np.float32))


@reader("profile", channels=3)
def read_profile(data: bytes | None, channels: int) -> Profile | None:
    """Take an embedded profile apart; None where there is none, or it is of no use.

    Parameters
    ----------
    data : bytes or None
    channels : int
        Colour channels of the picture; a profile for another number is ignored.
    """
    if data is None or len(data) < 132 or data[36:40] != b"acsp":
        return None
    space = data[16:20].decode("latin-1").strip()
    if {"GRAY": 1, "RGB": 3, "CMYK": 4}.get(space) != channels:
        return None
    try:
        tags = _tags(data)
        name = _text(tags.get(b"desc", b"")) or "unnamed"
        matrix, curves = _model(space, tags)
    except (struct.error, LookupError, ValueError, ArithmeticError):
        return None
    if not all(
        np.isfinite(table).all() for table in (*curves, *([] if matrix is None else [matrix]))
    ):
        return None
    return Profile(name, space, curves, matrix, data)


def _tags(data: bytes) -> dict[bytes, bytes]:
    (count,) = struct.unpack_from(">I", data, 128)
    tags = {}
    for i in range(min(count, 100)):
        name, offset, size = struct.unpack_from(">4sII", data, 132 + 12 * i)
        tags[name] = data[offset : offset + size]
    return tags


def _model(space: str, tags: dict[bytes, bytes]) -> tuple[Floats | None, tuple[Floats, ...]]:
    # Tables, where there are any, say more than matrix and curves do.
    if b"A2B0" in tags:
        return None, ()
    if space == "GRAY" and b"kTRC" in tags:
        return None, (_curve(tags[b"kTRC"]),)
    named = (b"rXYZ", b"gXYZ", b"bXYZ", b"rTRC", b"gTRC", b"bTRC")
    if space == "RGB" and all(name in tags for name in named):
        columns = [_xyz(tags[name]) for name in named[:3]]
        curves = tuple(_curve(tags[name]) for name in named[3:])
        return np.array(columns, np.float32).T, curves
    return None, ()


def _xyz(tag: bytes) -> tuple[float, float, float]:
    x, y, z = struct.unpack_from(">3i", tag, 8)
    return x / 65536, y / 65536, z / 65536


def _curve(tag: bytes) -> Floats:
    """Return a curve's values at even steps."""
    at = np.linspace(0, 1, _TABLE)
    if tag[:4] == b"para":
        (kind,) = struct.unpack_from(">H", tag, 8)
        count = (1, 3, 4, 5, 7)[kind]
        given = [v / 65536 for v in struct.unpack_from(f">{count}i", tag, 12)]
        g, a, b, c, d, e, f = (given + [0.0] * 7)[:7]
        if kind == 0:
            return np.asarray(at**g, np.float32)
        power = np.maximum(a * at + b, 0) ** g
        if kind == 1:
            return np.asarray(np.where(at >= -b / a, power, 0), np.float32)
        if kind == 2:
            return np.asarray(np.where(at >= -b / a, power + c, c), np.float32)
        return np.asarray(np.where(at >= d, power + e, c * at + f), np.float32)
    (count,) = struct.unpack_from(">I", tag, 8)
    if count == 0:
        return np.asarray(at, np.float32)
    if count == 1:
        return np.asarray(at ** (struct.unpack_from(">H", tag, 12)[0] / 256), np.float32)
    stored = np.frombuffer(tag, ">u2", count, 12).astype(np.float64) / 65535
    return np.interp(at, np.linspace(0, 1, count), stored).astype(np.float32)


def _text(tag: bytes) -> str:
    if tag[:4] == b"desc":
        (count,) = struct.unpack_from(">I", tag, 8)
        return tag[12 : 12 + max(0, count - 1)].decode("latin-1").strip("\0 ")[:80]
    if tag[:4] == b"mluc":
        size, offset = struct.unpack_from(">II", tag, 20)
        return tag[offset : offset + size].decode("utf-16-be", "replace").strip("\0 ")[:80]
    return ""


def _through(values: Floats, curve: Floats) -> Floats:
    return np.interp(values, np.linspace(0, 1, len(curve)), curve).astype(np.float32)


def of_gamma(gamma: float, channels: int) -> Profile:
    """Return what a PNG's gAMA says, as a profile with the primaries of sRGB.

    Parameters
    ----------
    gamma : float
        The exponent by which light became numbers (PNG, third edition, 11.3.2.2).
    channels : int
        1 for grey, or 3.
    """
    at = np.linspace(0, 1, _TABLE)
    curve = np.asarray(at ** (1 / gamma), np.float32)
    if channels == 1:
        return Profile(f"gamma {gamma:.2f}", "GRAY", (curve,), None, b"")
    matrix = np.asarray(_SRGB_D50, np.float32)
    return Profile(f"gamma {gamma:.2f}", "RGB", (curve,) * 3, matrix, b"")


_MODES = {"GRAY": "L", "RGB": "RGB", "CMYK": "CMYK"}


def has_tables(profile: Profile) -> bool:
    """Tell whether a profile that is not exact converts by tables that can be used."""
    try:
        _transform(profile)
    except (ImageCms.PyCMSError, OSError):
        return False
    return True


def _transform(profile: Profile) -> ImageCms.ImageCmsTransform:
    given = ImageCms.ImageCmsProfile(io.BytesIO(profile.data))
    return ImageCms.buildTransform(
        given, ImageCms.createProfile("sRGB"), _MODES[profile.space], "RGB"
    )


def through_grid(values: Floats, profile: Profile) -> Floats:
    """Convert finer numbers than eight bits to sRGB through a profile of tables.

    The library that evaluates tables takes and gives eight bits. It is asked for a grid of
    colours, between which is gone straight: steps finer than eight bits stay, and what comes
    out is right to about one level of eight bits.

    Parameters
    ----------
    values : ndarray, float32, shape (height, width, 1, 3 or 4)
        As stored, 0..1, in the profile's own space.

    Returns
    -------
    ndarray, float32, shape (height, width, 3)
        sRGB-encoded, 0..1.
    """
    from scipy.interpolate import interpn

    channels = values.shape[2]
    steps = _GRID_STEPS[channels]
    at = np.rint(np.linspace(0, 255, steps)).astype(np.uint8)
    nodes = np.stack(np.meshgrid(*[at] * channels, indexing="ij"), axis=-1)
    flat = np.ascontiguousarray(nodes.reshape(-1, 1, channels))
    image = Image.fromarray(flat[..., 0] if channels == 1 else flat, mode=_MODES[profile.space])
    grid = np.asarray(by_tables(image, profile), np.float32).reshape(*nodes.shape[:-1], 3) / 255
    places = (np.clip(values, 0, 1) * (steps - 1)).reshape(-1, channels)
    out = interpn([np.arange(steps)] * channels, grid, places)
    return np.asarray(out, np.float32).reshape(*values.shape[:2], 3)


def by_tables(image: Image.Image, profile: Profile) -> Image.Image:
    """Convert an image to sRGB through a profile of tables; eight bits a channel.

    Parameters
    ----------
    image : Image
        In the profile's own space: mode ``L``, ``RGB`` or ``CMYK``.
    profile : Profile
        One for which :func:`has_tables` is true.
    """
    converted = ImageCms.applyTransform(image, _transform(profile))
    assert converted is not None
    return converted
