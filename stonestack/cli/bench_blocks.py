"""How well and how fast blocks are compressed: ``stone-stack bench blocks``.

Pictures are the photographs that scikit-image ships, their middle square brought to one size, and
the demo's sources. Beside each figure stands what Pillow's own writer of DDS files makes of the
same picture in the same run, and ImageMagick's where that is installed.
"""

from __future__ import annotations

import io
import json
import math
import shutil
import statistics
import subprocess
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass
from importlib import import_module
from pathlib import Path

import numpy as np
from PIL import Image

from stonestack.core.files import blocks
from stonestack.core.files.blocks import BlockFormat, Metric, Quality
from stonestack.core.files.blocks.kinds import bc7
from stonestack.core.files.blocks.quality import PLAIN, SEEN, TURNED
from stonestack.core.picture.image import Bytes
from stonestack.core.picture.measures.metrics import psnr
from stonestack.demo.sources import SOURCES
from stonestack.trials.exact_blocks import least_errors, sampled, sampled_at

_PHOTOGRAPHS = {
    "coffee": "coffee",
    "astronaut": "astronaut",
    "chelsea": "chelsea",
    "hubble": "hubble_deep_field",
    "ihc": "immunohistochemistry",
    "grass": "grass",
    "brick": "brick",
}
_DEMO = ("floor_encaustic", "rib_copper", "bed_peat")
_FOUND: dict[str, dict[str, float]] = {
    "bc1": {
        **{"coffee": 40.72, "astronaut": 39.08, "chelsea": 43.02, "hubble": 36.23},
        **{"ihc": 39.96, "grass": 34.74, "brick": 43.82},
    },
    "bc4": {
        **{"coffee": 50.29, "astronaut": 47.90, "chelsea": 53.46, "hubble": 46.53},
        **{"ihc": 49.13, "grass": 41.98, "brick": 51.86},
    },
    "bc7": {
        **{"coffee": 50.08, "astronaut": 48.45, "chelsea": 51.95, "hubble": 43.52},
        "ihc": 49.43,
    },
}
"""Decibels that slow searches found at most at 1024 x 1024; BC7's on samples of 600 blocks."""
_RUNS, _SAMPLE = 3, 512
_SCALAR = (BlockFormat.BC4, BlockFormat.BC5)
_SIDE = 1024


@dataclass(frozen=True)
class _Kind:
    """What is compressed: a format, what of a picture goes in, and who else writes it."""

    format: BlockFormat
    channels: int
    metric: Metric
    pillow: str
    magick: str
    texels: Callable[[Bytes], Bytes]


@dataclass(frozen=True)
class _Row:
    """One picture in one format at one quality."""

    format: str
    picture: str
    quality: str
    psnr: float
    below: float | None
    lacking: float | None
    """Decibels below the best that sampled blocks can be; of BC7, that a long search finds."""
    megapixels: float
    pillow_time: float
    pillow_psnr: float
    magick_time: float | None
    magick_psnr: float | None


def _as_it_is(texels: Bytes) -> Bytes:
    return texels


def _grey(texels: Bytes) -> Bytes:
    grey = np.asarray(Image.fromarray(texels[..., :3]).convert("L"))
    return np.ascontiguousarray(np.repeat(grey[..., np.newaxis], 4, axis=2))


def _mask(texels: Bytes) -> Bytes:
    """Return hard edges smoothed over a texel, as masks have them."""
    from scipy.ndimage import gaussian_filter

    grey = _grey(texels)[..., 0].astype(np.float32)
    hard = (gaussian_filter(grey, 3) > np.median(grey)) * np.float32(255)
    soft = np.rint(gaussian_filter(hard, 0.6)).astype(np.uint8)
    return np.ascontiguousarray(np.repeat(soft[..., np.newaxis], 4, axis=2))


def _normals(texels: Bytes) -> Bytes:
    """Return the normals of a picture's brightness, taken as a height."""
    from scipy.ndimage import gaussian_filter

    height = gaussian_filter(_grey(texels)[..., 0].astype(np.float32), 1, mode="wrap") / 16
    across = (np.roll(height, -1, 1) - np.roll(height, 1, 1)) / 2
    down = (np.roll(height, -1, 0) - np.roll(height, 1, 0)) / 2
    vectors = np.dstack([-across, down, np.ones_like(height)])
    vectors /= np.linalg.norm(vectors, axis=2, keepdims=True)
    out = np.full((*height.shape, 4), 255, np.uint8)
    out[..., :3] = np.rint(vectors * 127.5 + 127.5)
    return out


