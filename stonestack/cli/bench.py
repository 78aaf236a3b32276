"""Timings that anyone can repeat: ``stone-stack bench stages``."""

from __future__ import annotations

import time
from collections.abc import Callable

from stonestack.core.document import SourceOrigin, Stage, edits, new_surface
from stonestack.core.files import codecs
from stonestack.core.graph.ops import Result
from stonestack.core.graph.ops.evaluating import Evaluator
from stonestack.core.graph.wiring import Wiring
from stonestack.core.kinds.node import Node
from stonestack.core.picture.image import Picture
from stonestack.demo.sources import SOURCES


def _timed(work: Callable[[], object]) -> float:
    started = time.perf_counter()
    work()
    return time.perf_counter() - started


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
