"""What many tests need: pictures with known content, and workspaces in temporary folders."""

from __future__ import annotations

import atexit
import io
import shutil
import sqlite3
import tempfile
import unittest
from collections.abc import Callable
from functools import cache
from pathlib import Path
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from stonestack.core.document import Output, Surface, edits, rebuilt
from stonestack.core.kinds.step import StepParams
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.picture.resize import resample
from stonestack.services.documents import revisions, surfaces
from stonestack.services.documents.surfaces import SurfaceView
from stonestack.services.workspace import Workspace
from stonestack.store.place import DataFolder


def noise(
    width: int, height: int, seed: int = 1, cell: int = 6, wraps: bool = False, channels: int = 3
) -> Floats:
    """Return smooth noise 0..1 with features ``cell`` pixels wide."""
    rng = np.random.default_rng(seed)
    grid = rng.random((max(2, height // cell), max(2, width // cell), channels), dtype=np.float32)
    return np.clip(resample(grid, width, height, "lanczos", wraps), 0, 1)


def colour_picture(width: int = 300, height: int = 220, seed: int = 1, cell: int = 6) -> Picture:
    """Return a stochastic colour picture that does not tile."""
    return Picture(noise(width, height, seed, cell) * np.float32(0.6) + 0.2, Space.LINEAR)


def png(pixels: NDArray[np.uint8]) -> bytes:
    """Store pixels as a PNG."""
    buffer = io.BytesIO()
    Image.fromarray(pixels).save(buffer, "PNG")
    return buffer.getvalue()


@cache
def photograph(name: str, size: int = 1024) -> NDArray[np.uint8]:
    """Return one of scikit-image's photographs, RGBA, at a square size."""
    from skimage import data

    image = Image.fromarray(getattr(data, name)()).convert("RGB")
    return np.array(image.resize((size, size), Image.Resampling.LANCZOS).convert("RGBA"))


def raw_picture(width: int = 337, height: int = 251, seed: int = 5) -> bytes:
    """Return a PNG of an odd size with uneven light and edges that do not meet."""
    values = noise(width, height, seed, 7)
    slope = np.linspace(0.35, 1.0, width, dtype=np.float32)[np.newaxis, :, np.newaxis]
    return png((values * slope * 255).astype(np.uint8))


def set_step(surface: Surface, map_id: str, place: int, params: StepParams) -> edits.SetStep:
    """Return the edit that gives the step at a place other parameters, or another way."""
    step = surface.map(map_id).steps[place]
    return edits.SetStep(map=map_id, step=rebuilt(step, params=params))


def set_output(map_id: str, **says: object) -> edits.SetOutput:
    """Return the edit that says how a map leaves for the sample game."""
    return edits.SetOutput(map=map_id, target="saltglass", output=Output.model_validate(says))


def add_step(map_id: str, params: StepParams) -> edits.AddStep:
    """Return the edit that puts a step at a map's end."""
    return edits.AddStep.model_validate({"map": map_id, "step": {"params": params}})


def take_back(ws: Workspace, surface_id: str, base: int, number: int) -> SurfaceView:
    """Take an earlier revision of a surface back; return the surface."""
    revisions.take_back(ws, surface_id, base, number)
    return surfaces.get(ws, surface_id)


@cache
def _empty_database() -> bytes:
    with tempfile.TemporaryDirectory() as holder:
        data = DataFolder(Path(holder) / "data")
        Workspace(data).close()
        return data.database.read_bytes()


def begun(root: Path) -> DataFolder:
    """Return a data folder as a first start leaves it; making its schema each time takes long."""
    data = DataFolder(root)
    if not data.database.exists():
        root.mkdir(parents=True, exist_ok=True)
        data.database.write_bytes(_empty_database())
    return data


@cache
def _prepared(prepare: Callable[[Workspace, Path], Any]) -> tuple[Path, Any]:
    root = Path(tempfile.mkdtemp())
    atexit.register(shutil.rmtree, root, ignore_errors=True)
    ws = Workspace(begun(root / "data"))
    made = prepare(ws, root)
    ws.close()
    return root, made


def moved(data: DataFolder, old: Path, new: Path) -> None:
    """Write where games and projects lie after their folder was copied."""
    with sqlite3.connect(data.database) as connection:
        for table, column in (("revision", "body"), ("game", "root")):
            connection.execute(
                f"UPDATE {table} SET {column} = replace({column}, ?, ?)", (str(old), str(new))
            )
    connection.close()


class WorkspaceCase(unittest.TestCase):
    """A test with a real workspace in a temporary folder."""

    prepare: ClassVar[Callable[[Workspace, Path], Any] | None] = None
    """Makes what every test finds, of the workspace and the folder that it lies in; done once in a
    process, each test has a copy. A static method; what it returns is ``prepared``."""

    def setUp(self) -> None:
        super().setUp()
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.root = Path(holder.name)
        prepare = type(self).prepare
        if prepare is not None:
            template, self.prepared = _prepared(prepare)
            shutil.copytree(template, self.root, dirs_exist_ok=True)
            moved(DataFolder(self.root / "data"), template, self.root)
        self.ws = self.opened()

    def opened(self) -> Workspace:
        """Open the workspace, as a new start of the server would."""
        ws = Workspace(begun(self.root / "data"))
        self.addCleanup(ws.close)
        return ws
