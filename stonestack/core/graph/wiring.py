"""From documents to the graph: what has to be done to see a map at a stage, or to deliver it."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace

from pydantic import BaseModel

from stonestack.core.document import (
    Map,
    MapOrigin,
    SourceOrigin,
    Stage,
    Step,
    Surface,
    laid,
    moving_steps,
    thawed,
    way_of,
)
from stonestack.core.document.leaving import leaving
from stonestack.core.files.blocks.quality import Quality
from stonestack.core.graph import ops
from stonestack.core.graph.asked import facts_of
from stonestack.core.graph.ops.files import Storing
from stonestack.core.graph.ops.pictures import Limit, Reading
from stonestack.core.graph.ops.stages import GEOMETRY, MASK, Combining, Finishing, Mixing
from stonestack.core.kinds.node import Graph, Key
from stonestack.core.kinds.references import (
    MapRef,
    MaskRef,
    Reference,
    SourceRef,
    StrokesRef,
    references,
)
from stonestack.core.kinds.step import SOLVED_AT
from stonestack.core.picture.image import Space
from stonestack.core.picture.mips import level_count
from stonestack.core.picture.normals import Green
from stonestack.core.steps.masks import AnyMask
from stonestack.core.tables.roles import ROLES, Role
from stonestack.core.tables.sizing import Size
from stonestack.core.tables.targets import LOOSE, TARGETS, Target
from stonestack.core.tile.ways import FAMILY

RAW_STAGES = (Stage.RAW, Stage.SOURCE)
"""Stages before any step."""


@dataclass(frozen=True)
class _Moved:
    """A geometry that was laid on a map: the step, its guide there, and the node that found it."""

    step: Step
    guide: Key
    geometry: Key


@dataclass(frozen=True)
class _Way:
    """A map on its way: where it began, what it is now, and how its texels were moved between.

    ``before`` is the way up to its size, once it has that; masks on its source go it as well.
    """

    start: Key
    key: Key
    moved: tuple[_Moved, ...] = ()
    before: _Way | None = None
    size: Size | None = None

    def at(self, key: Key) -> _Way:
        """Return the way with what the map is now."""
        return replace(self, key=key)


class Wiring:
    """Puts the nodes of one surface into a graph.

    Parameters
    ----------
    surface : Surface
    longest : int, optional
        Shrink sources, and finished maps, to this longest side first: a passing look.
    graph : Graph, optional
        Where the nodes go; a new one by default.
    target : Target, optional
        For which maps are compressed; loose files by default.
    """

    def __init__(
        self,
        surface: Surface,
        longest: int | None = None,
        graph: Graph | None = None,
        target: Target | None = None,
    ) -> None:
        self.surface = surface
        self.longest = longest
        self.graph = Graph() if graph is None else graph
        self.target = target or TARGETS[LOOSE]
        self._laid_out: Wiring | None = None
        self._after: dict[tuple[str, int | None, bool], _Way | None] = {}

    def at(self, map_id: str, stage: Stage) -> Key | None:
        """Return the key of a map at a stage; None where the map has no origin yet."""
        m = self.surface.map(map_id)
        if stage is Stage.RAW and isinstance(m.origin, SourceOrigin):
            return self._decoded(thawed(m), self.longest)
        if stage in RAW_STAGES:
            way = self._start(thawed(m), self.longest)
            return None if way is None else way.key
        stepped = self._stepped(m, self.longest)
        if stepped is None or stage is Stage.STEPS:
            return None if stepped is None else stepped.key
        way = self._sized(m, stepped)
        if stage is Stage.SIZE:
            return way.key
        way = self._finished(m.after_size, way)
        if stage is Stage.FINISH:
            return way.key
        leaves = leaving(self.surface, m, self.target)
        info = m.role.info
        storing = Storing(
            format=leaves.format,
            green=leaves.green,
            quality=leaves.quality if self.longest is None else Quality.FAST,
            filter=leaves.filter,
            mask=info.mask,
            gloss=info.gloss,
        )
        normals = self._normals() if info.gloss else None
        own = self.levels(m)
        storing = storing.model_copy(update={"own": tuple(own)})
        beside = [normals] if normals else []
        return self._put("compress", storing, way.key, *beside, *own.values())

    def _sized(self, m: Map, stepped: _Way) -> _Way:
        """Bring a map to its size, and lay over it what came back there."""
        width, height = m.size.width, m.size.height
        if self.longest is not None:
            shrink = max(1, max(width, height) // self.longest)
            width, height = max(4, width // shrink), max(4, height // shrink)
        size = m.size.model_copy(update={"width": width, "height": height})
        sized = self._whole(self._put("size", size, self._whole(stepped.key)))
        key = self._returned(m, Stage.SIZE, sized)
        # A frozen result has no beginning of its own: that of its recipe stands for it.
        before = self._stepped(thawed(m), self.longest) if m.frozen else stepped
        return _Way(key, key, before=before, size=size)

    def _finished(self, steps: Iterable[Step], way: _Way) -> _Way:
        for step in steps:
            if step.enabled:
                way = self._step(step, way, way, self.longest)
        return way

    def levels(self, m: Map) -> dict[int, Key]:
        """Return the pictures of a map's smaller levels that are its own; none in a look."""
        if self.longest is not None:
            return {}
        reading = Reading(space=m.space)
        return {
            own.level: self._whole(self._put("decode", reading, blobs=[own.picture.sha256]))
            for own in m.levels
            if own.level < level_count(m.size.width, m.size.height)
        }

    def advice(self, map_id: str) -> Key | None:
        """Return the node that says which of the target's formats suits a map."""
        key = self.at(map_id, Stage.COMPRESS)
        if key is None:
            return None
        node, m = self.graph[key], self.surface.map(map_id)
        facts = []
        for format_ in self.target.formats_of(m.role):
            values = Storing.model_validate({**node.values, "format": format_})
            other = self._put("compress", values, *node.inputs)
            facts.append(facts_of(self.graph, other, Stage.COMPRESS))
        return self._put("advice", None, *facts)

    def _normals(self) -> Key | None:
        """Return the finished normals of the surface, whose spread gloss takes in."""
        for m in self.surface.maps:
            if m.role is Role.NORMAL:
                return self.at(m.id, Stage.FINISH)
        return None

    def after_steps(self, map_id: str, recipe: bool = False) -> Key | None:
        """Return a map after its steps: frozen where it is, or as its recipe has it now."""
        m = self.surface.map(map_id)
        way = self._stepped(thawed(m) if recipe else m, self.longest)
        return None if way is None else way.key

    def before_tiling(self, map_id: str) -> tuple[Key, Step] | None:
        """Return what a map's way of tiling gets, and the step; None where it has none."""
        m = thawed(self.surface.map(map_id))
        place = next((n for n, s in enumerate(m.steps) if s.kind.family == FAMILY), None)
        start = self._start(m, self.longest)
        if place is None or start is None:
            return None
        before = m.model_copy(update={"steps": m.steps[:place]})
        return self._with_steps(before, start, self.longest).key, m.steps[place]

    def stages(self) -> dict[str, dict[Stage, Key | None]]:
        """Return the keys of every map at every stage, by the maps' ids."""
        return {m.id: {s: self.at(m.id, s) for s in Stage} for m in self.surface.maps}

    def masks(self) -> dict[str, Key]:
        """Return the keys of the masks as pictures, by id, as far as there is a map to draw on.

        One is drawn on the map that uses it first, else on the surface's first that has an origin.
        """
        drawn: dict[str, Key] = {}
        ways = [(m, way) for m in self.surface.maps if (way := self._stepped(m, self.longest))]
        for mask in self.surface.masks:
            using = [way for m, way in ways if any(mask.id in s.masks for s in m.steps)]
            for way in [*using, *(way for _, way in ways)][:1]:
                key = self._mask(mask.id, way, self.longest)
                if key is not None:
                    drawn[mask.id] = key
        return drawn

    def laid(self) -> dict[str, Key]:
        """Return the keys of maps as masks read them, by id, of those that a mask reads."""
        read = {map_id for mask in self.surface.masks for map_id in mask.reads_maps}
        keys = {map_id: self._as_laid(map_id, self.longest) for map_id in read}
        return {map_id: key for map_id, key in keys.items() if key is not None}

    def before(self, map_id: str, step_id: str) -> Key | None:
        """Return a map as one of its steps gets it."""
        way = self._before(map_id, step_id)
        return None if way is None else way.key

    def _before(self, map_id: str, step_id: str) -> _Way | None:
        own = self.surface.map(map_id)
        m, step = thawed(own), own.step(step_id)
        earlier = m.model_copy(update={"steps": m.steps[: m.steps.index(step)]})
        if step.finish:
            stepped = self._stepped(own, self.longest)
            if stepped is None:
                return None
            return self._finished(earlier.after_size, self._sized(own, stepped))
        start = self._start(m, self.longest)
        return None if start is None else self._with_steps(earlier, start, self.longest)

    def layer(self, map_id: str, step_id: str, mask_id: str) -> tuple[Key, Key] | None:
        """Return what a step lays over a map, and a mask at that place; None where one is open."""
        way, step = self._before(map_id, step_id), self.surface.map(map_id).step(step_id)
        if way is None:
            return None
        mask, laid = self._mask(mask_id, way, self.longest), self._applied(step, way, self.longest)
        return None if mask is None or laid is None else (laid, mask)

    def out_of_date(self, m: Map) -> bool:
        """Tell whether a frozen map's recipe has another result now."""
        if m.frozen is None:
            return False
        whole = self if self.longest is None else Wiring(self.surface, graph=self.graph)
        return whole.after_steps(m.id, recipe=True) != m.frozen.of

    def _put(
        self, op: str, params: BaseModel | None, *inputs: Key, blobs: Iterable[str] = ()
    ) -> Key:
        return ops.put(self.graph, op, params, inputs, tuple(blobs))

    def _stepped(self, m: Map, longest: int | None) -> _Way | None:
        """Return a map after its steps, and what came back there from an outside editor."""
        place = (m.id, longest, m.frozen is None)
        if place not in self._after:
            self._after[place] = self._made(m, longest)
        return self._after[place]

    def _made(self, m: Map, longest: int | None) -> _Way | None:
        if m.frozen is not None:
            reading = Reading(space=m.space, wraps=m.frozen.wraps)
            key = self._whole(self._put("decode", reading, blobs=[m.frozen.sha256]))
            # What came back before is in it already; laid over it again, that changes nothing.
            key = self._returned(m, Stage.STEPS, self._limited(key, longest))
            return _Way(key, key)
        start = self._start(m, longest)
        if start is None:
            return None
        way = self._with_steps(m, start, longest)
        return way.at(self._returned(m, Stage.STEPS, way.key))

    def _start(self, m: Map, longest: int | None) -> _Way | None:
        """Return a map as its steps get it; a framed look is shrunk by as much as is cut away."""
        if isinstance(m.origin, MapOrigin):
            way = self._stepped(self.surface.map(m.origin.map), longest)
            if way is None:
                return None
            return way.at(self._returned(m, Stage.RAW, way.key))
        if m.origin is None:
            return None
        frame = way_of(self.surface, m).frame
        if frame.plain:
            key = self._decoded(m, longest)
        else:
            whole = self._decoded(m, None if longest is None else round(longest / frame.share))
            key = None if whole is None else self._put("frame", frame, whole)
        return None if key is None else _Way(key, key)

    def _whole(self, key: Key) -> Key:
        """Mark a picture where the surface keeps texels whole."""
        return self._put("whole", None, key) if self.surface.whole_texels else key

    def _limited(self, key: Key, longest: int | None) -> Key:
        return key if longest is None else self._put("limit", Limit(longest=longest), key)

    def _decoded(self, m: Map, longest: int | None) -> Key | None:
        """Return a map's own file as a picture, whole, with what came back of it."""
        if not isinstance(m.origin, SourceOrigin):
            return None
        way = way_of(self.surface, m)
        reading = Reading(
            space=way.space,
            green=m.origin.green,
            wraps=way.wraps,
            debanded=m.origin.debanded and way.space is Space.DATA,
        )
        key = self._put("decode", reading, blobs=[m.origin.sha256])
        return self._limited(self._whole(self._returned(m, Stage.RAW, key)), longest)

    def _with_steps(self, m: Map, way: _Way, longest: int | None) -> _Way:
        """Apply a map's steps; what moves texels of the one that it moves with comes first."""
        led = way_of(self.surface, m).led
        if led is not None:
            way = self._led(led, way, longest)
        small = self._start(m, SOLVED_AT) if longest != SOLVED_AT else way
        if led is not None or isinstance(m.origin, MapOrigin) or small is None:
            # Its own steps find their geometry on what they are given.
            small = _Way(way.start, self._put("limit", Limit(longest=SOLVED_AT), way.key))
        for step in m.before_size:
            if step.enabled:
                after = self._step(step, way, small, longest)
                small = self._step(step, small, small, SOLVED_AT)
                way = after
        return way

    def _led(self, led: Map, way: _Way, longest: int | None) -> _Way:
        """Move a map's texels as those of another are moved."""
        guide, small = (self._start(led, side) for side in (longest, SOLVED_AT))
        for step in moving_steps(led):
            if not step.enabled or guide is None or small is None:
                continue
            if step.kind.geometry is not None:
                way = self._laid(step, way, guide.key, small.key)
            guide, small = (
                self._step(step, guide, small, longest),
                self._step(step, small, small, SOLVED_AT),
            )
        return way

    def _step(self, step: Step, way: _Way, small: _Way, longest: int | None) -> _Way:
        """Apply one step to a map that is its own guide; ``small`` is that guide, to solve on."""
        if step.kind.geometry is not None:
            return self._laid(step, way, way.key, small.key)
        after = self._applied(step, way, longest)
        if after is None:
            # What it reads has no origin yet, so there is nothing to bring in.
            return way
        mask = None if step.mask is None else self._mask(step.mask, way, longest)
        if step.mask is not None and mask is None:
            return way
        return way.at(self._mixed(step, way, after, mask))

    def _applied(self, step: Step, way: _Way, longest: int | None) -> Key | None:
        """Return what a step makes of a map, before it is mixed; None where it cannot read all."""
        read = self._read_by(step.params, way, longest, self._after_its_steps)
        if read is None:
            return None
        inputs, blobs = read
        return self._put(step.params.kind, step.params, way.key, *inputs, blobs=blobs)

    def _mixed(self, step: Step, way: _Way, after: Key, mask: Key | None) -> Key:
        """Mix what a step has made with what was before, by its mask, amount and blend mode."""
        if step.whole:
            return after
        mixing = Mixing(amount=step.amount, blend=step.blend)
        inputs = [way.key, after, *([] if mask is None else [mask])]
        return self._put("over" if step.kind.over else "mix", mixing, *inputs)

    def _mask(self, mask_id: str, way: _Way, longest: int | None) -> Key | None:
        """Draw a mask: on the map as it is, or on its beginning, then moved as its texels were.

        None where it is made of a map that has no origin yet.
        """
        mask = self.surface.mask(mask_id)
        on_source = mask.on == "source"
        if on_source and way.size is not None:
            drawn = None if way.before is None else self._mask(mask_id, way.before, longest)
            return None if drawn is None else self._put("size", way.size, self._whole(drawn))
        like = way.start if on_source else way.key
        key = self._shape(mask.shape, like, way, longest)
        for part in mask.parts:
            other = self._shape(part.shape, like, way, longest)
            if key is None or other is None:
                return None
            key = self._put("combine", Combining(how=part.how), key, other)
        if key is None:
            return None
        if on_source:
            for moved in way.moved:
                params = moved.step.params
                key = self._put(params.kind, params, key, moved.guide, moved.geometry)
        finishing = Finishing(
            grow=mask.grow,
            feather=mask.feather,
            inverted=mask.inverted,
            inside=mask.inside,
            outside=mask.outside,
        )
        return key if finishing == Finishing() else self._put("finish_mask", finishing, key)

    def _shape(self, shape: AnyMask, like: Key, way: _Way, longest: int | None) -> Key | None:
        """Draw one part of a mask, of the maps, masks and strokes that it reads."""
        read = self._read_by(shape, way, longest, self._as_laid)
        if read is None:
            return None
        inputs, blobs = read
        return self._put(f"{MASK}{shape.kind}", shape, like, *inputs, blobs=blobs)

    def _read_by(
        self,
        params: BaseModel,
        way: _Way,
        longest: int | None,
        of_map: Callable[[str, int | None], Key | None],
    ) -> tuple[list[Key], list[str]] | None:
        """Return what parameters refer to: pictures, and kept files; None where one is not there.

        ``of_map`` says how far another map is carried out where it is read.
        """
        inputs: list[Key] = []
        blobs: list[str] = []
        for _, reference in references(params):
            if isinstance(reference, StrokesRef):
                blobs.append(reference.sha256)
                continue
            key = self._read(reference, way, longest, of_map)
            if key is None:
                return None
            inputs.append(key)
        return inputs, blobs

    def _read(
        self,
        reference: Reference,
        way: _Way,
        longest: int | None,
        of_map: Callable[[str, int | None], Key | None],
    ) -> Key | None:
        if isinstance(reference, MapRef):
            return of_map(reference.map, longest)
        if isinstance(reference, MaskRef):
            return self._mask(reference.mask, way, longest)
        if isinstance(reference, SourceRef):
            return self._limited(self._whole(self.source_read(reference)), longest)
        raise TypeError(f"Nothing says how a {type(reference).__name__} is read.")

    def _after_its_steps(self, map_id: str, longest: int | None) -> Key | None:
        way = self._stepped(self.surface.map(map_id), longest)
        return None if way is None else way.key

    def _as_laid(self, map_id: str, longest: int | None) -> Key | None:
        """Return a map laid out as a tile, before its look is worked on and that of its origin."""
        if self._laid_out is None:
            maps = tuple(laid(m) for m in self.surface.maps)
            surface = self.surface.model_copy(update={"maps": maps})
            self._laid_out = Wiring(surface, self.longest, self.graph, self.target)
            self._laid_out._laid_out = self._laid_out
        return self._laid_out._after_its_steps(map_id, longest)

    def source_read(self, reference: SourceRef) -> Key:
        """Return a kept file as steps read it: as colour."""
        reading = Reading(space=ROLES[Role.COLOUR].space)
        return self._put("decode", reading, blobs=[reference.sha256])

    def _laid(self, step: Step, way: _Way, guide: Key, small: Key) -> _Way:
        """Apply a step that moves texels: found on the small guide, laid on the picture."""
        geometry = self._put(f"{GEOMETRY}{step.params.kind}", step.params, small)
        key = self._put(step.params.kind, step.params, way.key, guide, geometry)
        return replace(way, key=key, moved=(*way.moved, _Moved(step, guide, geometry)))

    def _returned(self, m: Map, stage: Stage, key: Key) -> Key:
        """Lay what came back from an outside editor over a stage."""
        for back in m.returned:
            if back.stage is stage:
                reading = Reading(space=m.space, green=Green.UP)
                new, old = (
                    self._put("decode", reading, blobs=[digest])
                    for digest in (back.sha256, back.sent)
                )
                key = self._put("returned", None, key, new, old)
        return key
