"""Image files to the numbers that they store: the only place where other people's decoders run.

What is wanted of a file is decoded in bands, so that no more than the picture itself is held.
Nothing here is called directly by what works with pictures: :mod:`.pictures` asks through
:mod:`.apart`, which lets it run in a process of its own, with a limit on memory and time.

Source: Exif 2.3, table 6 (orientation).
"""

from __future__ import annotations

import struct
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from stonestack.core.files.codecs import beyond
from stonestack.core.files.codecs.headers import (
    DEEP_MODES,
    LIGHT,
    MOST_PIXELS,
    ORIENTATION,
    Input,
    PictureFacts,
    damaged,
    opened,
    untrusted,
)
from stonestack.core.files.codecs.profiles import Profile, by_tables, through_grid
from stonestack.core.files.codecs.sniff import FileKind
from stonestack.core.picture.normals import are_unit
from stonestack.core.picture.texels import shrunk
from stonestack.core.runtime.errors import BadFile

Numbers = NDArray[Any]
"""Stored numbers: uint8, uint16, or float32 in 0..1; shape (height, width, channels)."""
Convert = Literal["nothing", "inks", "all"]

_LARGE = 16 << 20
"""Texels from which memory counts more than time."""
_TOP = {"uint8": 255, "uint16": 65535}
"""The full value of whole numbers."""
_BAND = 4 << 20
"""Numbers of a band."""


@dataclass(frozen=True)
class Wanted:
    """What is wanted of a file's pixels.

    Parameters
    ----------
    convert : {"nothing", "inks", "all"}
        What goes through the embedded profile here: nothing (inks are then mixed plainly), inks,
        or whatever only the profile's own tables can convert.
    longest : int
        Shrink by a whole number to a longest side of no less than this; 0 for the full size.
    quick : bool
        Whether a shrunk picture may be decoded coarsely where the file allows it.
    """

    convert: Convert = "nothing"
    longest: int = 0
    quick: bool = False


@dataclass(frozen=True)
class Bands:
    """A picture on its way, from the top down.

    Parameters
    ----------
    shape : tuple of int
        Height, width, channels of the whole, upright.
    dtype : str
        ``uint8``, ``uint16`` or ``float32``.
    alpha : bool
        Whether the last channel is alpha.
    turned : int
        How the bands have to be turned to be upright.
    each : iterator of ndarray
        Parts as they are stored, before they are turned upright.
    seen : Seen
        Known when all bands have gone by.
    """

    shape: tuple[int, int, int]
    dtype: str
    alpha: bool
    turned: int
    each: Iterator[Numbers]
    seen: Seen


_SAMPLED = 3
"""Every so manieth row and column is tried for unit length."""


@dataclass
class Seen:
    """What all pixels have in common: nothing clear, no colour; how many are unit vectors.

    ``span`` is the range of floating-point and wide numbers that became 0..1.
    """

    opaque: bool = True
    grey: bool = True
    unit: int = 0
    sampled: int = 0
    span: tuple[float, float] = (0.0, 1.0)

    def look(self, band: Numbers, alpha: bool) -> None:
        """Look at a band of the full size."""
        if alpha and self.opaque:
            top = _TOP.get(str(band.dtype), 1)
            self.opaque = bool((band[..., -1] >= top).all())
        body = band[..., :-1] if alpha else band
        if self.grey and body.shape[2] == 3:
            self.grey = bool((body[..., :1] == body[..., 1:]).all())
        if body.shape[2] == 3 and not self.grey:
            # Before anything is averaged: the mean of unit vectors is shorter than they are.
            tried = are_unit(body[::_SAMPLED, ::_SAMPLED], _TOP.get(str(band.dtype), 1))
            self.unit += int(tried.sum())
            self.sampled += tried.size

    @property
    def unit_share(self) -> float:
        """Return which share of the texels that were tried are unit vectors."""
        return self.unit / self.sampled if self.sampled else 0.0


def decode(file: Input, kind: FileKind, wanted: Wanted, facts: PictureFacts) -> Bands:
    """Begin to decode a picture.

    Raises
    ------
    BadFile
        If it is damaged, or stored in a way that is not read; also while its bands are taken.
    """
    with untrusted():
        found = _deep(file, kind, facts) if facts.bits == 16 else None
        if found is not None:
            return _array_bands(found, facts, wanted)
        image, turned = _shallow(file, kind, facts, wanted)
        return _image_bands(image, turned, wanted)


