"""Renders as the screen asks for them: by content key, with what can be stopped."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager

from sqlalchemy import Engine

from stonestack.core.document import Stage
from stonestack.core.files import codecs
from stonestack.core.files.blocks.formats import Shown
from stonestack.core.files.codecs import pictures
from stonestack.core.files.codecs.texture import Texture
from stonestack.core.graph import ops
from stonestack.core.graph.asked import facts_of, loss_of, picture_of, plain_of, texels_of
from stonestack.core.graph.ops import File, Result
from stonestack.core.graph.ops.facts import RenderFacts
from stonestack.core.graph.ops.files import Storing
from stonestack.core.graph.ops.losing import LevelLoss, check_level
from stonestack.core.graph.ops.ways import Ways
from stonestack.core.judge.advising import Advice
from stonestack.core.judge.peering import BlockLook, look_at_block
from stonestack.core.kinds.node import Graph, Key, Node
from stonestack.core.picture.image import Picture
from stonestack.core.picture.normals import turned
from stonestack.core.runtime import stopping
from stonestack.core.runtime.errors import BadRequest, Cancelled, Conflict, NotWanted
from stonestack.core.runtime.memory import MEMORY, Memory
from stonestack.services.making.graphs import Graphs
from stonestack.services.making.scheduler import Keeper, Scheduler, Urgency, serving, urgent
from stonestack.services.making.spill import Spill
from stonestack.store.files import Cache, FileStore

_ON_DISK = 4
"""How many times more working pictures lie on disk than in memory."""
THUMB = 128
"""Pictures up to this side are small ones of a list; larger ones are looked at."""


class CacheKeeper(Keeper):
    """Keeps textures, pictures for the screen and numbers as files of the cache."""

    def __init__(self, cache: Cache) -> None:
        self._cache = cache

    def has(self, node: Node) -> bool:
        """Tell whether a node's result is kept."""
        kept_as = ops.OPERATIONS[node.op].kept_as if node.op in ops.OPERATIONS else ""
        return bool(kept_as) and self._cache.path(node.key, kept_as).exists()

    def load(self, node: Node) -> Result | None:
        """Return a kept result, or None if it is gone."""
        operation = ops.OPERATIONS[node.op]
        data = self._cache.read(node.key, operation.kept_as)
        if data is None:
            return None
        return codecs.ktx2.read(data) if operation.gives is ops.Kind.TEXTURE else File(data)

    def keep(self, node: Node, result: Result) -> None:
        """Keep a result as a file, where its operation says so."""
        kept_as = ops.OPERATIONS[node.op].kept_as
        if not kept_as:
            return
        if isinstance(result, Texture):
            self._cache.write(node.key, kept_as, codecs.ktx2.write(result))
        elif isinstance(result, File):
            self._cache.write(node.key, kept_as, result.data)


