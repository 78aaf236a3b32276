"""Render stages of maps: each once, kept by content key, shared by all who ask."""

from __future__ import annotations

import json
import threading
from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import Future

from pydantic import BaseModel
from sqlalchemy import Engine
from sqlmodel import Session

from stonestack.core import codecs, render, verdicts
from stonestack.core.blocks.formats import BlockFormat
from stonestack.core.codecs.sniff import FileKind
from stonestack.core.codecs.texture import Texture
from stonestack.core.errors import BadRequest, NotFound
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
        with self._lock:
            if node.key in self._results:
                self._results.move_to_end(node.key)
                return self._results[node.key]
            future = self._running.get(node.key)
            ours = future is None
            if future is None:
                future = self._running[node.key] = Future()
        if not ours:
            return future.result()
        try:
            result = self._compute(node)
        except BaseException as error:
            future.set_exception(error)
            raise
        else:
            future.set_result(result)
            with self._lock:
                self._remember(node.key, result)
            return result
        finally:
            with self._lock:
                self._running.pop(node.key, None)

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
        if self.on_run is not None:
            self.on_run(node)

    def _remember(self, key: str, result: Result) -> None:
        self._results[key] = result
        self._bytes += _size(result)
        while self._bytes > self._most_bytes and len(self._results) > 1:
            _, old = self._results.popitem(last=False)
            self._bytes -= _size(old)

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
        kind = f"{stage}.{verdicts.VERSION}.json"
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
            finding = verdicts.of_tile(scores)
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
