"""Render stages of maps: each once, kept by content key, shared by all who ask."""

from __future__ import annotations

import json
import threading
from collections import OrderedDict
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, wait
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass, field

from pydantic import BaseModel
from sqlalchemy import Engine
from sqlmodel import Session

from stonestack.core import codecs, render, stopping, verdicts
from stonestack.core.blocks.formats import BlockFormat
from stonestack.core.codecs.sniff import FileKind
from stonestack.core.codecs.texture import Texture
from stonestack.core.errors import BadRequest, Cancelled, Conflict, NotFound, NotWanted
from stonestack.core.image import Picture, Space
from stonestack.core.materials import Finding
from stonestack.core.render import Result
from stonestack.core.resize import limited
from stonestack.core.sizing import Area, Proposal, Size, proposal, visible_area
from stonestack.core.surface import Node, Stage
from stonestack.core.tile.scores import TileScores, tile_scores
from stonestack.store.files import Cache, FileStore
from stonestack.store.tables import RenderRow

_PASSING = 4096
_LOOKED_AFTER = 0.1
"""Seconds after which one who waits for another's work looks whether it is still wanted."""
_RAW = (Stage.RAW, Stage.SOURCE)
"""Stages before any step."""


class RenderFacts(BaseModel):
    """The numbers of a map at a stage, and what they mean."""

    width: int
    height: int
    alpha: bool
    space: Space
    scores: TileScores | None = None
    costs: Proposal | None = None
    visible: Area | None = None
    format: BlockFormat | None = None
    levels: int | None = None
    bytes: int | None = None
    psnr: float | None = None
    angle: float | None = None
    finding: Finding


@dataclass(eq=False)
class _Asked:
    """One thing that the screen waits for, and the node it is being made of right now."""

    stop: threading.Event = field(default_factory=threading.Event)
    node: Node | None = None


_now: ContextVar[_Asked | None] = ContextVar("now", default=None)


