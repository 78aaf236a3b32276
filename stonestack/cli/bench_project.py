"""Time lists, an edit and the first start on a large project: ``stone-stack bench project``."""

from __future__ import annotations

import json
import os
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path

import numpy as np
from sqlalchemy import text
from sqlmodel import Session
from werkzeug.test import TestResponse

from stonestack.core.document import Step, edits
from stonestack.core.document.deliveries import BuildRecord, Delivery
from stonestack.core.files.codecs import pictures
from stonestack.core.files.codecs.sniff import FileKind
from stonestack.core.picture.texels import Texels
from stonestack.core.steps.levels import Levels
from stonestack.core.tables.sizing import Size
from stonestack.services.delivery import building, deliveries
from stonestack.services.documents import projects, surfaces
from stonestack.services.game import sources
from stonestack.services.jobs import silent
from stonestack.services.workspace import Workspace
from stonestack.store.place import DataFolder
from stonestack.store.tables import BuildRow, BuiltRow

_RUNS = 5
_SIDE = 16


def bench_project(count: int, builds: int) -> None:
    """Print how long lists, an edit and a start take.

    Parameters
    ----------
    count : int
        Surfaces, each with a material, all in one delivery.
    builds : int
        Builds of that delivery; one is really made, the others are its record again.
    """
    with tempfile.TemporaryDirectory() as folder:
        data = Path(folder) / "data"
        ws = Workspace(DataFolder(data))
        started = time.perf_counter()
        project_id = _made(ws, count)
        _built(ws, project_id, builds)
        taken = time.perf_counter() - started
        print(f"{count} surfaces and {builds} builds made in {taken:.0f} s")
        _measured(ws, project_id)
        ws.close()
        print(f"{'first start, to its address':34} {_start(data) * 1e3:8.0f} ms")


def _made(ws: Workspace, count: int) -> str:
    """Make a project whose surfaces differ by one parameter."""
    rng = np.random.default_rng(1)
    texels: Texels = rng.integers(0, 256, (_SIDE, _SIDE, 3)).astype(np.uint8)
    project = projects.create(ws, "Large", None)
    data = pictures.write_texels(texels, FileKind.PNG)
    source = sources.bring(ws, project.id, "small.png", data)
    size = Size(width=_SIDE, height=_SIDE)
    for n in range(count):
        view = surfaces.create(ws, project.id, f"Surface {n}", f"surface_{n}")
        begin = edits.SetOrigin(map="colour", origin=source.origin)
        view = surfaces.edit(ws, view.id, view.revision, begin)
        for step in view.document.map("colour").steps:
            view = surfaces.edit(
                ws, view.id, view.revision, edits.RemoveStep(map="colour", step=step.id)
            )
        own = Step(params=Levels(middle=1 + (n % 400) / 100))
        view = surfaces.edit(ws, view.id, view.revision, edits.AddStep(map="colour", step=own))
        surfaces.edit(
            ws, view.id, view.revision, edits.SetSize(map="colour", size=size, all_maps=True)
        )
    return project.id


def _built(ws: Workspace, project_id: str, builds: int) -> None:
    ids = tuple(s.id for s in surfaces.listed(ws, project_id))
    whole = Delivery(title="All", name="all", target="saltglass", surfaces=ids)
    made = deliveries.create(ws, project_id, whole)
    first = building.build(ws, made.id, silent())
    record = building.record_of(ws, first.id)
    with ws.writing() as session:
        for number in range(2, builds + 1):
            _again(session, made.id, number, record)


def _again(session: Session, delivery_id: str, number: int, record: BuildRecord) -> None:
    row = BuildRow(
        delivery_id=delivery_id,
        number=number,
        manifest=record.model_dump_json(),
        folder=f"{delivery_id}/{number}",
        files=len(record.manifest.files),
        bytes=sum(file.bytes for file in record.manifest.files),
    )
    session.add(row)
    session.flush()
    for surface_id, key in record.surfaces.items():
        session.add(BuiltRow(build_id=row.id, surface_id=surface_id, target="saltglass", key=key))


def _measured(ws: Workspace, project_id: str) -> None:
    from stonestack.web.app import create_app
    from stonestack.web.guards import KEY

    app = create_app(ws)
    client = app.test_client()
    client.get(f"/?{KEY}={app.extensions['guard'].secret}")
    page = client.get("/", headers={"Host": "localhost"}).get_data(as_text=True)
    token = page.partition('name="stone-token" content="')[2].partition('"')[0]
    at = f"/api/projects/{project_id}"
    for what in ("surfaces", "materials", "deliveries", "sources", "source-sets", "actions"):
        _row(f"list of {what}", partial(client.get, f"{at}/{what}"))
    _row("list of projects", partial(client.get, "/api/projects"))
    surface = client.get(f"{at}/surfaces").get_json()[0]["id"]
    _row("one surface", partial(client.get, f"/api/surfaces/{surface}"))
    _row("its history", partial(client.get, f"/api/documents/{surface}/history"))
    names = iter(range(1000))

    def edit() -> float:
        now = client.get(f"/api/surfaces/{surface}").get_json()["revision"]
        started = time.perf_counter()
        body = {"base": now, "edit": {"kind": "rename", "title": f"Named {next(names)}"}}
        answer = client.post(
            f"/api/surfaces/{surface}/edits",
            data=json.dumps(body),
            headers={"X-Stone-Token": token, "Content-Type": "application/json"},
        )
        if answer.status_code != 200:
            raise RuntimeError(answer.get_data(as_text=True))
        return time.perf_counter() - started

    times = [edit() for _ in range(_RUNS)]
    print(
        f"{'an edit':34} {statistics.median(times) * 1e3:8.0f} ms, at most {max(times) * 1e3:.0f}"
    )
    _row("list of surfaces after an edit", partial(client.get, f"{at}/surfaces"))
    with ws.engine.connect() as connection:
        size = connection.execute(
            text("SELECT page_count * page_size FROM pragma_page_count(), pragma_page_size()")
        ).scalar()
    print(f"{'database':34} {int(size or 0) / 1e6:8.1f} MB")


def _row(title: str, ask: Callable[[], TestResponse]) -> None:
    times = []
    for _ in range(_RUNS):
        started = time.perf_counter()
        answer = ask()
        times.append(time.perf_counter() - started)
        if answer.status_code != 200:
            raise RuntimeError(answer.get_data(as_text=True))
    print(f"{title:34} {statistics.median(times) * 1e3:8.0f} ms, first {times[0] * 1e3:.0f}")


def _start(data: Path) -> float:
    """Return how long the server takes to say its address."""
    command = [sys.executable, "-m", "stonestack.cli.main", "serve", "--port", "0"]
    environment = {**os.environ, "STONE_STACK_DATA": str(data)}
    started = time.perf_counter()
    with subprocess.Popen(command, env=environment, stdout=subprocess.PIPE, text=True) as server:
        if server.stdout is None:
            raise RuntimeError("The server has no output.")
        for line in server.stdout:
            if "http://" in line:
                break
        taken = time.perf_counter() - started
        server.terminate()
    return taken
