"""Time every step beside a well-known blur: ``stone-stack bench steps``."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable

from stonestack.cli.bench_tile import picture_of
from stonestack.core.kinds.references import MapRef, Reference, SourceRef, StrokesRef, fields_read
from stonestack.core.kinds.step import StepKind, StepParams
from stonestack.core.picture.image import Picture
from stonestack.core.picture.resize import limited
from stonestack.core.steps import STEPS
from stonestack.core.steps.curves import Curves
from stonestack.core.steps.masks.strokes import Drawing, Stroke, StrokePoint, kept

_RUNS = 3
_LOOK = 512
"""Longest side of a passing look, as the bench asks for it while a control moves."""
_VIEW = 1024
_READ: dict[type[Reference], Reference] = {
    SourceRef: SourceRef(sha256="0" * 64, name="other.png"),
    MapRef: MapRef(map="other"),
    StrokesRef: StrokesRef(sha256="0" * 64, count=1),
}
_LINES = kept(
    Drawing(
        strokes=tuple(
            Stroke(nib=2, points=(StrokePoint(x=0.1, y=y / 20), StrokePoint(x=0.9, y=1 - y / 20)))
            for y in range(20)
        )
    )
)
"""What a step that reads strokes gets."""


def bench_steps(side: int) -> None:
    """Print, for each step, how long a passing look, the view's size and the whole source take.

    Parameters
    ----------
    side : int
        Pixels each way of the source.
    """
    from scipy.ndimage import gaussian_filter

    whole = picture_of(side).tiling()
    sizes = [limited(whole, _LOOK), limited(whole, _VIEW), whole]
    heads = "".join(f"{f'{one.width}²':>12}" for one in sizes)
    print(f"Milliseconds, medians of {_RUNS}; the last column in times of the blur at {side}²")
    print(f"{'step':24}{heads}{'of the blur':>14}")
    blurs = [_timed(lambda: gaussian_filter(whole.pixels, (8, 8, 0))) for _ in range(_RUNS)]
    blur = statistics.median(blurs)
    for kind in STEPS.values():
        if not kind.mixes:
            continue
        params = _usual(kind)
        read: list[Picture | bytes] = [limited(whole, _LOOK)] * kind.reads
        read += [_LINES] * kind.blobs
        times = [_median(kind, params, one, read) for one in sizes]
        row = "".join(f"{t * 1e3:12.0f}" for t in times)
        print(f"{kind.title:24}{row}{times[-1] / blur:14.1f}")
    print(f"{'gaussian, σ 8, of scipy':24}{'':24}{blur * 1e3:12.0f}{1:14.1f}")


def _read(kind: StepKind) -> dict[str, Reference]:
    """Return something for all that a step needs to read."""
    fields = kind.params.model_fields
    return {
        name: _READ[what]
        for name, what in fields_read(kind.params).items()
        if fields[name].is_required() and what in _READ
    }


def _usual(kind: StepKind) -> StepParams:
    """Return usual parameters; a curve is bent, since a straight one is no work."""
    given: dict[str, object] = dict(_read(kind))
    if kind.params is Curves:
        given["points"] = [{"x": 0, "y": 0}, {"x": 0.4, "y": 0.5}, {"x": 1, "y": 1}]
    return kind.params.model_validate(given)


def _median(kind: StepKind, params: StepParams, one: Picture, read: list[Picture | bytes]) -> float:
    def work() -> None:
        kind.apply(one, params, *read)

    work()
    return statistics.median(_timed(work) for _ in range(_RUNS))


def _timed(work: Callable[[], object]) -> float:
    started = time.perf_counter()
    work()
    return time.perf_counter() - started
