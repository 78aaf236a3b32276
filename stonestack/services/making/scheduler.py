"""The one scheduler: every node of the graph is carried out here, once for all who want it.

Whoever wants a node names how urgent it is. What is looked at goes first, then the course sheet,
then jobs, then warming. A node's work is stopped when nobody wants it any more; results that are
waiting for others to be used are bounded in memory.
"""

from __future__ import annotations

import heapq
import itertools
import logging
import threading
import time
from collections import OrderedDict
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass, field
from enum import IntEnum

from stonestack.core.files.codecs.texture import Texture
from stonestack.core.graph import ops
from stonestack.core.graph.ops import File, Result
from stonestack.core.kinds.node import Graph, Key, Node
from stonestack.core.picture.image import Picture
from stonestack.core.runtime import stopping
from stonestack.core.runtime.errors import Cancelled
from stonestack.core.runtime.memory import MEMORY, Memory
from stonestack.core.runtime.parallel import cores
from stonestack.services.making.spill import Spill

_LOOKED_AFTER = 0.05
"""Seconds after which one who waits looks whether it is still wanted."""
_AHEAD = 2
"""Threads that only what is looked at may use, so that it never waits behind long work."""
log = logging.getLogger(__name__)


class Urgency(IntEnum):
    """What goes first."""

    LOOKED_AT = 0
    SHEET = 1
    JOB = 2
    WARMING = 3


_urgency: ContextVar[Urgency] = ContextVar("urgency", default=Urgency.LOOKED_AT)
_purpose: ContextVar[str] = ContextVar("purpose", default="")


@contextmanager
def urgent(urgency: Urgency) -> Iterator[None]:
    """Let all that is asked for inside be no more urgent than this."""
    token = _urgency.set(max(urgency, _urgency.get()))
    try:
        yield
    finally:
        _urgency.reset(token)


@contextmanager
def serving(purpose: str) -> Iterator[None]:
    """Let all that is asked for inside be known by what it is for."""
    token = _purpose.set(purpose)
    try:
        yield
    finally:
        _purpose.reset(token)


@dataclass(eq=False)
class _Want:
    """Somebody who waits for a node."""

    graph: Graph
    key: Key
    urgency: Urgency
    purpose: str
    tasks: list[_Task] = field(default_factory=list)
    over: threading.Event = field(default_factory=threading.Event)
    result: Result | None = None
    error: BaseException | None = None


@dataclass(eq=False)
class _Task:
    """A node on its way: waiting for inputs, ready, or at work."""

    node: Node
    number: int
    kept: bool
    """Whether its result is kept on disk and only has to be read."""
    wants: set[_Want] = field(default_factory=set)
    given: dict[Key, Result] = field(default_factory=dict)
    missing: set[Key] = field(default_factory=set)
    takers: list[_Task] = field(default_factory=list)
    stop: threading.Event = field(default_factory=threading.Event)
    running: bool = False
    dropped: bool = False

    @property
    def urgency(self) -> Urgency:
        return min((want.urgency for want in self.wants), default=Urgency.WARMING)


class Keeper:
    """Where finished results are kept between starts; by itself it keeps nothing."""

    def has(self, _node: Node) -> bool:
        """Tell whether a node's result is kept."""
        return False

    def load(self, _node: Node) -> Result | None:
        """Return a kept result, or None if it is gone."""
        return None

    def keep(self, _node: Node, _result: Result) -> None:
        """Keep a result, where that is worth it."""