def upright(pixels: Numbers, turned: int) -> Numbers:
    """Return pixels as they are meant to be seen; ``turned`` is what the header says."""
    return np.asarray(_UPRIGHT[turned](pixels)) if turned > 1 else pixels


_UPRIGHT: dict[int, Callable[[Numbers], Numbers]] = {
    2: lambda p: p[:, ::-1],
    3: lambda p: p[::-1, ::-1],
    4: lambda p: p[::-1],
    5: lambda p: p.swapaxes(0, 1),
    6: lambda p: p.swapaxes(0, 1)[:, ::-1],
    7: lambda p: p[::-1, ::-1].swapaxes(0, 1),
    8: lambda p: p.swapaxes(0, 1)[::-1],
}
"""From how a picture is stored to how it is meant to be seen (Exif 2.3, table 6)."""


def _shallow(
    file: Input, kind: FileKind, facts: PictureFacts, wanted: Wanted
) -> tuple[Image.Image, int]:
    """Return an image in grey or colour of eight bits, and how it has to be turned."""
    image = opened(file, kind)
    if wanted.quick and wanted.longest and kind is FileKind.JPEG:
        image.draft("RGB", (wanted.longest, wanted.longest))
    image.load()
    turned = facts.turned
    if kind is FileKind.TIFF and ORIENTATION not in image.getexif():
        turned = 1
    return _plain(image, facts, wanted), turned


def _plain(image: Image.Image, facts: PictureFacts, wanted: Wanted) -> Image.Image:
    """Return a loaded image as grey, colour or inks of eight bits, with or without alpha."""
    seen_through = "transparency" in image.info
    if image.mode == "P" or (image.mode in ("L", "RGB") and seen_through):
        image = image.convert("RGBA" if seen_through else "RGB")
    elif image.mode in ("1", "La"):
        image = image.convert("L" if image.mode == "1" else "LA")
    elif image.mode == "CMYK":
        profile = facts.profile
        if wanted.convert != "nothing" and profile is not None and profile.space == "CMYK":
            return by_tables(image, profile)
        return image
    elif image.mode not in ("L", "LA", "RGB", "RGBA"):
        image = image.convert("RGBA" if image.mode in ("PA", "RGBa") else "RGB")
    if wanted.convert == "all" and facts.profile is not None and not facts.profile.exact:
        return _with_alpha(by_tables(_bare(image), facts.profile), image)
    return image


def _bare(image: Image.Image) -> Image.Image:
    return image.convert(image.mode[:-1]) if image.mode in ("LA", "RGBA") else image


def _with_alpha(body: Image.Image, like: Image.Image) -> Image.Image:
    if like.mode in ("LA", "RGBA"):
        body.putalpha(like.getchannel("A"))
    return body


