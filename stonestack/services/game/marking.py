"""Make the features by which parts of pictures are found, while nothing else is to do."""

from __future__ import annotations

import logging
import threading
import time
import traceback

from stonestack.services.game import alike
from stonestack.services.workspace import Workspace

_AGAIN = 10.0
"""Seconds between looks for pictures that are new; it begins when none has come since."""
_REST = 1.0
"""Rest after each picture, in times that it took: half of one core at most is used."""
_GIVES_WAY = 0.2
"""Seconds after which it is asked again whether other work is over."""
log = logging.getLogger(__name__)


class Marking:
    """Looks at each picture of each catalogue once, one at a time, and gives way to all else."""

    def __init__(self, ws: Workspace, again: float = _AGAIN) -> None:
        self._ws, self._again = ws, again
        self._held = self._seen = 0
        self._over = threading.Event()
        self._thread = threading.Thread(target=self._run, name="looking for parts", daemon=True)
        self._thread.start()

    def close(self) -> None:
        """Stop, within the time that one picture takes."""
        self._over.set()
        self._thread.join()

    def _run(self) -> None:
        while not self._over.wait(self._again):
            try:
                self._mark()
            except Exception:
                # The next look must come after a fault of ours; it reaches the log.
                log.error("Pictures were not looked at for parts:\n%s", traceback.format_exc())

    def _mark(self) -> None:
        held = alike.looked_at(self._ws)
        before, self._seen = self._seen, held
        if held in (self._held, 0) or held != before:
            return  # Nothing is new, or more may be on its way: those are looked at first.
        for digest, game_id, entry_id in alike.unmarked(self._ws):
            started = time.perf_counter()
            while not self._ws.renderer.scheduler.idle():
                if self._over.wait(_GIVES_WAY):
                    return
            alike.marked(self._ws, digest, game_id, entry_id)
            if self._over.wait(_REST * (time.perf_counter() - started)):
                return
        self._held = held
