"""``stone-stack check``: is the data folder whole, and which copies of its database are there.

Exit codes: 0 all is whole; 1 something is wrong, with what and what to do; 2 the command line is
wrong.
"""

from __future__ import annotations

import argparse
import json
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from stonestack.store.place import DataFolder


def add(commands: argparse._SubParsersAction[argparse.ArgumentParser]) -> None:
    """Add the command."""
    check = commands.add_parser("check", help="test the data folder; offer copies of its database")
    check.add_argument("data", type=Path, nargs="?", help="the data folder; your own by default")
    check.add_argument("--json", action="store_true")
    check.add_argument(
        "--put-back", metavar="COPY", help="a copy's name, or “newest”: put it in place"
    )
    check.set_defaults(run=_check)


def _check(options: argparse.Namespace) -> int:
    from stonestack.core.runtime.errors import NotFound
    from stonestack.store import copies
    from stonestack.store.door import door
    from stonestack.store.place import DataFolder, default_data_folder

    data = DataFolder(options.data.resolve()) if options.data else default_data_folder()
    if not data.root.is_dir():
        raise NotFound("no-data", f"There is no data folder {data.root}.", "Name another one.")
    known = copies.copies(data)
    if options.put_back:
        with door(data.root, data.doors, "putting a copy back", patience=0):
            newest = known[0] if known else data.copies / "newest"
            copy = newest if options.put_back == "newest" else data.copies / options.put_back
            aside = copies.put_back(data, copy)
        print(f"{copy.name} is in place. What was there is {aside.name}.")
        return 0
    found = _faults(data)
    if options.json:
        print(json.dumps({"faults": found, "copies": [copy.name for copy in known]}))
        return 1 if found else 0
    for words in found:
        print(f"WRONG: {words}")
    if not found:
        print(f"All is whole in {data.root}")
    print("Copies of the database, the newest first:" if known else "There is no copy yet.")
    for copy in known:
        state = "damaged" if copies.faults(copy) else "whole"
        print(f"  {copy.name}  {copy.stat().st_size} bytes  {state}")
    if found and known:
        print("Put one back with: stone-stack check --put-back newest")
    return 1 if found else 0


def _faults(data: DataFolder) -> list[str]:
    """Return what is wrong: with the database, with what it points at, with the safe."""
    import sqlite3
    from contextlib import closing

    from stonestack.store import copies, safe_list
    from stonestack.store.files import FileStore

    if not data.database.is_file():
        return [f"{data.database} is not there"]
    found = [f"the database: {words}" for words in copies.faults(data.database)]
    safe, files = FileStore(data.safe), FileStore(data.files)
    for line in safe_list.kept(data):
        if not safe.whole(line.sha256):
            found.append(f"the safe: the original of {line.path} is lost or damaged")
    if found:
        return found
    with closing(sqlite3.connect(data.database)) as database:
        for digest, name in database.execute("SELECT sha256, name FROM source ORDER BY name"):
            if not files.whole(digest):
                found.append(f"the file {name} is lost or damaged; bring it in again")
        for folder, number in database.execute("SELECT folder, number FROM build"):
            if not (data.builds / folder).is_dir():
                found.append(f"build {number} ({folder}) is not there; build again")
        lost = "SELECT id, kind FROM document WHERE head NOT IN (SELECT id FROM revision)"
        for document, kind in database.execute(lost):
            found.append(f"the {kind} {document} has no present state; take an earlier one back")
    return found
