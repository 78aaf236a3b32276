"""What the header of an image file says, read and checked before any pixel.

Source: Exif 2.3, table 6 and tag 0x0112 (orientation); PNG (W3C, third edition), section 5.3
(chunks) and 11.3.4.5 (eXIf); TIFF 6.0, section 2 (fields).
"""

from __future__ import annotations

import io
import struct
import warnings
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from typing import BinaryIO

import numpy as np
from PIL import Image, ImageFile, UnidentifiedImageError

from stonestack.core.files.codecs import beyond
from stonestack.core.files.codecs.profiles import Profile, has_tables, of_gamma, read_profile
from stonestack.core.files.codecs.sniff import READABLE_WORDS, FileKind
from stonestack.core.runtime.errors import BadFile, StoneError

MOST_SIDE = 16384
MOST_PIXELS = 96_000_000
"""Largest picture that is taken in."""
PILLOW = {
    FileKind.PNG: "PNG",
    FileKind.JPEG: "JPEG",
    FileKind.BMP: "BMP",
    FileKind.TIFF: "TIFF",
    FileKind.TGA: "TGA",
    FileKind.WEBP: "WEBP",
}
"""What Pillow calls each kind."""
LIGHT = (FileKind.EXR, FileKind.HDR)
"""Kinds that hold linear light, and beyond white."""
WIDE_MODES = {"I", "F"}
DEEP_MODES = {"I;16", "I;16B", "I;16L", *WIDE_MODES}
"""Pillow's words for one channel of more than eight bits."""
ORIENTATION = 0x0112

_SIZE, _BITS_PER_SAMPLE = (256, 257), 258
_ICC_TAG = 34675
_LETTERS = {1: "L", 2: "LA", 3: "RGB", 4: "RGBA"}
_SRGB_GAMMA, _NEARLY, _LEAST_GAMMA = 1 / 2.2, 0.02, 0.1
"""What PNG files say that hold sRGB, and what no picture has."""
_PNG_DEPTH_AT = 24
_OF_MEMORY = "Insufficient memory"
"""What OpenCV says of memory that it does not get, in an error of its own kind."""
_PIECE = 1 << 20
_MOST_CHUNKS, _MOST_SCANS = 100_000, 1000
_MOST_PROFILE, _MOST_EXIF = 8 << 20, 1 << 20

_BASE_MEMORY, _PIXEL_MEMORY, _WIDE_MEMORY = 192 << 20, 12, 64
_BASE_SECONDS, _PIXEL_SECONDS, _DEEP_SECONDS = 15.0, 4e-7, 12e-7


@dataclass(frozen=True)
class PictureFacts:
    """What a header says, before any pixel is read.

    Parameters
    ----------
    width, height : int
        As the picture is meant to be seen, turned upright.
    mode : str
        Pillow's word for how a pixel is stored.
    bits : {8, 16}
    alpha : bool
    channels : int
        Of colour, without alpha.
    turned : int
        How a camera says that it is turned: 1 for not at all, up to 8 (Exif 2.3).
    icc : bytes
        The embedded profile, or empty.
    palette : int
        Colours of its palette; 0 where it has none.
    interlaced : bool
    packing : str
        How a TIFF is packed; empty for other kinds.
    wide : bool
        Whether numbers are floating-point, or take more than two bytes.
    floats : bool
        Whether numbers are floating-point.
    light : bool
        Whether its colour is linear light, whatever its range.
    gamma : float
        What a PNG without a profile says of its numbers: the exponent by which light became
        numbers; 0 where it says nothing, or what sRGB says.
    unusable : bool
        Whether it has a profile that cannot be used.
    """

    width: int
    height: int
    mode: str
    bits: int
    alpha: bool
    channels: int = 3
    turned: int = 1
    icc: bytes = b""
    palette: int = 0
    interlaced: bool = False
    packing: str = ""
    wide: bool = False
    floats: bool = False
    light: bool = False
    gamma: float = 0.0
    unusable: bool = False

    @cached_property
    def profile(self) -> Profile | None:
        """The profile taken apart; None where there is none, or it is of no use."""
        if self.gamma:
            return of_gamma(self.gamma, self.channels)
        return None if self.unusable else read_profile(self.icc, self.channels)


@dataclass(frozen=True)
class Input:
    """A file to read: in memory, or on disk where it is large.

    Parameters
    ----------
    data : bytes
        The whole file, where it has no path.
    path : str
        Where it lies, or empty.
    """

    data: bytes = b""
    path: str = ""

    def stream(self) -> BinaryIO:
        """Open it, to be read from its begin."""
        return Path(self.path).open("rb") if self.path else io.BytesIO(self.data)

    def head(self, size: int) -> bytes:
        """Return its first bytes."""
        with self.stream() as stream:
            return stream.read(size)


@dataclass(frozen=True)
class Budget:
    """Memory in bytes and time in seconds that reading a picture may take."""

    memory: int
    seconds: float


