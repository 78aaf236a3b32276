"""Timings that anyone can repeat: ``stone-stack bench blocks`` and ``bench stages``."""

from __future__ import annotations

import io
import statistics
import time
from collections.abc import Callable

import numpy as np
from PIL import Image

from stonestack.core import blocks, codecs, edits
from stonestack.core.blocks import BlockFormat
from stonestack.core.document import SourceOrigin, Stage, new_surface
from stonestack.core.graph import Node
from stonestack.core.image import Bytes, Picture
from stonestack.core.metrics import psnr
from stonestack.core.ops import Result
from stonestack.core.ops.evaluating import Evaluator
from stonestack.core.wiring import Wiring
from stonestack.demo.sources import SOURCES

_RUNS = 7
_PILLOW = {BlockFormat.BC1: "DXT1", BlockFormat.BC3: "DXT5", BlockFormat.BC5: "BC5"}


def _timed(work: Callable[[], object]) -> float:
    started = time.perf_counter()
    work()
    return time.perf_counter() - started


def bench_blocks() -> None:
    """Encode demo pictures at 1024 x 1024 with Pillow and with our kernels, in turn."""
    print(f"{'picture':18} {'format':6} {'Pillow':>9} {'ours':>9} {'ratio':>6} {'gain':>8}")
    for name in ("floor_encaustic", "rib_copper", "bed_peat"):
        image = Image.fromarray(SOURCES[name].draw()).convert("RGBA").resize((1024, 1024))
        texels: Bytes = np.array(image)
        texels[..., 3] = texels[..., 1]
        for format_, pillow_name in _PILLOW.items():
            _blocks_row(name, texels, format_, pillow_name)


def _blocks_row(name: str, texels: Bytes, format_: BlockFormat, pillow_name: str) -> None:
    image = Image.fromarray(texels)
    if format_ is not BlockFormat.BC3:
        image = image.convert("RGB")
    buffer = io.BytesIO()

    def pillow() -> None:
        buffer.seek(0)
        image.save(buffer, "DDS", pixel_format=pillow_name)

    blocks.encode(format_, texels)
    pairs = [(_timed(pillow), _timed(lambda: blocks.encode(format_, texels))) for _ in range(_RUNS)]
    theirs, ours = (statistics.median(p[n] for p in pairs) for n in (0, 1))
    channels = {BlockFormat.BC1: 3, BlockFormat.BC3: 4, BlockFormat.BC5: 2}[format_]
    wanted = texels[..., :channels]
    saved = np.array(Image.open(buffer).convert("RGBA"))[..., :channels]
    got = blocks.decode(format_, blocks.encode(format_, texels), 1024, 1024)[..., :channels]
    gain = psnr(wanted, got) - psnr(wanted, saved)
    print(
        f"{name:18} {format_:6} {theirs * 1e3:6.1f} ms {ours * 1e3:6.1f} ms"
        f" {ours / theirs:6.2f} {gain:+5.2f} dB"
    )


def bench_stages() -> None:
    """Time each operation of a whole surface, and scipy's Gaussian blur of the same picture."""
    from scipy.ndimage import gaussian_filter

    data = SOURCES["bed_peat"].encoded()
    facts = codecs.inspect("bed_peat.jpg", data)
    origin = SourceOrigin(
        sha256="0" * 64, name="bed_peat.jpg", width=facts.width, height=facts.height
    )
    surface = edits.SetOrigin(map="colour", origin=origin).apply(new_surface("Peat", "peat"))
    times: dict[str, list[float]] = {}
    source: Picture | None = None

    def timed(node: Node, work: Callable[[], Result]) -> Result:
        started = time.perf_counter()
        result = work()
        times.setdefault(node.op, []).append(time.perf_counter() - started)
        return result

    wiring = Wiring(surface)
    for _ in range(3):
        evaluator = Evaluator(lambda _digest: data, timed)
        for m in surface.maps:
            key = wiring.at(m.id, Stage.COMPRESS)
            if key is not None:
                evaluator.result(wiring.graph, key)
        source = next(r for r in evaluator.results.values() if isinstance(r, Picture))
    if source is None:
        return
    pixels = source.pixels
    blur = min(_timed(lambda: gaussian_filter(pixels, (8, 8, 0))) for _ in range(3))
    megapixels = facts.width * facts.height / 1e6
    print(f"{facts.width} x {facts.height}, {megapixels:.2f} megapixels; sums over all maps")
    for name, taken in times.items():
        best = min(taken)
        print(f"{name:22} {best * 1e3:7.1f} ms  {best / blur:5.2f} of the blur")
    print(f"{'scipy gaussian, σ 8':22} {blur * 1e3:7.1f} ms")