def _image_bands(image: Image.Image, turned: int, wanted: Wanted) -> Bands:
    width, height = image.size
    alpha = image.mode in ("LA", "RGBA")
    channels = 3 if image.mode == "CMYK" else len(image.getbands())
    step = _step(image.size, wanted.longest)
    seen = Seen()

    def each() -> Iterator[Numbers]:
        for top, bottom in _rows(width, height, channels, step):
            part = image.crop((0, top, width, bottom))
            seen.look(_pixels(part), alpha)
            if step > 1 and alpha:
                weighted = part.convert(f"{part.mode[:-1]}a").reduce(step)
                yield _pixels(weighted.convert(part.mode))
            else:
                yield _pixels(part.reduce(step) if step > 1 else part)

    shape = (-(-height // step), -(-width // step), channels)
    return Bands(_turned(shape, turned), "uint8", alpha, turned, each(), seen)


def _pixels(image: Image.Image) -> Numbers:
    pixels = np.asarray(image)
    if image.mode == "CMYK":
        return _mixed(pixels)
    return pixels[..., np.newaxis] if pixels.ndim == 2 else pixels


def _mixed(inks: Numbers) -> Numbers:
    """Return sRGB from cyan, magenta, yellow and black without a profile, at their own depth."""
    top = np.float32(255 if inks.dtype == np.uint8 else 65535)
    share = inks.astype(np.float32) / top
    colours = (1 - share[..., :3]) * (1 - share[..., 3:])
    return np.asarray(np.rint(colours * top), inks.dtype)


@dataclass(frozen=True)
class _Deep:
    """A picture of more than eight bits, of which rows can be taken."""

    shape: tuple[int, int, int]
    dtype: np.dtype[Any]
    rows: Callable[[int, int], Numbers]
    measured: bool = False
    """Whether its numbers have no range of their own, and are taken by that of the picture."""


def _deep(file: Input, kind: FileKind, facts: PictureFacts) -> _Deep | None:
    """Decode more than eight bits; None where only Pillow unpacks them, to eight."""
    if kind in LIGHT:
        pixels = _of_light(file, kind)
    elif kind is FileKind.TIFF:
        tiff = _tiff(file)
        if tiff is None:
            return None
        pixels = tiff
    elif facts.mode in DEEP_MODES:
        image = opened(file, kind)
        image.load()
        pixels = np.asarray(image)
    else:
        halves = _deep_halves(file, facts)
        if halves is not None:
            return halves
        pixels = _deep_colour(file)
    pixels = pixels[..., np.newaxis] if pixels.ndim == 2 else pixels
    if pixels.ndim != 3 or not 1 <= pixels.shape[2] <= 4:
        raise _not_flat()
    measured = kind in (FileKind.TIFF, *LIGHT) and pixels.dtype not in (np.uint8, np.uint16)
    height, width, channels = pixels.shape
    if _turned((height, width, channels), facts.turned)[:2] != (facts.height, facts.width):
        raise damaged()
    whole = pixels
    return _Deep(
        (height, width, channels), pixels.dtype, lambda top, bottom: whole[top:bottom], measured
    )


def _deep_halves(file: Input, facts: PictureFacts) -> _Deep | None:
    """Decode a large PNG of sixteen-bit colour twice, for its upper and its lower bytes.

    It takes half the memory of doing so at once, and twice the time. None where it is small, or
    stored in another way.
    """
    if facts.width * facts.height <= _LARGE or facts.mode not in ("RGB", "RGBA"):
        return None
    upper, lower = opened(file, FileKind.PNG), opened(file, FileKind.PNG)
    if "transparency" in upper.info or lower.tile[0].args != f"{facts.mode};16B":
        return None
    # Its numbers have their upper byte first; read as if it came last, the lower is left.
    lower.tile = [lower.tile[0]._replace(args=f"{facts.mode};16L")]
    upper.load()
    lower.load()
    width, height = upper.size

    def rows(top: int, bottom: int) -> Numbers:
        high, low = (np.asarray(half.crop((0, top, width, bottom))) for half in (upper, lower))
        return np.asarray(high.astype(np.uint16) << 8 | low, np.uint16)

    return _Deep((height, width, len(facts.mode)), np.dtype(np.uint16), rows)


def _of_light(file: Input, kind: FileKind) -> Numbers:
    with file.stream() as stream:
        if kind is FileKind.EXR:
            return beyond.exr_numbers(stream)
        _, _, exposure = beyond.radiance_header(stream)
    return beyond.radiance_numbers(_mapped(file), exposure)


def _mapped(file: Input) -> NDArray[np.uint8]:
    """Return a file's bytes without a copy of them."""
    if file.path:
        return np.memmap(file.path, np.uint8, "r")
    return np.frombuffer(file.data, np.uint8)


def _tiff(file: Input) -> Numbers | None:
    """Read the first page of a TIFF; None if it is packed in a way that is not known here."""
    import tifffile

    with file.stream() as stream, tifffile.TiffFile(stream) as pages:
        page = pages.pages.first
        claimed = int(np.prod([int(side) for side in page.shape], dtype=np.float64))
        if claimed > 4 * MOST_PIXELS or page.ndim > 3:
            raise _not_flat()
        try:
            second = pages.pages[1]
        except IndexError:
            second = None
        if second is not None and second.shape == page.shape:
            raise _not_flat()
        try:
            pixels = np.asarray(page.asarray(maxworkers=1))
        except (ValueError, KeyError, ImportError, tifffile.TiffFileError, struct.error):
            # Packed in a way that only Pillow unpacks here; it keeps the upper eight bits.
            return None
        apart = page.planarconfig == tifffile.PLANARCONFIG.SEPARATE
        if pixels.ndim == 3 and apart:
            pixels = np.moveaxis(pixels, 0, -1)
        if page.photometric == tifffile.PHOTOMETRIC.MINISWHITE and pixels.dtype.kind == "u":
            pixels = np.iinfo(pixels.dtype).max - pixels
        return pixels


def _deep_colour(file: Input) -> Numbers:
    """Read sixteen-bit colour from a PNG, of which Pillow keeps the upper eight bits only."""
    import cv2

    stored = cv2.imdecode(_mapped(file), cv2.IMREAD_UNCHANGED)
    if stored is None or stored.dtype != np.uint16:
        raise damaged()
    if stored.ndim == 3 and stored.shape[2] >= 3:
        for top in range(0, len(stored), 256):
            part = stored[top : top + 256]
            part[..., [0, 2]] = part[..., [2, 0]]
    return np.asarray(stored)


def _array_bands(deep: _Deep, facts: PictureFacts, wanted: Wanted) -> Bands:
    height, width, channels = deep.shape
    inks = facts.mode == "CMYK"
    alpha = channels in (2, 4) and not inks
    tables = facts.profile if wanted.convert == "all" or inks else None
    if tables is not None and (tables.exact or (inks and wanted.convert == "nothing")):
        tables = None
    step = _step((width, height), wanted.longest)
    shallow = deep.dtype == np.uint8
    floats = deep.measured and not inks
    dtype = "uint8" if shallow else "float32" if floats else "uint16"
    body = 3 if inks or tables is not None else channels - alpha
    seen = Seen(span=_span(deep, alpha) if deep.measured else (0.0, 1.0))

    def each() -> Iterator[Numbers]:
        for top, bottom in _rows(width, height, channels, step):
            part = deep.rows(top, bottom)
            part = _scaled(part, seen.span, alpha) if deep.measured else _numbers(part)
            if tables is not None:
                part = _through_tables(part, alpha, tables)
            elif inks:
                part = _mixed(part if part.dtype == np.uint8 else _sixteen(part))
            seen.look(part, alpha)
            yield shrunk(part, step, alpha) if step > 1 else part

    shape = (-(-height // step), -(-width // step), body + alpha)
    return Bands(_turned(shape, facts.turned), dtype, alpha, facts.turned, each(), seen)


def _numbers(part: Numbers) -> Numbers:
    """Return stored whole numbers of eight or sixteen bits."""
    if part.dtype == np.uint8 or part.dtype == np.uint16:
        return np.ascontiguousarray(part)
    return np.asarray(np.clip(part, 0, 65535), np.uint16)


def _span(deep: _Deep, alpha: bool) -> tuple[float, float]:
    """Return the range that becomes 0..1: that itself, as far as numbers do not lie beyond."""
    least, most = 0.0, 1.0
    height, width, channels = deep.shape
    for top, bottom in _rows(width, height, channels, 1):
        part = deep.rows(top, bottom)
        part = part[..., :-1] if alpha else part
        known = part[np.isfinite(part)] if part.dtype.kind == "f" else part
        if known.size:
            least, most = min(least, float(known.min())), max(most, float(known.max()))
    return least, most


def _scaled(part: Numbers, span: tuple[float, float], alpha: bool) -> Numbers:
    """Return numbers as 0..1 of a range; what is no number is its least. Alpha is taken as is."""
    least, most = span
    known = np.nan_to_num(part.astype(np.float64), nan=least, posinf=most, neginf=least)
    scaled = np.asarray((known - least) / (most - least), np.float32)
    if alpha:
        top = 1 if part.dtype.kind == "f" else np.iinfo(part.dtype).max
        scaled[..., -1] = np.clip(known[..., -1] / top, 0, 1)
    return scaled


def _sixteen(part: Numbers) -> Numbers:
    if part.dtype == np.uint16:
        return part
    return np.asarray(np.rint(part * np.float32(65535)), np.uint16)


def _through_tables(part: Numbers, alpha: bool, profile: Profile) -> Numbers:
    """Convert deep colour by a profile of tables, at its own depth."""
    top = _TOP.get(str(part.dtype), 1)
    body = part[..., :-1] if alpha else part
    turned = through_grid(np.asarray(body, np.float32) / np.float32(top), profile) * top
    turned = np.asarray(turned if part.dtype == np.float32 else np.rint(turned), part.dtype)
    return np.concatenate([turned, part[..., -1:]], axis=2) if alpha else turned


def _rows(width: int, height: int, channels: int, step: int) -> Iterator[tuple[int, int]]:
    """Yield the first and last row of each band; a band is cut between whole steps."""
    rows = max(1, _BAND // (width * channels * step)) * step
    for top in range(0, height, rows):
        yield top, min(height, top + rows)


def _step(size: tuple[int, int], longest: int) -> int:
    return max(1, max(size) // longest) if longest else 1


def _turned(shape: tuple[int, ...], turned: int) -> tuple[int, int, int]:
    height, width, channels = shape
    return (width, height, channels) if turned >= 5 else (height, width, channels)


def _not_flat() -> BadFile:
    return BadFile(
        "not-flat",
        "This picture holds several pages or more than four channels.",
        "Save one flat page with grey, RGB or RGBA channels.",
    )
