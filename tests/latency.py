"""Time a passing look of every control of every step: ``python -m tests.latency [STEP …]``.

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

from stonestack.core.document import Map, MapOrigin, SourceOrigin, Stage, Step, Surface, rebuilt
from stonestack.core.graph.wiring import Wiring
from stonestack.core.kinds.references import MapRef, SourceRef, fields_read, references
from stonestack.core.kinds.step import StepKind, StepParams
from stonestack.core.steps import STEPS
from stonestack.core.tables.roles import Role
from stonestack.services.documents import projects
from stonestack.services.game import sources
from stonestack.services.workspace import Workspace
from stonestack.store.place import DataFolder
from tests.support import noise, png

SIDE, LONGEST, TIMES = 2048, (512, 1024), 12


def main() -> int:
    """Print the median and the 95th percentile of each step, of its slowest control."""
    with tempfile.TemporaryDirectory() as holder:
        ws = Workspace(DataFolder(Path(holder) / "data"))
        project = projects.create(ws, "Latency", None, "loose").id
        texels = np.rint(noise(SIDE, SIDE, 3, 9, wraps=True) * 255).astype(np.uint8)
        source = sources.bring(ws, project, "grit.png", png(texels))
        print("Milliseconds, median and 95th of a hundred, for looks of so many texels")
        print(f"{'step':28}{''.join(f'{side:>16}' for side in LONGEST)}")
        for kind in STEPS.values():
            timed(ws, kind, rebuilt(source.origin, wraps=True))
        ws.close()
    return 0


def timed(ws: Workspace, kind: StepKind, origin: SourceOrigin) -> None:
    """Print how long looks at one step take, by its slowest control."""
    if len(sys.argv) > 1 and kind.name not in sys.argv[1:]:
        return
    role = next(role for role in (Role.COLOUR, Role.NORMAL, *Role) if kind.suits(role))
    params = begun(kind, role, origin.sha256)
    if params is None:
        return
    document = on_map(kind, role, params, origin)
    controls = [name for name in type(params).model_fields if moves(params, name)]
    row, slowest = "", ""
    for longest in LONGEST:
        told = {name: looks(ws, document, role, params, name, longest) for name in controls or [""]}
        slowest = max(told, key=lambda name: statistics.quantiles(told[name], n=20)[-1])
        took = told[slowest]
        row += f"{statistics.median(took):9.0f}{statistics.quantiles(took, n=20)[-1]:7.0f}"
    print(f"{kind.title:28}{row}   {slowest}", flush=True)


def on_map(kind: StepKind, role: Role, params: StepParams, origin: SourceOrigin) -> Surface:
    """Return a surface with a step on a map of a role, and all that it may read or come from."""
    roles = (Role.COLOUR, Role.HEIGHT, Role.NORMAL, Role.BLEND)
    own = {r: Map(id=r.value, role=r, origin=origin) for r in roles}
    step = Step(id="timed", params=params)
    if kind.makes:
        read = {ref.map for _, ref in references(params) if isinstance(ref, MapRef)}
        first = next(
            r for r in own if r is not role and own[r].space in kind.spaces and r.value not in read
        )
        own[role] = Map(id=role.value, role=role, origin=MapOrigin(map=first.value), steps=(step,))
    else:
        m = own.get(role) or Map(id=role.value, role=role, origin=origin)
        own[role] = rebuilt(m, steps=(*m.steps, step))
    return Surface(title="Grit", name="grit", maps=tuple(own.values()))


def looks(
    ws: Workspace, document: Surface, role: Role, params: StepParams, control: str, longest: int
) -> list[float]:
    """Return how many milliseconds each of some looks took, of the newest of two values on."""
    took = []
    for n in range(TIMES + 2):
        m = document.map(role.value)
        moved = rebuilt(m.step("timed"), params=with_moved(params, control, n))
        steps = tuple(moved if step.id == "timed" else step for step in m.steps)
        started = time.perf_counter()
        wiring = Wiring(document.with_map(rebuilt(m, steps=steps)), longest)
        key = wiring.at(role.value, Stage.STEPS)
        assert key is not None
        ws.renderer.graphs.add(wiring.graph, [key], lasting=False)
        ws.renderer.texels(key)
        took.append((time.perf_counter() - started) * 1e3)
    return took[2:]


def begun(kind: StepKind, role: Role, picture: str) -> StepParams | None:
    """Return a step's usual parameters, with something for all that it needs to read."""
    fields = kind.params.model_fields
    given: dict[str, object] = {}
    for name, what in fields_read(kind.params).items():
        if not fields[name].is_required():
            continue
        if what is MapRef:
            read = next(r for r in (Role.BLEND, Role.COLOUR) if r is not role and kind.can_read(r))
            given[name] = MapRef(map=read.value)
        elif what is SourceRef:
            given[name] = SourceRef(sha256=picture, name="grit")
        else:
            return None  # Lines are drawn, and masks too.
    if kind.geometry is not None:
        return None  # What moves texels is found anew, in the background.
    return kind.params.model_validate(given)


def moves(params: StepParams, name: str) -> bool:
    """Tell whether a parameter is a number, colour or curve that is moved."""
    value = getattr(params, name)
    if name == "points" or (isinstance(value, str) and value.startswith("#")):
        return True
    return isinstance(value, (int, float)) and not isinstance(value, bool)


def with_moved(params: StepParams, name: str, n: int) -> StepParams:
    """Return the parameters with a number, colour or curve moved a little."""
    if not name:
        return params
    if name == "points":
        bent = [{"x": 0, "y": 0}, {"x": 0.4, "y": 0.3 + n / 100}, {"x": 1, "y": 1}]
        return type(params).model_validate({**dict(params), name: bent})
    value = getattr(params, name)
    if isinstance(value, str):
        return type(params).model_validate({**dict(params), name: f"#{0x305070 + n:06x}"})
    field = type(params).model_fields[name]
    limits = {k: v for m in field.metadata for k, v in vars_of(m).items()}
    finest = limits.get("multiple_of", 1)
    down = value + (TIMES + 2) * finest > limits.get("le", value)
    moved = value - n * finest if down else value + n * finest
    moved = min(max(moved, limits.get("ge", moved)), limits.get("le", moved))
    return type(params).model_validate({**dict(params), name: round(moved, 6)})


def vars_of(limit: object) -> dict[str, float]:
    """Return what a limit of a number says, by name."""
    names = ("le", "ge", "multiple_of")
    return {name: getattr(limit, name) for name in names if hasattr(limit, name)}


if __name__ == "__main__":
    sys.exit(main())