class Renderer:
    """Computes nodes, keeps their results, and never computes one twice at a time.

    Parameters
    ----------
    engine : Engine
        Remembers which plan a key stands for.
    files : FileStore
        Where ``decode`` finds its bytes.
    cache : Cache
        Where finished renders lie.
    most_bytes : int
        Memory for working pictures.
    on_run : callable, optional
        Told of every node that is really computed.
    """

    def __init__(
        self,
        engine: Engine,
        files: FileStore,
        cache: Cache,
        most_bytes: int = 1 << 30,
        on_run: Callable[[Node], None] | None = None,
    ) -> None:
        self._engine = engine
        self._files = files
        self._cache = cache
        self._most_bytes = most_bytes
        self.on_run = on_run
        self._lock = threading.Lock()
        self._results: OrderedDict[str, Result] = OrderedDict()
        self._bytes = 0
        self._running: dict[str, Future[Result]] = {}
        self._plans: OrderedDict[str, Node] = OrderedDict()
        self._kept: set[str] = set()
        self._asked: dict[str, list[_Asked]] = {}
        self._halted: set[str] = set()

    # ---- plans by key -------------------------------------------------------------------

    def announce(self, nodes: list[Node], lasting: bool = True) -> None:
        """Make keys known, so that their renders can be asked for by address.

        Parameters
        ----------
        nodes : list of Node
        lasting : bool
            False for passing previews, which are forgotten when many newer ones came.
        """
        with self._lock:
            for node in nodes:
                self._plans[node.key] = node
                self._plans.move_to_end(node.key)
            while len(self._plans) > _PASSING:
                self._plans.popitem(last=False)
            new = [n for n in nodes if lasting and n.key not in self._kept]
            self._kept.update(n.key for n in new)
        if not new:
            return
        with Session(self._engine) as session:
            for node in {n.key: n for n in new}.values():
                session.merge(RenderRow(key=node.key, plan=json.dumps(node.to_json())))
            session.commit()

    def node(self, key: str) -> Node:
        """Return the plan of a key."""
        with self._lock:
            if key in self._plans:
                return self._plans[key]
        with Session(self._engine) as session:
            row = session.get(RenderRow, key)
        if row is None:
            raise NotFound(
                "no-such-render", "This picture is not known any more.", "Reload the page."
            )
        return Node.from_json(json.loads(row.plan))

    # ---- results ------------------------------------------------------------------------

    def result(self, node: Node) -> Result:
        """Return what a node yields, computed now only if it is not kept."""
        while True:
            with self._lock:
                if node.key in self._results:
                    self._results.move_to_end(node.key)
                    return self._results[node.key]
                future = self._running.get(node.key)
                if future is None:
                    future = self._running[node.key] = Future()
                    break
            result = _awaited(future)
            if result is not None:
                return result
        try:
            result = self._compute(node)
        except BaseException as error:
            # Let go first: whoever still wants it begins anew.
            self._let_go(node.key)
            future.set_exception(error)
            raise
        with self._lock:
            self._remember(node.key, result)
        self._let_go(node.key)
        future.set_result(result)
        return result

    def _let_go(self, key: str) -> None:
        with self._lock:
            self._running.pop(key, None)

    def picture(self, node: Node) -> Picture:
        """Return the working picture that a node yields."""
        result = self.result(node)
        if not isinstance(result, Picture):
            raise BadRequest(
                "not-a-picture", "This stage is a compressed texture.", "Ask for its texture."
            )
        return result

    def texture(self, node: Node) -> Texture:
        """Return the compressed texture that a node yields."""
        result = self.result(node)
        if not isinstance(result, Texture):
            raise BadRequest(
                "not-a-texture", "This stage is not compressed yet.", "Ask for its picture."
            )
        return result

    def _compute(self, node: Node) -> Result:
        if node.op == "compress":
            kept = self._cache.read(node.key, "ktx2")
            if kept is not None:
                return codecs.ktx2.read(kept)
        if node.op == "decode":
            data = self._files.read(node.params["sha256"])
            self._tell(node)
            return render.decode(node, data)
        inputs = tuple(self.result(n) for n in node.inputs)
        self._tell(node)
        result = render.run(node, inputs)
        if isinstance(result, Texture):
            self._cache.write(node.key, "ktx2", codecs.ktx2.write(result))
        return result

    def _tell(self, node: Node) -> None:
        stopping.check()
        self._at(node)
        if self.on_run is not None:
            self.on_run(node)

    @staticmethod
    def _at(node: Node | None) -> None:
        asked = _now.get()
        if asked is not None:
            asked.node = node

    def _remember(self, key: str, result: Result) -> None:
        self._results[key] = result
        self._bytes += _size(result)
        while self._bytes > self._most_bytes and len(self._results) > 1:
            _, old = self._results.popitem(last=False)
            self._bytes -= _size(old)

    # ---- what can be stopped ------------------------------------------------------------

    @contextmanager
    def asked(self, key: str) -> Iterator[None]:
        """Let the work inside, which is for a key, be stopped from another thread.

        Raises
        ------
        Conflict
            If it was stopped, now or before.
        NotWanted
            If nobody looks at it any more.
        """
        asked = _Asked()
        with self._lock:
            halted = key in self._halted
            if not halted:
                self._asked.setdefault(key, []).append(asked)
        if halted:
            raise _stopped()
        token = _now.set(asked)
        try:
            with stopping.stoppable(asked.stop.is_set):
                yield
        except Cancelled as error:
            raise (_stopped() if self.halted([key]) else _not_wanted()) from error
        finally:
            _now.reset(token)
            with self._lock:
                self._asked[key].remove(asked)
                if not self._asked[key]:
                    del self._asked[key]

    def drop(self, keys: Iterable[str]) -> None:
        """Stop what is being made for keys that nobody looks at any more."""
        with self._lock:
            for key in keys:
                for asked in self._asked.get(key, []):
                    asked.stop.set()

    def halt(self, keys: Iterable[str]) -> None:
        """Stop what is being made for keys, and make nothing for them until told to go on."""
        kept = set(keys)
        with self._lock:
            self._halted |= kept
        self.drop(kept)

    def go_on(self, keys: Iterable[str]) -> None:
        """Make what was stopped, when it is next asked for."""
        with self._lock:
            self._halted -= set(keys)

    def halted(self, keys: Iterable[str]) -> bool:
        """Tell whether any of these was stopped and is not made."""
        with self._lock:
            return bool(self._halted & set(keys))

    def at_work(self, keys: Iterable[str]) -> list[Node | None]:
        """Return what is at work for these keys: a node, or None where one is measured."""
        with self._lock:
            return [asked.node for key in keys for asked in self._asked.get(key, [])]

    def measured(self, key: str, stage: Stage) -> bool:
        """Tell whether the numbers of a stage are kept: the last that is made of it."""
        return self._cache.path(key, _facts_kind(stage)).exists()

    # ---- what the screen asks for -------------------------------------------------------

    def png(self, key: str, longest: int | None = None) -> bytes:
        """Return a stage as a PNG, shrunk to ``longest`` where given."""
        kind = "png" if longest is None else f"{longest}.png"
        kept = self._cache.read(key, kind)
        if kept is not None:
            return kept
        from stonestack.core.codecs import pictures

        node = self.node(key)
        result = self.result(node)
        if isinstance(result, Texture):
            result = result.picture(self.picture(node.inputs[0]).space)
        elif not isinstance(result, Picture):
            raise BadRequest("not-a-picture", "There is nothing to see.", "Ask for a stage.")
        small = result if longest is None else limited(result, longest)
        data = pictures.write(small, FileKind.PNG)
        self._cache.write(key, kind, data)
        return data

    def ktx2(self, key: str) -> bytes:
        """Return a compressed stage as a KTX2 file."""
        kept = self._cache.read(key, "ktx2")
        return kept if kept is not None else codecs.ktx2.write(self.texture(self.node(key)))

    def facts(self, key: str, stage: Stage) -> RenderFacts:
        """Return the numbers of a map at a stage."""
        kind = _facts_kind(stage)
        kept = self._cache.read(key, kind)
        if kept is not None:
            return RenderFacts.model_validate_json(kept)
        facts = self._facts(self.node(key), stage)
        self._cache.write(key, kind, facts.model_dump_json().encode())
        return facts

    def _facts(self, node: Node, stage: Stage) -> RenderFacts:
        if stage is Stage.COMPRESS:
            return self._texture_facts(node)
        picture = self.picture(node)
        self._at(None)
        # Measured once, where its steps are done: resampling changes nothing that is scored.
        scores = tile_scores(picture) if stage is Stage.STEPS else None
        facts = RenderFacts(
            width=picture.width,
            height=picture.height,
            alpha=picture.alpha,
            space=picture.space,
            scores=scores,
            finding=Finding(level="good", words=""),
        )
        if stage in _RAW:
            finding = verdicts.of_source(picture)
        elif stage is Stage.STEPS:
            finding = verdicts.of_tile(scores, _done(node))
        else:
            sized = _sized(node)
            before, size = self.picture(sized.inputs[0]), Size.model_validate(sized.params)
            costs = proposal(before.width, before.height, size)
            area = visible_area(before.width, before.height, size)
            facts = facts.model_copy(update={"costs": costs, "visible": area})
            finding = verdicts.of_size(before, size)
        return facts.model_copy(update={"finding": finding})

    def _texture_facts(self, node: Node) -> RenderFacts:
        before, after = self.picture(node.inputs[0]), self.texture(node)
        loss = render.loss(node, before, after)
        return RenderFacts(
            width=after.width,
            height=after.height,
            alpha=before.alpha,
            space=before.space,
            format=after.format,
            levels=len(after.levels),
            bytes=sum(len(level) for level in after.levels),
            psnr=loss.psnr,
            angle=loss.angle,
            finding=verdicts.of_compression(before, after, loss),
        )


