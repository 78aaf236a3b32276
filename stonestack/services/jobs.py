"""Long work: jobs with progress and cancel, that outlive a reload of the page."""

from __future__ import annotations

import logging
import threading
import traceback
from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from enum import StrEnum
from typing import Any

from pydantic import BaseModel

from stonestack.core.runtime.errors import Cancelled, Conflict, NotFound, StoneError
from stonestack.store import failures
from stonestack.store.tables import new_id

_KEPT = 200
"""Jobs that are remembered; those that have not ended always are."""
log = logging.getLogger(__name__)


class JobState(StrEnum):
    """Where a job is."""

    WAITING = "waiting"
    RUNNING = "running"
    DONE = "done"
    FAILED = "failed"
    STOPPED = "stopped"


_ENDED = (JobState.DONE, JobState.FAILED, JobState.STOPPED)


class Problem(BaseModel):
    """An error in words: what is wrong and what to do."""

    code: str
    message: str
    fix: str


class JobView(BaseModel):
    """A job as the screen sees it."""

    id: str
    title: str
    state: JobState
    progress: float
    doing: str
    result: dict[str, Any] | None
    problem: Problem | None


class Progress:
    """Handed to long work: says how far it is, and asks whether to stop."""

    def __init__(self, told: Callable[[float, str], None], stop: threading.Event) -> None:
        self._told = told
        self._stop = stop

    def at(self, share: float, doing: str) -> None:
        """Say how far the work is, 0..1, and what it does now.

        Raises
        ------
        Cancelled
            If the person has asked to stop.
        """
        if self.is_stopped():
            raise Cancelled
        self._told(share, doing)

    def is_stopped(self) -> bool:
        """Tell whether the person has asked to stop."""
        return self._stop.is_set()


def told(listener: Callable[[float, str], None]) -> Progress:
    """Return a progress for work outside jobs."""
    return Progress(listener, threading.Event())


def silent() -> Progress:
    """Return a progress that nobody listens to, for work outside jobs."""
    return told(lambda _share, _doing: None)


class Jobs:
    """Runs jobs in the background, two at a time."""

    def __init__(self) -> None:
        self._pool = ThreadPoolExecutor(max_workers=2, thread_name_prefix="job")
        self._lock = threading.Lock()
        self._views: OrderedDict[str, JobView] = OrderedDict()
        self._stops: dict[str, threading.Event] = {}

    def start(self, title: str, work: Callable[[Progress], BaseModel | dict[str, Any]]) -> JobView:
        """Begin a job; ``work`` returns its result: a model, or plain values."""
        view = JobView(
            id=new_id(),
            title=title,
            state=JobState.WAITING,
            progress=0,
            doing="Waiting",
            result=None,
            problem=None,
        )
        with self._lock:
            self._views[view.id] = view
            self._stops[view.id] = threading.Event()
            ended = [old for old, known in self._views.items() if known.state in _ENDED]
            for old in ended[: max(0, len(self._views) - _KEPT)]:
                del self._views[old], self._stops[old]
        self._pool.submit(self._run, view.id, work)
        return view

    def view(self, job_id: str) -> JobView:
        """Return a job as it stands."""
        with self._lock:
            if job_id not in self._views:
                raise _unknown()
            return self._views[job_id]

    def result(self, job_id: str) -> dict[str, Any]:
        """Return what a job has made.

        Raises
        ------
        Conflict
            If it has made nothing, or not yet.
        """
        made = self.view(job_id).result
        if made is None:
            raise Conflict("not-made", "This job has made nothing yet.", "Wait until it is done.")
        return made

    def stop(self, job_id: str) -> JobView:
        """Ask a job to stop; it does so before its next part, or is never begun."""
        with self._lock:
            if job_id not in self._views:
                raise _unknown()
            self._stops[job_id].set()
            if self._views[job_id].state is JobState.WAITING:
                self._set(job_id, state=JobState.STOPPED, doing="Stopped")
            return self._views[job_id]

    def close(self) -> None:
        """Stop everything and wait."""
        with self._lock:
            for job_id, stop in self._stops.items():
                stop.set()
                if self._views[job_id].state is JobState.WAITING:
                    self._set(job_id, state=JobState.STOPPED, doing="Stopped")
        self._pool.shutdown(wait=True, cancel_futures=True)

    def _change(self, job_id: str, **changes: Any) -> None:
        with self._lock:
            self._set(job_id, **changes)

    def _set(self, job_id: str, **changes: Any) -> None:
        self._views[job_id] = self._views[job_id].model_copy(update=changes)

    def _run(self, job_id: str, work: Callable[[Progress], BaseModel | dict[str, Any]]) -> None:
        with self._lock:
            stop = self._stops.get(job_id)
            if stop is None or stop.is_set():
                return  # Stopped while it waited; that is said already.
            self._set(job_id, state=JobState.RUNNING, doing="Starting")
        progress = Progress(
            lambda share, doing: self._change(job_id, progress=share, doing=doing), stop
        )
        try:
            made = work(progress)
            result = made.model_dump(mode="json") if isinstance(made, BaseModel) else made
        except Cancelled:
            self._change(job_id, state=JobState.STOPPED, doing="Stopped")
        except StoneError as error:
            problem = Problem(code=error.code, message=error.message, fix=error.fix)
            self._change(job_id, state=JobState.FAILED, doing="Failed", problem=problem)
        except Exception as error:
            problem = problem_of(error)
            self._change(job_id, state=JobState.FAILED, doing="Failed", problem=problem)
        else:
            self._change(job_id, state=JobState.DONE, progress=1.0, doing="Done", result=result)


def problem_of(error: Exception) -> Problem:
    """Return what a failure says to the person: of the disk, of the database, or a fault of ours.

    The last line of defence: a fault of ours must reach the person and the log.
    """
    known = failures.told(error)
    if known is not None:
        return Problem(code=known.code, message=known.message, fix=known.fix)
    log.error("This failed:\n%s", "".join(traceback.format_exception(error)))
    return Problem(
        code="our-fault",
        message="This went wrong inside Stone Stack.",
        fix="Try again; if it stays, the server's log says more.",
    )


def _unknown() -> NotFound:
    return NotFound("no-such-job", "This job is not known any more.", "Start it again.")
