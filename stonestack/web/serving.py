"""Serve the application on the loopback address."""

from __future__ import annotations

import logging
import socket

from waitress.server import create_server

from stonestack.services.warming import warm
from stonestack.services.watching import Watcher
from stonestack.services.workspace import Workspace
from stonestack.web.app import STATIC, create_app

PORT = 8431


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
    try:
        server = create_server(
            create_app(ws),
            host="127.0.0.1",
            port=free_port(PORT) if port is None else port,
            threads=12,
            ident=None,
        )
    except OSError as error:
        print(f"Port {port} cannot be used ({error.strerror}). Choose another with --port.")
        return 2
    print(f"Stone Stack is ready: http://127.0.0.1:{server.effective_port}/{path}", flush=True)
    watcher = Watcher(ws)
    ws.jobs.start("Prepare pictures", lambda progress: warm(ws, progress))
    try:
        server.run()
    except KeyboardInterrupt:
        print("Stopped.")
    finally:
        server.close()
        watcher.close()
        ws.close()
    return 0