class Renderer:
    """Renders by key: pictures, textures and numbers, and the stopping of what makes them.

    Parameters
    ----------
    engine : Engine
        Remembers which node a key stands for.
    files : FileStore
        Where nodes find the files that they read.
    cache : Cache
        Where finished renders lie.
    memory : Memory
        The budget for working pictures; those beyond it lie in the cache's folder.
    """

    def __init__(
        self, engine: Engine, files: FileStore, cache: Cache, memory: Memory = MEMORY
    ) -> None:
        self.graphs = Graphs(engine)
        self._cache = cache
        self._keeper = CacheKeeper(cache)
        spill = Spill(cache.root / "beyond", _ON_DISK * memory.most, self.graphs.passes)
        self.scheduler = Scheduler(files.read, self._keeper, memory, spill=spill)
        self._lock = threading.Lock()
        self._asked: dict[Key, list[threading.Event]] = {}
        self._halted: set[Key] = set()

    @property
    def on_run(self) -> Callable[[Node], None] | None:
        """Who is told of every node that is really carried out."""
        return self.scheduler.on_run

    @on_run.setter
    def on_run(self, told: Callable[[Node], None] | None) -> None:
        self.scheduler.on_run = told

    def close(self) -> None:
        """Stop what runs."""
        self.scheduler.close()

    # ---- results ------------------------------------------------------------------------

    def result(self, key: Key) -> Result:
        """Return what a node yields, made now only if it is not kept."""
        return self.scheduler.result(self.graphs.graph(key), key)

    def picture(self, key: Key) -> Picture:
        """Return the working picture that a node yields."""
        result = self.result(key)
        if not isinstance(result, Picture):
            raise BadRequest(
                "not-a-picture", "This stage is a compressed texture.", "Ask for its texture."
            )
        return result

    def texture(self, key: Key) -> Texture:
        """Return the compressed texture that a node yields."""
        result = self.result(key)
        if not isinstance(result, Texture):
            raise BadRequest(
                "not-a-texture", "This stage is not compressed yet.", "Ask for its picture."
            )
        return result

    def files(self, graph: Graph, keys: Sequence[Key]) -> Iterator[bytes]:
        """Yield the bytes of files that leave, in order, each as soon as it is made."""
        for result in self.scheduler.results(graph, keys):
            if not isinstance(result, File):
                raise BadRequest("not-a-file", "This is no file yet.", "Build the delivery again.")
            yield result.data

    # ---- what the screen asks for -------------------------------------------------------

    def png(self, key: Key, longest: int | None = None) -> bytes:
        """Return a stage as a PNG, shrunk to ``longest`` where given."""
        graph = self.graphs.graph(key)
        small = longest is not None and longest <= THUMB
        with urgent(Urgency.SHEET if small else Urgency.LOOKED_AT):
            return next(self.files(graph, [picture_of(graph, key, longest)]))

    def texels(self, key: Key) -> bytes:
        """Return a picture as plain texels, in a KTX2 file that is not kept: a look that passes."""
        graph = self.graphs.graph(key)
        with urgent(Urgency.LOOKED_AT):
            return next(self.files(graph, [texels_of(graph, key)]))

    def ktx2(self, key: Key) -> bytes:
        """Return a compressed stage as a KTX2 file that a page can show."""
        kept = self._cache.read(key, "ktx2")
        if kept is not None and codecs.ktx2.format_of(kept).info.shown is not Shown.DECODED:
            return kept
        texture = self.texture(key) if kept is None else codecs.ktx2.read(kept)
        return codecs.ktx2.write(texture.for_page())

    def plain(self, key: Key) -> bytes:
        """Return a compressed stage's levels as they were before, as a KTX2 file."""
        return codecs.ktx2.write(self._plain(key))

    def level_png(self, key: Key, level: int) -> bytes:
        """Return one level of a compressed stage as it was before, with green up, as a PNG."""
        node = self.graphs.graph(key)[key]
        texture, picture = self._plain(key), self.picture(node.inputs[0])
        check_level(texture, level)
        green = Storing.model_validate(node.values).green
        return pictures.quick_png(turned(texture.picture(picture.space, level), green))

    def _plain(self, key: Key) -> Texture:
        graph = self.graphs.graph(key)
        if graph[key].op != "compress":
            raise BadRequest(
                "not-a-texture", "This stage is not compressed yet.", "Ask for its picture."
            )
        with urgent(Urgency.LOOKED_AT):
            result = self.scheduler.result(graph, plain_of(graph, key))
        assert isinstance(result, Texture)
        return result

    def loss(self, key: Key, level: int) -> LevelLoss:
        """Return what compression has cost one level."""
        graph = self.graphs.graph(key)
        with urgent(Urgency.SHEET):
            data = next(self.files(graph, [loss_of(graph, key, level)]))
        return LevelLoss.model_validate_json(data)

    def block(self, key: Key, level: int, x: int, y: int) -> BlockLook:
        """Return the block of a compressed stage that holds a texel."""
        space = self.facts(key, Stage.COMPRESS).space
        return look_at_block(self.texture(key), self._plain(key), space, level, x, y)

    def advice(self, key: Key) -> Advice:
        """Return which format suits a map."""
        with urgent(Urgency.SHEET):
            data = next(self.files(self.graphs.graph(key), [key]))
        return Advice.model_validate_json(data)

    def facts(self, key: Key, stage: Stage) -> RenderFacts:
        """Return the numbers of a map at a stage."""
        graph = self.graphs.graph(key)
        with urgent(Urgency.SHEET):
            data = next(self.files(graph, [facts_of(graph, key, stage)]))
        return RenderFacts.model_validate_json(data)

    def ways(self, key: Key) -> Ways:
        """Return what was found when all ways of tiling were tried."""
        data = next(self.files(self.graphs.graph(key), [key]))
        return Ways.model_validate_json(data)

    def measured(self, key: Key, stage: Stage) -> bool:
        """Tell whether the numbers of a stage are kept: the last that is made of it."""
        graph = self.graphs.graph(key)
        return self._keeper.has(graph[facts_of(graph, key, stage)])

    # ---- what can be stopped ------------------------------------------------------------

    @contextmanager
    def asked(self, key: Key) -> Iterator[None]:
        """Let the work inside, which is for a key, be stopped from another thread.

        Raises
        ------
        Conflict
            If it was stopped, now or before.
        NotWanted
            If nobody looks at it any more.
        """
        stop = threading.Event()
        with self._lock:
            halted = key in self._halted
            if not halted:
                self._asked.setdefault(key, []).append(stop)
        if halted:
            raise _stopped()
        try:
            with stopping.stoppable(stop.is_set), serving(key):
                yield
        except Cancelled as error:
            raise (_stopped() if self.halted([key]) else _not_wanted()) from error
        finally:
            with self._lock:
                self._asked[key].remove(stop)
                if not self._asked[key]:
                    del self._asked[key]

    def drop(self, keys: Iterable[Key]) -> None:
        """Stop what is being made for keys that nobody looks at any more."""
        with self._lock:
            for key in keys:
                for stop in self._asked.get(key, []):
                    stop.set()

    def halt(self, keys: Iterable[Key]) -> None:
        """Stop what is being made for keys, and make nothing for them until told to go on."""
        kept = set(keys)
        with self._lock:
            self._halted |= kept
        self.drop(kept)

    def go_on(self, keys: Iterable[Key]) -> None:
        """Make what was stopped, when it is next asked for."""
        with self._lock:
            self._halted -= set(keys)

    def halted(self, keys: Iterable[Key]) -> bool:
        """Tell whether any of these was stopped and is not made."""
        with self._lock:
            return bool(self._halted & set(keys))

    def at_work(self, keys: Iterable[Key]) -> list[Node]:
        """Return the nodes that are carried out right now for these stages."""
        return self.scheduler.at_work(set(keys))


def _stopped() -> Conflict:
    return Conflict("stopped", "This is not made: the work was stopped.", "Press Go on.")


def _not_wanted() -> NotWanted:
    return NotWanted("not-wanted", "This was left for a newer change.", "Reload the page.")