HEADER = Budget(256 << 20, 20.0)
"""What reading a header may take."""


def budget(header: PictureFacts) -> Budget:
    """State what decoding a picture may take, before its first pixel is read."""
    pixels = header.width * header.height
    seconds = _DEEP_SECONDS if header.bits == 16 else _PIXEL_SECONDS
    each = _WIDE_MEMORY if header.wide else _PIXEL_MEMORY
    return Budget(_BASE_MEMORY + pixels * each, _BASE_SECONDS + pixels * seconds)


def damaged() -> BadFile:
    """Return the error for a file that no decoder can make sense of."""
    return BadFile(
        "file-damaged",
        "The file is damaged or cut short.",
        "Open it in an image editor and save it again, or fetch a fresh copy.",
    )


def too_much_memory() -> BadFile:
    """Return the error for a file that asks for more than its size gives reason for."""
    return BadFile(
        "too-much-memory",
        "Reading the file takes far more memory than a picture of its size should.",
        "Open it in an image editor and save it again as a plain picture.",
    )


@contextmanager
def untrusted() -> Iterator[None]:
    """Turn whatever a decoder that is not ours raises into an error with words.

    Such decoders raise errors of any kind for damaged files.
    """
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            yield
    except StoneError:
        raise
    except MemoryError as error:
        raise too_much_memory() from error
    except Exception as error:
        raise (too_much_memory() if _OF_MEMORY in str(error) else damaged()) from error


def header(file: Input, kind: FileKind) -> PictureFacts:
    """Read the header of an image file and check its size.

    Raises
    ------
    BadFile
        If the header is damaged, or claims more pixels than are taken in.
    """
    with untrusted():
        _check_parts(file, kind)
        if kind in LIGHT:
            return _of_light(file, kind)
        try:
            image = opened(file, kind)
        except UnidentifiedImageError:
            if kind is not FileKind.TIFF:
                raise
            return _by_tags(file)
        with image:
            return _facts(image, file, kind)


def opened(file: Input, kind: FileKind) -> ImageFile.ImageFile:
    """Open an image file with Pillow, by its true kind; pixels are not read yet."""
    if kind not in PILLOW:
        raise BadFile(
            "not-an-image",
            "This is not a picture that can come in.",
            READABLE_WORDS,
        )
    # Sizes are checked here before any pixel is read, with a message of our own.
    Image.MAX_IMAGE_PIXELS = None
    return Image.open(file.path or io.BytesIO(file.data), formats=[PILLOW[kind]])


def _facts(image: Image.Image, file: Input, kind: FileKind) -> PictureFacts:
    width, height, mode = image.width, image.height, image.mode
    _check_size(width, height)
    wide = mode in WIDE_MODES
    deep = kind is FileKind.PNG and file.head(_PNG_DEPTH_AT + 1)[_PNG_DEPTH_AT:] == b"\x10"
    if kind is FileKind.TIFF:
        bits = image.tag_v2.get(_BITS_PER_SAMPLE)  # type: ignore[attr-defined]
        deep = deep or (isinstance(bits, tuple) and max(bits) >= 16)
        # Pillow gives the size of a TIFF as it is meant to be seen.
        width, height = (int(image.tag_v2[tag]) for tag in _SIZE)  # type: ignore[attr-defined]
    alpha = mode in {"RGBA", "LA", "PA"}
    channels = 3 if mode == "P" else len(image.getbands()) - alpha
    icc = image.info.get("icc_profile")
    icc = icc if isinstance(icc, bytes) else b""
    turned = _turn(image, file, kind)
    if turned >= 5:
        width, height = height, width
    return PictureFacts(
        width=width,
        height=height,
        mode=mode,
        bits=16 if deep or mode in DEEP_MODES else 8,
        alpha=alpha,
        channels=channels,
        turned=turned,
        icc=icc if len(icc) <= _MOST_PROFILE else b"",
        palette=len(image.getpalette() or []) // 3 if mode == "P" else 0,
        interlaced=kind is FileKind.PNG and bool(image.info.get("interlace")),
        packing=str(image.info.get("compression", "raw")) if kind is FileKind.TIFF else "",
        wide=wide,
        floats=mode == "F",
        gamma=_gamma(image, icc) if kind is FileKind.PNG else 0.0,
        unusable=_unusable(icc, channels),
    )


def _check_size(width: int, height: int) -> None:
    if width > MOST_SIDE or height > MOST_SIDE or width * height > MOST_PIXELS:
        raise BadFile(
            "too-large",
            f"The picture has {width} × {height} pixels; "
            f"{MOST_SIDE} each way and {MOST_PIXELS // 1_000_000} million in all are the most.",
            "Cut or shrink it in an image editor first.",
        )
    if width < 1 or height < 1:
        raise damaged()


