"""Time a passing look of every step's main control: ``python -m tests.latency``.

On a source of 2048 x 2048, from a changed number to the texels that the page shows: what the server
does while a control moves.
"""

from __future__ import annotations

import statistics
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

from stonestack.core import edits
from stonestack.core.document import MapOrigin, Stage, Step, rebuilt
from stonestack.core.references import MapRef, SourceRef, fields_read
from stonestack.core.stepkind import StepKind, StepParams
from stonestack.core.steps import STEPS
from stonestack.services import projects, sources, surfaces
from stonestack.services.surfaces import SurfaceView
from stonestack.services.workspace import Workspace
from stonestack.store.place import DataFolder
from tests.support import noise, png

SIDE, LONGEST, TIMES = 2048, (512, 1024), 20


def main() -> int:
    """Print the median and the 95th percentile of each step."""
    with tempfile.TemporaryDirectory() as holder:
        ws = Workspace(DataFolder(Path(holder) / "data"))
        project = projects.create(ws, "Latency", None, "loose").id
        texels = np.rint(noise(SIDE, SIDE, 3, 9, wraps=True) * 255).astype(np.uint8)
        source = sources.bring(ws, project, "grit.png", png(texels))
        surface = surfaces.create(ws, project, "Grit", "grit")
        origin = rebuilt(source.origin, wraps=True)
        change = edits.SetOrigin(map="colour", origin=origin)
        surface = surfaces.edit(ws, surface.id, surface.revision, change)
        print("Milliseconds, median and 95th of a hundred, for looks of so many texels")
        print(f"{'step':24}{''.join(f'{side:>16}' for side in LONGEST)}")
        for kind in STEPS.values():
            if kind.mixes:
                timed(ws, surface, kind, source.sha256)
        ws.close()
    return 0


def timed(ws: Workspace, surface: SurfaceView, kind: StepKind, picture: str) -> None:
    """Print how long looks at one step take."""
    if not kind.suits(surface.document.map("colour").role):
        return
    others = [m.id for m in surface.document.maps if isinstance(m.origin, MapOrigin)]
    params = begun(kind, picture, others[0])
    if params is None:
        return
    row = "".join(
        f"{statistics.median(took):9.0f}{statistics.quantiles(took, n=20)[-1]:7.0f}"
        for took in (looks(ws, surface, params, longest) for longest in LONGEST)
    )
    print(f"{kind.title:24}{row}", flush=True)


def looks(ws: Workspace, surface: SurfaceView, params: StepParams, longest: int) -> list[float]:
    """Return how many milliseconds each of some looks took, of the newest of two values on."""
    step = Step(id="timed", params=params)
    change = edits.AddStep(map="colour", step=step)
    took = []
    for n in range(TIMES + 2):
        moved = rebuilt(step, params=main_control(params, n))
        started = time.perf_counter()
        look = rebuilt(change, step=moved)
        key = surfaces.preview(ws, surface.id, look, "colour", Stage.STEPS, longest)
        assert key is not None
        ws.renderer.texels(key)
        took.append((time.perf_counter() - started) * 1e3)
    return took[2:]


def begun(kind: StepKind, picture: str, other: str) -> StepParams | None:
    """Return a step's usual parameters, with something for all that it needs to read."""
    fields = kind.params.model_fields
    given: dict[str, object] = {}
    for name, what in fields_read(kind.params).items():
        if fields[name].is_required():
            is_map = what is MapRef
            given[name] = MapRef(map=other) if is_map else SourceRef(sha256=picture, name="grit")
    if kind.name in ("another_map", "patch_spots", "pencil"):
        return None  # The other maps come from the colour; spots are found, lines are drawn.
    return kind.params.model_validate(given)


def main_control(params: StepParams, n: int) -> StepParams:
    """Return the parameters with the first number, colour or curve moved a little."""
    for name, field in type(params).model_fields.items():
        value = getattr(params, name)
        if name == "points":
            bent = [{"x": 0, "y": 0}, {"x": 0.4, "y": 0.3 + n / 100}, {"x": 1, "y": 1}]
            return type(params).model_validate({**dict(params), name: bent})
        if isinstance(value, str) and value.startswith("#"):
            return type(params).model_validate({**dict(params), name: f"#{0x305070 + n:06x}"})
        if isinstance(value, (int, float)) and not isinstance(value, bool):
            limits = {k: v for m in field.metadata for k, v in vars_of(m).items()}
            finest = limits.get("multiple_of", 1)
            down = value + (TIMES + 2) * finest > limits.get("le", value)
            moved = value - n * finest if down else value + n * finest
            return type(params).model_validate({**dict(params), name: round(moved, 6)})
    return params


def vars_of(limit: object) -> dict[str, float]:
    """Return what a limit of a number says, by name."""
    names = ("le", "ge", "multiple_of")
    return {name: getattr(limit, name) for name in names if hasattr(limit, name)}


if __name__ == "__main__":
    sys.exit(main())