_KINDS = {
    "bc1": _Kind(BlockFormat.BC1, 3, SEEN, "DXT1", "dxt1", _as_it_is),
    "bc4": _Kind(BlockFormat.BC4, 1, PLAIN, "BC5", "", _grey),
    "masks in bc4": _Kind(BlockFormat.BC4, 1, PLAIN, "BC5", "", _mask),
    "normals in bc5": _Kind(BlockFormat.BC5, 2, TURNED, "BC5", "", _normals),
    "bc7": _Kind(BlockFormat.BC7, 3, SEEN, "DXT1", "dxt1", _as_it_is),
}


def pictures(side: int, every: int = 1) -> dict[str, Bytes]:
    """Return the pictures by name, or only one of so many, uint8 (side, side, 4), opaque."""
    try:
        data = import_module("skimage.data")
    except ImportError:
        print("scikit-image is not installed, so its photographs are left out.")
        data = None
    photographs = _PHOTOGRAPHS if data is not None else {}
    found = {}
    for name in [*photographs, *_DEMO][::every]:
        member = photographs.get(name)
        drawn = getattr(data, member)() if member else SOURCES[name].draw()
        found[name] = _squared(Image.fromarray(drawn), side)
    return found


def _squared(image: Image.Image, side: int) -> Bytes:
    image = image.convert("RGB")
    least = min(image.size)
    left, top = (image.width - least) // 2, (image.height - least) // 2
    square = image.crop((left, top, left + least, top + least))
    return np.array(square.resize((side, side), Image.Resampling.LANCZOS).convert("RGBA"))


def _timed(work: Callable[[], object], runs: int = _RUNS) -> float:
    taken = []
    for _ in range(runs):
        started = time.perf_counter()
        work()
        taken.append(time.perf_counter() - started)
    return min(taken)


def _by_pillow(texels: Bytes, kind: _Kind) -> tuple[float, float]:
    """Return Pillow's time, and what it reaches as it reads its own file."""
    image = Image.fromarray(texels).convert("RGB")
    buffer = io.BytesIO()

    def save() -> None:
        buffer.seek(0)
        image.save(buffer, "DDS", pixel_format=kind.pillow)

    taken = _timed(save)
    seen = np.array(Image.open(buffer).convert("RGB"))[..., : kind.channels]
    return taken, psnr(texels[..., : kind.channels], seen)


def _by_magick(texels: Bytes, kind: _Kind) -> tuple[float, float] | None:
    """Return ImageMagick's time, its start included, and what it reaches; None without it."""
    program = shutil.which("magick")
    if program is None or not kind.magick:
        return None
    with tempfile.TemporaryDirectory() as folder:
        source, target = Path(folder) / "a.ppm", Path(folder) / "a.dds"
        Image.fromarray(texels).convert("RGB").save(source)
        words = ["-define", f"dds:compression={kind.magick}", "-define", "dds:mipmaps=0"]
        command = [program, str(source), *words, str(target)]
        taken = _timed(lambda: subprocess.run(command, check=True, capture_output=True))
        seen = np.array(Image.open(target).convert("RGB"))[..., : kind.channels]
    return taken, psnr(texels[..., : kind.channels], seen)


def bench_blocks(side: int, qualities: list[str], output: Path | None, every: int = 1) -> None:
    """Print what each format and quality keeps and takes, and write it as JSON where asked.

    Parameters
    ----------
    side : int
        Texels each way; limits are told at 1024.
    qualities : list of str
    output : Path, optional
        Where the figures go as JSON.
    every : int
        Take only one of so many pictures.
    """
    rows: list[_Row] = []
    drawn = pictures(side, every)
    print(f"{'':15} {'':10} {'PSNR':>8} {'below':>6} {'MP/s':>7} {'time / Pillow':>13}")
    for title, kind in _KINDS.items():
        for quality in (Quality(q) for q in qualities):
            here = [
                _measured(title, kind, quality, name, kind.texels(texels), side)
                for name, texels in drawn.items()
            ]
            rows += here
            _print(title, quality, here)
    if output is not None:
        output.write_text(json.dumps([vars(row) for row in rows], indent=1), encoding="utf-8")


