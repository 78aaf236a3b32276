"""What computes is compiled in the background where it is not yet, and the screen says so."""

from __future__ import annotations

import subprocess
import sys
import threading
from typing import Any

from pydantic import BaseModel

from stonestack.core.runtime.compiled import PARTS, is_compiled
from stonestack.core.runtime.errors import Cancelled
from stonestack.services.jobs import JobView, Progress
from stonestack.services.workspace import Workspace

WORDS = "Preparing: what computes is compiled once; until then looks take longer"
_LOOKED_AFTER = 0.3


class Preparing(BaseModel):
    """The job that prepares; None where nothing is to be done."""

    job: JobView | None


def begin(ws: Workspace) -> None:
    """Start the job, where there is something to do."""
    if not is_compiled():
        ws.preparing = ws.jobs.start("Prepare", compile_kernels).id


def view(ws: Workspace) -> Preparing:
    """Return how far it is."""
    return Preparing(job=None if ws.preparing is None else ws.jobs.view(ws.preparing))


def compile_kernels(progress: Progress) -> dict[str, Any]:
    """Compile everything in a process of its own; pages are served meanwhile.

    Raises
    ------
    Cancelled
        If the person has asked to stop; what is needed is compiled on its first use then.
    """
    command = [sys.executable, "-m", "stonestack.core.tools.compiling"]
    done = 0

    def count() -> None:
        nonlocal done
        assert process.stdout is not None
        for _ in process.stdout:
            done += 1

    with subprocess.Popen(command, stdout=subprocess.PIPE) as process:
        counting = threading.Thread(target=count, daemon=True)
        counting.start()
        while process.poll() is None:
            try:
                progress.at(done / (PARTS + 1), WORDS)
            except Cancelled:
                process.terminate()
                raise
            counting.join(_LOOKED_AFTER)
    if process.returncode:
        raise subprocess.CalledProcessError(process.returncode, command)
    return {}
