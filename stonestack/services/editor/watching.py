"""Watch the folder of working files, and take in what an editor saves."""

from __future__ import annotations

import logging
import threading
import traceback

from watchdog.events import FileSystemEvent, FileSystemEventHandler
from watchdog.observers import Observer
from watchdog.observers.polling import PollingObserver

from stonestack.services.editor import working
from stonestack.services.workspace import Workspace

_REST = 0.25
"""Seconds without another event after which a save counts as done."""
log = logging.getLogger(__name__)


class Watcher(FileSystemEventHandler):
    """Looks at working files shortly after something has happened in their folder."""

    def __init__(self, ws: Workspace) -> None:
        self._ws = ws
        self._stirred = threading.Event()
        self._over = threading.Event()
        self._observer = Observer()
        self._observer.schedule(self, str(ws.data.working), recursive=True)
        try:
            self._observer.start()
        except OSError:
            # Out of the system's watches: looking every second does as well.
            self._observer = PollingObserver(timeout=1)
            self._observer.schedule(self, str(ws.data.working), recursive=True)
            self._observer.start()
        self._thread = threading.Thread(target=self._run, name="working files", daemon=True)
        self._thread.start()
        # What was saved while nobody watched.
        self._stirred.set()

    def on_any_event(self, event: FileSystemEvent) -> None:
        """Note that something happened; called by the observer."""
        if event.event_type not in ("opened", "closed_no_write"):
            self._stirred.set()

    def close(self) -> None:
        """Stop watching."""
        self._over.set()
        self._stirred.set()
        self._observer.stop()
        self._observer.join()
        self._thread.join()

    def _run(self) -> None:
        while not self._over.is_set():
            self._stirred.wait()
            while not self._over.is_set():
                self._stirred.clear()
                if not self._stirred.wait(_REST):
                    break
            if self._over.is_set():
                return
            try:
                working.look(self._ws)
            except Exception:
                # Watching must outlive a fault of ours; it reaches the log.
                log.error("A working file was not taken in:\n%s", traceback.format_exc())
