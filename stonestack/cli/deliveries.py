"""``stone-stack build, install, take-out``: a project's deliveries, unattended.

Exit codes: 0 done; 1 it cannot be done, with the reason; 2 the command line is wrong.
"""

from __future__ import annotations

import argparse
import json
from pathlib import Path
from typing import TYPE_CHECKING

from stonestack.cli.games import opened, print_plan, progress_of

if TYPE_CHECKING:
    from stonestack.services.delivery.deliveries import DeliveryView
    from stonestack.services.documents.projects import ProjectView
    from stonestack.services.workspace import Workspace


def add(commands: argparse._SubParsersAction[argparse.ArgumentParser]) -> None:
    """Add the commands."""

    def command(name: str, words: str) -> argparse.ArgumentParser:
        parser = commands.add_parser(name, help=words)
        parser.add_argument("project", help="its id or title")
        parser.add_argument("--json", action="store_true")
        return parser

    build = command("build", "build all deliveries of a project")
    build.add_argument("--cluster", metavar="ADDRESS", help="a Dask scheduler that does the work")
    build.add_argument("--archive", type=Path, metavar="FOLDER", help="a ZIP of each as well")
    build.set_defaults(run=_build)

    install = command("install", "put the newest builds into the game")
    install.add_argument("--into", metavar="FOLDER", help="the folder inside the game")
    install.add_argument("--plan", action="store_true", help="only say what would be done")
    install.set_defaults(run=_install)

    take_out = command("take-out", "take the deliveries out of the game again")
    take_out.set_defaults(run=_take_out)


def _deliveries(ws: Workspace, project: ProjectView) -> list[DeliveryView]:
    from stonestack.core.runtime.errors import BadRequest
    from stonestack.services.delivery import deliveries

    found = deliveries.listed(ws, project.id)
    if not found:
        raise BadRequest(
            "no-delivery", "This project has no delivery yet.", "Start one on Deliveries."
        )
    return found


def _build(options: argparse.Namespace) -> int:
    from stonestack.services.delivery import building
    from stonestack.services.documents import projects
    from stonestack.services.making.cluster import Cluster
    from stonestack.store import disk
    from stonestack.store.files import write_atomically

    with opened() as ws:
        found = _deliveries(ws, projects.found(ws, options.project))
        maker = Cluster.at(options.cluster, ws.files.read) if options.cluster else None
        for delivery in found:
            built = building.build(ws, delivery.id, progress_of(options), maker)
            folder = building.build_folder(ws, built.id)
            places = {"folder": str(folder)}
            if options.archive:
                name = f"{delivery.document.name}-{built.number}.zip"
                write_atomically(options.archive / name, building.archived(ws, built.id))
                disk.share(options.archive / name)
                places["archive"] = str(options.archive / name)
            record = {"delivery": delivery.document.name, "build": built.number, **places}
            print(json.dumps(record) if options.json else "\n".join(places.values()))
    return 0


def _install(options: argparse.Namespace) -> int:
    from stonestack.core.tables.targets import target_of
    from stonestack.services.delivery import deliveries
    from stonestack.services.documents import projects

    with opened() as ws:
        project = projects.found(ws, options.project)
        if options.into is not None:
            projects.adjust(ws, project.id, put_into=options.into)
        for delivery in _deliveries(ws, project):
            loose = target_of(delivery.document.target).installs == "files"
            if options.plan and loose:
                print_plan(options, deliveries.plan(ws, delivery.id, progress_of(options)))
            elif options.plan:
                print(f"{delivery.document.title}: beside the game's files; none is replaced")
            else:
                build = deliveries.install(ws, delivery.id, progress_of(options))
                _say(options, delivery, f"build {build.number} is in the game")
    return 0


def _take_out(options: argparse.Namespace) -> int:
    from stonestack.services.delivery import deliveries
    from stonestack.services.documents import projects

    with opened() as ws:
        for delivery in _deliveries(ws, projects.found(ws, options.project)):
            if delivery.standing.state == "out":
                _say(options, delivery, "is not in the game")
                continue
            deliveries.withdraw(ws, delivery.id, progress_of(options))
            _say(options, delivery, "is out of the game")
    return 0


def _say(options: argparse.Namespace, delivery: DeliveryView, words: str) -> None:
    if options.json:
        print(json.dumps({"delivery": delivery.document.name, "done": words}))
    else:
        print(f"{delivery.document.title}: {words}")
