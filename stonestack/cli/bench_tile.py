"""Time every way of making a tile beside a well-known blur: ``stone-stack bench tile``."""

from __future__ import annotations

import resource
import statistics
import time
from collections.abc import Callable

import numpy as np

from stonestack.core.kinds.step import SOLVED_AT
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.picture.resize import limited, resample
from stonestack.core.steps import STEPS
from stonestack.core.tile.scores import tile_scores
from stonestack.core.tile.ways import FAMILY

_RUNS = 3


def bench_tile(side: int) -> None:
    """Print, for each way, how long a passing look and the whole tile take.

    Parameters
    ----------
    side : int
        Pixels each way of the picture.
    """
    from scipy.ndimage import gaussian_filter

    picture = picture_of(side)
    guide = limited(picture, SOLVED_AT)
    megapixels = side * side / 1e6
    print(f"{side} × {side}, {megapixels:.1f} megapixels; medians of {_RUNS}")
    print(
        f"{'way':16} {'look':>9} {'whole':>9} {'a megapixel':>12} {'of the blur':>12}"
        f" {'x':>6} {'y':>6}"
    )
    for step in STEPS.values():
        if step.family != FAMILY or step.geometry is None:
            continue
        geometry, params = step.geometry, step.params()
        step.apply(guide, params)
        looks, wholes, blurs = [], [], []
        tile = picture
        for _ in range(_RUNS):
            # In turn, since the machine's speed changes from minute to minute.
            blurs.append(_timed(lambda: gaussian_filter(picture.pixels, (8, 8, 0))))
            started = time.perf_counter()
            solution = geometry.solve(guide, params)
            geometry.lay(guide, guide, solution, params)
            looks.append(time.perf_counter() - started)
            started = time.perf_counter()
            tile = step.apply(picture, params)
            wholes.append(time.perf_counter() - started)
        look, whole, blur = (statistics.median(times) for times in (looks, wholes, blurs))
        scores = tile_scores(tile)
        edges = f"{scores.x:6.2f} {scores.y:6.2f}" if scores is not None else ""
        print(
            f"{step.title:16} {look * 1e3:6.0f} ms {whole:7.2f} s"
            f" {whole / megapixels * 1e3:9.0f} ms {whole / blur:12.2f} {edges}"
        )
    print(f"{'gaussian, σ 8':16} {'':9} {blur:7.2f} s {blur / megapixels * 1e3:9.0f} ms")
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / (1 << 20)
    print(f"Most memory at any time: {peak:.1f} GB")


def _timed(work: Callable[[], object]) -> float:
    started = time.perf_counter()
    work()
    return time.perf_counter() - started


def picture_of(side: int) -> Picture:
    """Draw rough ground in four sizes of grain, as no tile."""
    rng = np.random.default_rng(7)
    total: Floats = np.full((side, side, 3), 0.2, np.float32)
    for cells, share in ((side // 3, 0.15), (side // 12, 0.15), (48, 0.1), (12, 0.06)):
        grain = rng.random((cells, cells, 3), dtype=np.float32) * np.float32(share)
        total += resample(grain, side, side, "lanczos", False)
    return Picture(np.clip(total, 0, 1), Space.LINEAR)