def _measured(
    title: str, kind: _Kind, quality: Quality, name: str, texels: Bytes, side: int
) -> _Row:
    small = np.ascontiguousarray(texels[:16, :64])
    blocks.encode(kind.format, small, quality, kind.metric)
    encoded = b""

    def encode() -> None:
        nonlocal encoded
        encoded = blocks.encode(kind.format, texels, quality, kind.metric)

    taken = _timed(encode, 1 if quality is Quality.BEST else _RUNS)
    channels = kind.channels
    got = blocks.decode(kind.format, encoded, side, side)[..., :channels]
    ratio = psnr(texels[..., :channels], got)
    pillow_time, pillow_psnr = _by_pillow(texels, kind)
    magick = _by_magick(texels, kind)
    found = _FOUND.get(title, {}).get(name) if side == _SIDE else None
    lacking = None
    if kind.format in _SCALAR:
        lacking = _lacking(texels[..., :channels], got)
    elif kind.format is BlockFormat.BC7:
        lacking = _short_of_slow(texels, quality, kind.metric)
    return _Row(
        format=title,
        picture=name,
        quality=str(quality),
        psnr=ratio,
        below=None if found is None else found - ratio,
        lacking=lacking,
        megapixels=side * side / 1e6 / taken,
        pillow_time=taken / pillow_time,
        pillow_psnr=pillow_psnr,
        magick_time=None if magick is None else taken / magick[0],
        magick_psnr=None if magick is None else magick[1],
    )


def _lacking(wanted: Bytes, got: Bytes) -> float:
    """Return by how many decibels sampled blocks lie below the best that they can be.

    Blocks of one value are left out: they are exact.
    """
    least, reached = 0, 0
    for channel in range(wanted.shape[2]):
        chosen, places = sampled(wanted[..., channel], _SAMPLE)
        least += int(least_errors(chosen).sum())
        made = sampled_at(got[..., channel], places)
        reached += int(np.square(made.astype(np.int64) - chosen).sum())
    return 10 * math.log10(max(reached, 1) / max(least, 1))


def _short_of_slow(texels: Bytes, quality: Quality, metric: Metric) -> float:
    """Return by how many decibels sampled blocks of BC7 lie below what a long search finds."""
    down, across = texels.shape[0] // 4, texels.shape[1] // 4
    cut = texels.reshape(down, 4, across, 4, 4).transpose(0, 2, 1, 3, 4).reshape(-1, 4, 4, 4)
    places = np.random.default_rng(1).permutation(len(cut))[: 2 * _SAMPLE]
    strip = np.ascontiguousarray(cut[places].transpose(1, 0, 2, 3).reshape(4, -1, 4))
    reached = [
        psnr(strip[..., :3], bc7.decode(data, strip.shape[1], 4)[..., :3])
        for data in (bc7.encode_slowly(strip, metric), bc7.encode(strip, quality, metric))
    ]
    return reached[0] - reached[1]


def _print(title: str, quality: Quality, rows: list[_Row]) -> None:
    for row in rows:
        below = "" if row.below is None else f"{row.below:+.2f}"
        line = f"{row.picture:15} {'':10} {row.psnr:8.2f} {below:>6} {row.megapixels:7.1f}"
        line += f" {row.pillow_time:13.2f}   Pillow {row.pillow_psnr:.2f} dB"
        if row.lacking is not None:
            line += f", {row.lacking:.3f} below the best"
        if row.magick_psnr is not None:
            line += f", ImageMagick {row.magick_psnr:.2f} dB, time / its {row.magick_time:.2f}"
        print(line)
    lacks = [row.lacking for row in rows if row.lacking is not None]
    gaps = [row.below for row in rows if row.below is not None]
    told = f"below: {statistics.mean(gaps):.3f} dB, {max(gaps):.3f} at worst; " if gaps else ""
    if lacks:
        told += f"sampled: {statistics.mean(lacks):.3f} below the best, {max(lacks):.3f} at worst; "
    speed = statistics.median(row.megapixels for row in rows)
    share = statistics.median(row.pillow_time for row in rows)
    print(f"= {title}, {quality}: {told}{speed:.1f} MP/s, {share:.2f} of Pillow's time")