def _awaited(future: Future[Result]) -> Result | None:
    """Wait for what another computes; None if that was stopped and this is still wanted.

    Raises
    ------
    Cancelled
        If this is not wanted any more.
    """
    while not future.done():
        stopping.check()
        wait([future], timeout=_LOOKED_AFTER)
    try:
        return future.result()
    except Cancelled:
        stopping.check()
        return None


def _stopped() -> Conflict:
    return Conflict("stopped", "This is not made: the work was stopped.", "Press Go on.")


def _not_wanted() -> NotWanted:
    return NotWanted("not-wanted", "This was left for a newer change.", "Reload the page.")


def _facts_kind(stage: Stage) -> str:
    return f"{stage}.{verdicts.VERSION}.json"


def _done(node: Node) -> frozenset[str]:
    """Return the operations that led to a picture, from its source on."""
    return frozenset([node.op]) | (_done(node.inputs[0]) if node.inputs else frozenset())


def _sized(node: Node) -> Node:
    """Return the size operation of a size stage, below what came back from outside."""
    return node if node.op == "size" else _sized(node.inputs[0])


def _size(result: Result) -> int:
    if isinstance(result, Picture):
        return int(result.pixels.nbytes)
    if isinstance(result, render.Solved):
        # Paths and places: nothing beside the pictures.
        return 1 << 16
    return sum(len(level) for level in result.levels)
