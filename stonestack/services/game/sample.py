"""The sample game, run as the separate program that it is."""

from __future__ import annotations

import os
import subprocess
import sys
import threading
from pathlib import Path

from stonestack.core.runtime.errors import BadRequest

_STARTING = 20.0


class GameRunner:
    """Starts one sample game per game folder and knows its address."""

    def __init__(self, key: str) -> None:
        """Games are let into with ``key``, which only their own page is told."""
        self._key = key
        self._lock = threading.Lock()
        self._running: dict[Path, tuple[subprocess.Popen[str], str]] = {}

    def address(self, folder: Path) -> str:
        """Return the address of the room of a game folder; starts it where needed.

        Raises
        ------
        BadRequest
            If the folder is not there or the game does not start.
        """
        if not (folder / "room.json").is_file():
            raise BadRequest(
                "no-game-there",
                f"{folder} is not a Saltglass game folder.",
                "Point the project to a folder that holds room.json.",
            )
        with self._lock:
            known = self._running.get(folder)
            if known is not None and known[0].poll() is None:
                return known[1]
            process = subprocess.Popen(
                [sys.executable, "-m", "stonestack.samplegame", str(folder), "--with-parent"],
                # Not in the command's words: those are seen by all users of a machine.
                env={**os.environ, "SALTGLASS_KEY": self._key},
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                text=True,
            )
            timer = threading.Timer(_STARTING, process.kill)
            timer.start()
            try:
                line = process.stdout.readline() if process.stdout else ""
            finally:
                timer.cancel()
            if not line.startswith("http://"):
                process.kill()
                raise BadRequest(
                    "game-not-started",
                    "The sample game did not start.",
                    "The server's log says why; try again.",
                )
            self._running[folder] = (process, line.strip())
            return line.strip()

    def close(self) -> None:
        """End all games: each ends when its standard input closes."""
        with self._lock:
            for process, _ in self._running.values():
                if process.stdin:
                    process.stdin.close()
                try:
                    process.wait(timeout=3)
                except subprocess.TimeoutExpired:
                    process.kill()
                    process.wait()
                if process.stdout:
                    process.stdout.close()
            self._running.clear()
