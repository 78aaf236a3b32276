"""One of several processes that put, in a race; run as a program by :mod:`.test_door`.

Arguments: data folder, game id, path of the place, shade, rounds, and a folder where the writers
wait for each other.
"""

from __future__ import annotations

import sys
import time
from pathlib import Path

from stonestack.core.runtime.errors import Conflict
from stonestack.services.jobs import silent
from stonestack.services.safe import keeping, putting, returning
from stonestack.services.workspace import Workspace
from stonestack.store.place import DataFolder
from tests.games import entry


def put_content(ws: Workspace, game_id: str, path: str, content: bytes) -> bool:
    """Put ready content in a place; returns whether it was put, and not refused."""
    row = entry(ws, game_id, path)
    try:
        putting.place(ws, game_id, {row.id or 0: content}, silent())
    except Conflict:
        return False
    return True


def main() -> None:
    data, game_id, path, shade, rounds, gate = sys.argv[1:]
    ws = Workspace(DataFolder(Path(data)))
    for number in range(int(rounds)):
        wait_for(Path(gate) / f"go-{number}")
        put_content(ws, game_id, path, f"ours {shade} {number}".encode())
        (Path(gate) / f"done-{number}-{shade}").write_text("")
    ws.close()


def wait_for(*places: Path) -> None:
    """Wait until all these files are there."""
    end = time.monotonic() + 60
    while not all(place.exists() for place in places):
        if time.monotonic() > end:
            raise TimeoutError(str(places))
        time.sleep(0.001)


def restored(ws: Workspace, game_id: str) -> bool:
    """Give all back, and tell whether everything found agrees with that."""
    returning.restore(ws, game_id, None, silent())
    return keeping.verify(ws, game_id).as_told


if __name__ == "__main__":
    main()
