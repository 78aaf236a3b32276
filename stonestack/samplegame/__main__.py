"""Start the sample game on a game folder: ``python -m stonestack.samplegame FOLDER``."""

from __future__ import annotations

import argparse
import logging
import os
import secrets
import sys
import threading
from pathlib import Path

from waitress.server import create_server

from stonestack.core.runtime.errors import StoneError
from stonestack.samplegame.server import create_app

KEY_VARIABLE = "SALTGLASS_KEY"
"""Says the key of the address, where it is to be the same after a restart."""


def main() -> int:
    """Serve the room until stopped; prints its address first."""
    parser = argparse.ArgumentParser(prog="saltglass", description=__doc__)
    parser.add_argument("folder", type=Path)
    parser.add_argument("--port", type=int, default=0)
    parser.add_argument("--with-parent", action="store_true", help="end when standard input closes")
    options = parser.parse_args()
    try:
        key = os.environ.get(KEY_VARIABLE) or secrets.token_urlsafe(24)
        app = create_app(options.folder.resolve(), key)
    except StoneError as error:
        print(f"{error.message} {error.fix}", file=sys.stderr)
        return 2
    # The room asks for all its textures at once; that they queue is no news.
    logging.getLogger("waitress.queue").setLevel(logging.ERROR)
    server = create_server(app, host="127.0.0.1", port=options.port, threads=8)
    print(f"http://127.0.0.1:{server.effective_port}/?key={key}", flush=True)
    if options.with_parent:
        threading.Thread(target=_end_with_parent, daemon=True).start()
    server.run()
    return 0


def _end_with_parent() -> None:
    sys.stdin.read()
    # The server's own loop cannot be interrupted from here; nothing is left half written.
    os._exit(0)


if __name__ == "__main__":
    sys.exit(main())
