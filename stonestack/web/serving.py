"""Serve the application on the loopback address."""

from __future__ import annotations

import logging
import os
import socket
import sys
import webbrowser
from contextlib import ExitStack, closing
from urllib.parse import urlencode

from stonestack.core.runtime.errors import Conflict
from stonestack.services.documents import collecting
from stonestack.services.editor.watching import Watcher
from stonestack.services.game.marking import Marking
from stonestack.services.jobs import Progress
from stonestack.services.making import preparing
from stonestack.services.making.warming import warm
from stonestack.services.workspace import Workspace
from stonestack.store import copies
from stonestack.store.door import door
from stonestack.store.files import write_atomically
from stonestack.web.app import STATIC, create_app
from stonestack.web.channel import made_server
from stonestack.web.guards import KEY

PORT = 8431
ADDRESS, OPENING = "address.txt", "open.html"


def free_port(wanted: int) -> int:
    """Return ``wanted`` if it is free, else any free port."""
    with socket.socket() as probe:
        try:
            probe.bind(("127.0.0.1", wanted))
        except OSError:
            probe.bind(("127.0.0.1", 0))
        port: int = probe.getsockname()[1]
    return port


def serve(ws: Workspace, port: int | None, path: str = "") -> int:
    """Serve until interrupted; prints the address to open.

    Parameters
    ----------
    ws : Workspace
    port : int or None
        None takes the usual port, or a free one where that is in use.
    path : str
        Put behind the address that is printed.
    """
    if not (STATIC / "index.html").is_file():
        print("The pages are not built yet. Run: python3 run.py setup")
        return 2
    # A page asks for many small pictures at once; that they queue is no news.
    logging.getLogger("waitress.queue").setLevel(logging.ERROR)
    with closing(ws), ExitStack() as held:
        try:
            held.enter_context(door(ws.data.root, ws.data.doors, "serving pages", patience=0))
        except Conflict:
            address = known_address(ws)
            print(f"Stone Stack runs already on this data folder: {address}", flush=True)
            show(ws)
            return 0
        return _served(ws, port, path)


def _served(ws: Workspace, port: int | None, path: str) -> int:
    app = create_app(ws)
    guard = app.extensions["guard"]
    try:
        server = made_server(app, guard, free_port(PORT) if port is None else port)
    except OSError as error:
        print(f"Port {port} cannot be used ({error.strerror}). Choose another with --port.")
        return 2
    bare = f"http://127.0.0.1:{server.effective_port}/{path}"
    address = f"{bare}?{urlencode({KEY: guard.secret})}"
    _note(ws, address)
    print(f"Stone Stack is ready: {address}", flush=True)
    show(ws)
    preparing.begin(ws)
    watcher, marking = Watcher(ws), Marking(ws)
    ws.jobs.start("Prepare pictures", lambda progress: _prepare(ws, progress))
    try:
        server.run()
    except KeyboardInterrupt:
        print("Stopped.")
    finally:
        server.close()
        marking.close()
        watcher.close()
    return 0


def _prepare(ws: Workspace, progress: Progress) -> dict[str, int]:
    """Keep the day's copy of the database, then have pictures ready; now and then tidy up."""
    copies.keep(ws.data, at_most_every=copies.DAY)
    told = warm(ws, progress)
    if collecting.due(ws):
        collecting.collect(ws)
    return told


def _note(ws: Workspace, address: str) -> None:
    """Keep the address where its owner, and nobody else, finds it again."""
    write_atomically(ws.data.root / ADDRESS, f"{address}\n".encode(), private=True)
    onward = f'<meta http-equiv="refresh" content="0;url={address}">'
    page = f'<!doctype html><meta charset="utf-8"><title>Stone Stack</title>{onward}\n'
    write_atomically(ws.data.root / OPENING, page.encode(), private=True)


def known_address(ws: Workspace) -> str:
    """Return the address that a running server has noted."""
    place = ws.data.root / ADDRESS
    return place.read_text("utf-8").strip() if place.is_file() else "its address is not known yet"


def show(ws: Workspace) -> None:
    """Open the page where there is a desktop, by way of a file: words of a command are seen by all
    users of a machine."""
    page = ws.data.root / OPENING
    desktop = sys.platform in ("darwin", "win32") or any(
        os.environ.get(name) for name in ("DISPLAY", "WAYLAND_DISPLAY")
    )
    if desktop and sys.stdout.isatty() and page.is_file():
        webbrowser.open(page.as_uri())