def _of_light(file: Input, kind: FileKind) -> PictureFacts:
    """Read the header of an EXR or a Radiance picture."""
    with file.stream() as stream:
        if kind is FileKind.EXR:
            width, height, channels, alpha = beyond.exr_header(stream)
            mode = f"{_LETTERS[channels + alpha]} floating point"
        else:
            width, height, _ = beyond.radiance_header(stream)
            channels, alpha, mode = 3, False, "RGBE"
    _check_size(width, height)
    return PictureFacts(
        width=width,
        height=height,
        mode=mode,
        bits=16,
        alpha=alpha,
        channels=channels,
        wide=True,
        floats=True,
        light=True,
    )


def _by_tags(file: Input) -> PictureFacts:
    """Read the header of a TIFF of numbers that Pillow does not know: floating point, wide."""
    import tifffile

    with file.stream() as stream, tifffile.TiffFile(stream) as pages:
        page = pages.pages.first
        _check_size(page.imagewidth, page.imagelength)
        samples = page.samplesperpixel
        alpha = samples in (2, 4) and page.photometric != tifffile.PHOTOMETRIC.SEPARATED
        tag = page.tags.get(_ICC_TAG)
        icc = bytes(tag.value) if tag is not None and isinstance(tag.value, bytes) else b""
        turn = page.tags.get(ORIENTATION)
        turned = turn.value if turn is not None and turn.value in range(1, 9) else 1
        width, height = page.imagewidth, page.imagelength
        if turned >= 5:
            width, height = height, width
        return PictureFacts(
            width=width,
            height=height,
            mode=f"{_LETTERS.get(samples, samples)} {np.dtype(page.dtype)}",
            bits=16,
            alpha=alpha,
            channels=samples - alpha,
            turned=turned,
            icc=icc if len(icc) <= _MOST_PROFILE else b"",
            packing=tifffile.COMPRESSION(page.compression).name.lower(),
            wide=True,
            floats=np.dtype(page.dtype).kind == "f",
            unusable=_unusable(icc, samples - alpha),
        )


def _gamma(image: Image.Image, icc: bytes) -> float:
    """Return a PNG's gAMA where nothing better is said (PNG, third edition, 11.3.2.2)."""
    said = image.info.get("gamma")
    if icc or "srgb" in image.info or not isinstance(said, float):
        return 0.0
    usual = abs(said - _SRGB_GAMMA) < _NEARLY
    return said if _LEAST_GAMMA <= said <= 1 / _LEAST_GAMMA and not usual else 0.0


def _unusable(icc: bytes, channels: int) -> bool:
    """Tell whether an embedded profile is of no use: damaged, too large, or of other channels."""
    if not icc:
        return False
    profile = read_profile(icc, channels) if len(icc) <= _MOST_PROFILE else None
    return profile is None or not (profile.exact or has_tables(profile))


def _turn(image: Image.Image, file: Input, kind: FileKind) -> int:
    """Return how a camera says that a picture is turned; an unreadable note says nothing."""
    try:
        if kind is FileKind.PNG:
            # Pillow would decode all pixels to look for a chunk behind them.
            exif = Image.Exif()
            exif.load(image.info.get("exif") or _exif_chunk(file))
        else:
            exif = image.getexif()
        turned = exif.get(ORIENTATION, 1)
    except Exception:
        return 1
    return turned if isinstance(turned, int) and 1 <= turned <= 8 else 1


def _check_parts(file: Input, kind: FileKind) -> None:
    """Refuse a file of so many parts that going through them alone takes long."""
    scans = _scans(file) if kind is FileKind.JPEG else 0
    chunks = sum(1 for _ in _chunks(file)) if kind is FileKind.PNG else 0
    if scans > _MOST_SCANS or chunks > _MOST_CHUNKS:
        raise BadFile(
            "too-many-parts",
            "The file is cut into far more parts than a picture has.",
            "Open it in an image editor and save it again as a plain picture.",
        )


def _scans(file: Input) -> int:
    """Count what begins a scan in a JPEG (ITU-T T.81, B.2.3)."""
    count, before = 0, b""
    with file.stream() as stream:
        while piece := stream.read(_PIECE):
            count += (before + piece).count(b"\xff\xda")
            before = piece[-1:]
    return count


def _exif_chunk(file: Input) -> bytes:
    """Return what a PNG's eXIf chunk holds, wherever it stands; empty without one."""
    for name, at, length in _chunks(file):
        if name == b"eXIf" and length <= _MOST_EXIF:
            with file.stream() as stream:
                stream.seek(at)
                return b"Exif\0\0" + stream.read(length)
    return b""


def _chunks(file: Input) -> Iterator[tuple[bytes, int, int]]:
    """Yield name, place and bytes of a PNG's chunks; no more than one too many."""
    at = 8
    with file.stream() as stream:
        for _ in range(_MOST_CHUNKS + 1):
            stream.seek(at)
            head = stream.read(8)
            if len(head) < 8:
                return
            length, name = struct.unpack(">I4s", head)
            yield name, at + 8, length
            at += 12 + length