class Scheduler:
    """Carries out nodes on all cores, by urgency.

    Parameters
    ----------
    read_blob : callable
        Returns the bytes of a kept file by its hash.
    keeper : Keeper
        Results that outlive the program.
    memory : Memory
        The budget that results are kept within; those that others still wait for are never given
        up, but while they are over it one node runs at a time.
    spill : Spill, optional
        Where pictures go that memory has no room for.
    """

    def __init__(
        self,
        read_blob: Callable[[str], bytes],
        keeper: Keeper | None = None,
        memory: Memory = MEMORY,
        workers: int | None = None,
        spill: Spill | None = None,
    ) -> None:
        self._read_blob = read_blob
        self._keeper = keeper or Keeper()
        self._memory = memory
        self._owner = f"results {id(self)}"
        self._spill = spill
        self._seconds: dict[Key, float] = {}
        """What it took to make the pictures that are held."""
        self._lock = threading.Lock()
        self._wake = threading.Condition(self._lock)
        self._results: OrderedDict[Key, Result] = OrderedDict()
        self._bytes = 0
        """Of results, and of those that are only held by tasks any more."""
        self._held: dict[Key, tuple[int, int]] = {}
        self._in_flight = 0
        self._tasks: dict[Key, _Task] = {}
        self._ready: list[tuple[int, int, int, _Task]] = []
        self._count = itertools.count()
        self._running = 0
        self._closed = False
        self.on_run: Callable[[Node], None] | None = None
        """Told of every node that is really carried out."""
        count = workers or max(2, cores())
        self._threads = [
            threading.Thread(target=self._work, args=(n >= count,), name=f"node {n}", daemon=True)
            for n in range(count + _AHEAD)
        ]
        for thread in self._threads:
            thread.start()

    # ---- what callers ask ---------------------------------------------------------------

    def result(self, graph: Graph, key: Key) -> Result:
        """Return what a node yields; see :meth:`results`."""
        return next(self.results(graph, [key]))

    def results(self, graph: Graph, keys: Sequence[Key]) -> Iterator[Result]:
        """Yield what nodes yield, in order, each as soon as it is there.

        Raises
        ------
        Cancelled
            If the caller's work is not wanted any more.
        StoneError
            What the work itself objects to.
        """
        wants = [self._asked(graph, key) for key in keys]
        try:
            for want in wants:
                yield self._awaited(want)
                want.result = None
        finally:
            with self._lock:
                for want in wants:
                    self._leave(want)

    def at_work(self, purposes: set[str]) -> list[Node]:
        """Return the nodes that are carried out right now for some purposes."""
        with self._lock:
            return [
                task.node
                for task in self._tasks.values()
                if task.running and any(want.purpose in purposes for want in task.wants)
            ]

    def idle(self) -> bool:
        """Tell whether nothing is wanted that is not there."""
        with self._lock:
            return not self._tasks

    def waiting(self) -> int:
        """Return how many nodes are wanted and not begun."""
        with self._lock:
            return sum(not task.running for task in self._tasks.values())

    def close(self) -> None:
        """Stop what runs and end all threads."""
        with self._lock:
            self._closed = True
            for task in self._tasks.values():
                task.stop.set()
                for want in list(task.wants):
                    want.error = want.error or Cancelled()
                    want.over.set()
            self._wake.notify_all()
        for thread in self._threads:
            thread.join()
        self._memory.hold(self._owner, 0)
        if self._spill is not None:
            self._spill.close()

    # ---- wanting and leaving ------------------------------------------------------------

    def _asked(self, graph: Graph, key: Key) -> _Want:
        want = _Want(graph, key, _urgency.get(), _purpose.get())
        with self._lock:
            if self._closed:
                raise Cancelled
            if key in self._results:
                self._results.move_to_end(key)
                want.result = self._results[key]
                want.over.set()
            else:
                self._demand(want, graph)
                self._wake.notify_all()
        return want

    def _demand(self, want: _Want, graph: Graph) -> None:
        """Make the tasks that are needed for a node, inputs before what takes them."""
        stack: list[tuple[Key, bool]] = [(want.key, False)]
        seen: set[Key] = set()
        # Asked once a node: what is kept may be swept at any moment, and is made anew then.
        kept: set[Key] = set()
        while stack:
            key, ready = stack.pop()
            if ready:
                self._made(graph[key], want, key in kept)
                continue
            if key in seen or key in self._results:
                continue
            seen.add(key)
            task = self._tasks.get(key)
            node = graph[key] if task is None else task.node
            stack.append((key, True))
            if task is not None:
                stack.extend((k, False) for k in task.missing)
            elif self._has(node):
                kept.add(key)
            else:
                stack.extend((k, False) for k in reversed(node.inputs))

    def _made(self, node: Node, want: _Want, kept: bool) -> None:
        task = self._tasks.get(node.key)
        if task is None:
            if node.key in self._results:
                return
            task = self._tasks[node.key] = _Task(node, next(self._count), kept)
            for key in () if kept else dict.fromkeys(node.inputs):
                if key in self._results:
                    self._give(task, key, self._results[key])
                else:
                    task.missing.add(key)
                    self._tasks[key].takers.append(task)
        before = task.urgency if task.wants else None
        task.wants.add(want)
        want.tasks.append(task)
        if not task.missing and not task.running and task.urgency != before:
            self._line_up(task)

    def _line_up(self, task: _Task) -> None:
        heapq.heappush(self._ready, (task.urgency, task.number, next(self._count), task))

    def _awaited(self, want: _Want) -> Result:
        patience = _LOOKED_AFTER if stopping.can_stop() else None
        while not want.over.wait(patience):
            stopping.check()
        if isinstance(want.error, _Gone):
            again = self._asked(want.graph, want.key)
            try:
                return self._awaited(again)
            finally:
                with self._lock:
                    self._leave(again)
        if want.error is not None:
            raise want.error
        if want.result is None:
            raise Cancelled
        return want.result

    def _leave(self, want: _Want) -> None:
        """Let go of all that was wanted; what nobody else wants is stopped or forgotten."""
        for task in want.tasks:
            task.wants.discard(want)
            if task.wants or task.dropped:
                continue
            if task.running:
                task.stop.set()
            elif self._tasks.get(task.node.key) is task:
                self._forget(task)
        want.tasks = []

    def _forget(self, task: _Task) -> None:
        task.dropped = True
        self._tasks.pop(task.node.key, None)
        for key in list(task.given):
            self._take_back(task, key)

    # ---- memory -------------------------------------------------------------------------

    def _give(self, task: _Task, key: Key, result: Result) -> None:
        task.given[key] = result
        if key in self._results:
            self._results.move_to_end(key)
        count, size = self._held.get(key, (0, size_of(result)))
        self._held[key] = (count + 1, size)
        if count == 0:
            self._in_flight += size
            if key not in self._results:
                self._bytes += size

    def _take_back(self, task: _Task, key: Key) -> None:
        task.given.pop(key, None)
        count, size = self._held[key]
        if count > 1:
            self._held[key] = (count - 1, size)
        else:
            del self._held[key]
            self._in_flight -= size
            if key not in self._results:
                self._bytes -= size
                self._memory.hold(self._owner, self._bytes)

    def _remember(self, key: Key, result: Result) -> None:
        if key not in self._results and key not in self._held:
            self._bytes += size_of(result)
        self._results[key] = result
        self._results.move_to_end(key)
        room = self._memory.room_for(self._owner)
        if self._bytes > room:
            # To give up what others hold would free nothing.
            loose = [k for k in self._results if k not in self._held and k != key]
            for old in loose:
                if self._bytes <= room:
                    break
                self._give_up(old)
        self._memory.hold(self._owner, self._bytes)

    def _give_up(self, key: Key) -> None:
        result = self._results.pop(key)
        self._bytes -= size_of(result)
        seconds = self._seconds.pop(key, 0.0)
        if self._spill is not None and isinstance(result, Picture):
            self._spill.put(key, result, seconds)

    def _has(self, node: Node) -> bool:
        """Tell whether a result only has to be read."""
        return self._keeper.has(node) or (self._spill is not None and node.key in self._spill)

    def _load(self, node: Node) -> Result | None:
        spilled = self._spill.load(node.key) if self._spill is not None else None
        return spilled if spilled is not None else self._keeper.load(node)

    # ---- work ---------------------------------------------------------------------------

    def _next(self, only_looked_at: bool) -> _Task | None:
        if self._running and self._in_flight > self._memory.room_for(self._owner):
            return None
        while self._ready:
            urgency, _, _, task = self._ready[0]
            if task.dropped or task.running or task.missing or not task.wants:
                heapq.heappop(self._ready)
                continue
            if task.urgency > urgency:
                # Whoever was in a hurry has left.
                heapq.heappop(self._ready)
                self._line_up(task)
                continue
            if only_looked_at and urgency != Urgency.LOOKED_AT:
                return None
            heapq.heappop(self._ready)
            return task
        return None

    def _work(self, only_looked_at: bool) -> None:
        while True:
            with self._lock:
                task = self._next(only_looked_at)
                while task is None and not self._closed:
                    self._wake.wait()
                    task = self._next(only_looked_at)
                if task is None or self._closed:
                    return
                task.running = True
                self._running += 1
            outcome = self._carried_out(task)
            with self._lock:
                self._running -= 1
                task.running = False
                self._ended(task, outcome)
                self._wake.notify_all()

    def _carried_out(self, task: _Task) -> Result | BaseException:
        try:
            if task.kept:
                kept = self._load(task.node)
                # What was kept a moment ago may have been swept from the cache.
                return kept if kept is not None else _Gone()
            with stopping.stoppable(task.stop.is_set):
                stopping.check()
                if self.on_run is not None:
                    self.on_run(task.node)
                inputs = [task.given[key] for key in task.node.inputs]
                began = time.monotonic()
                result = ops.run(task.node, inputs, self._read_blob)
                self._seconds[task.node.key] = time.monotonic() - began
            self._keep(task.node, result)
        except BaseException as error:
            # Handed to all who wait for it; nothing is swallowed.
            return error
        return result

    def _keep(self, node: Node, result: Result) -> None:
        """Keep a result on disk; where that cannot be, it is there all the same."""
        try:
            self._keeper.keep(node, result)
        except OSError as error:
            log.warning("A result is not kept on disk: %s", error)

    def _ended(self, task: _Task, outcome: Result | BaseException) -> None:
        if isinstance(outcome, Cancelled) and task.wants and not self._closed:
            # Somebody came while it was being stopped: begin anew.
            task.stop.clear()
            self._line_up(task)
            return
        self._forget(task)
        if isinstance(outcome, BaseException):
            for want in list(task.wants):
                want.error = outcome
                self._leave(want)
                want.over.set()
            return
        key = task.node.key
        self._remember(key, outcome)
        for taker in task.takers:
            if not taker.dropped:
                self._give(taker, key, outcome)
                taker.missing.discard(key)
                if not taker.missing:
                    self._line_up(taker)
        for want in list(task.wants):
            if want.key == key:
                want.result = outcome
                self._leave(want)
                want.over.set()


class _Gone(Exception):
    """What was kept on disk is not there any more."""


def size_of(result: Result) -> int:
    """Return about how much memory a result takes, in bytes."""
    if isinstance(result, Picture):
        return int(result.pixels.nbytes)
    if isinstance(result, File):
        return len(result.data)
    if isinstance(result, Texture):
        return sum(len(level) for level in result.levels)
    # Paths and places: little beside the pictures.
    return 1 << 16
