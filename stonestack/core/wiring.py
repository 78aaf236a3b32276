"""From documents to the graph: what has to be done to see a map at a stage, or to deliver it."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from stonestack.core import materials, ops
from stonestack.core.graph import Graph, Key, Node, ordered
from stonestack.core.materials import Material
from stonestack.core.normals import Green
from stonestack.core.ops.facts import Done, Stored
from stonestack.core.ops.files import Heading, Listing, Shown, Storing, Text
from stonestack.core.ops.pictures import Limit, Reading
from stonestack.core.ops.stages import GEOMETRY
from stonestack.core.roles import Role
from stonestack.core.stepkind import SOLVED_AT
from stonestack.core.steps import STEPS, Step
from stonestack.core.surface import Map, MapOrigin, SourceOrigin, Stage, Surface, follows
from stonestack.core.targets import Target

RAW_STAGES = (Stage.RAW, Stage.SOURCE)
"""Stages before any step."""


class Wiring:
    """Puts the nodes of one surface into a graph.

    Parameters
    ----------
    surface : Surface
    longest : int, optional
        Shrink sources, and finished maps, to this longest side first: a passing look.
    graph : Graph, optional
        Where the nodes go; a new one by default.
    """

    def __init__(
        self, surface: Surface, longest: int | None = None, graph: Graph | None = None
    ) -> None:
        self.surface = surface
        self.longest = longest
        self.graph = Graph() if graph is None else graph
        self._after: dict[tuple[Role, int | None], Key | None] = {}

    def at(self, role: Role, stage: Stage) -> Key | None:
        """Return the key of a map at a stage; None where the map has no origin yet."""
        m = self.surface.map(role)
        if stage is Stage.RAW and isinstance(m.origin, SourceOrigin):
            return self._decoded(m, self.longest)
        if stage in RAW_STAGES:
            return self._start(m, self.longest)
        key = self._stepped(m, self.longest)
        if key is None or stage is Stage.STEPS:
            return key
        width, height = m.size.width, m.size.height
        if self.longest is not None:
            shrink = max(1, max(width, height) // self.longest)
            width, height = max(4, width // shrink), max(4, height // shrink)
        size = m.size.model_copy(update={"width": width, "height": height})
        key = self._returned(m, Stage.SIZE, self._put("size", size, key))
        if stage is Stage.SIZE:
            return key
        return self._put("compress", Storing(format=m.format, green=m.green), key)

    def stages(self) -> dict[Role, dict[Stage, Key | None]]:
        """Return the keys of every map at every stage."""
        return {m.role: {s: self.at(m.role, s) for s in Stage} for m in self.surface.maps}

    def _put(self, op: str, params: object, *inputs: Key, blobs: Iterable[str] = ()) -> Key:
        return ops.put(self.graph, op, params, inputs, tuple(blobs))  # type: ignore[arg-type]

    def _stepped(self, m: Map, longest: int | None) -> Key | None:
        """Return a map after its steps, and what came back there from an outside editor."""
        place = (m.role, longest)
        if place not in self._after:
            start = self._start(m, longest)
            self._after[place] = (
                None
                if start is None
                else self._returned(m, Stage.STEPS, self._with_steps(m, start, longest))
            )
        return self._after[place]

    def _start(self, m: Map, longest: int | None) -> Key | None:
        """Return a map as its steps get it; a framed look is shrunk by as much as is cut away."""
        if isinstance(m.origin, MapOrigin):
            key = self._stepped(self.surface.map(m.origin.role), longest)
            return None if key is None else self._returned(m, Stage.RAW, key)
        if m.origin is None:
            return None
        led = follows(self.surface, m)
        frame = led.origin.frame if led and isinstance(led.origin, SourceOrigin) else m.origin.frame
        if frame.plain:
            return self._decoded(m, longest)
        key = self._decoded(m, None if longest is None else round(longest / frame.share))
        return None if key is None else self._put("frame", frame, key)

    def _decoded(self, m: Map, longest: int | None) -> Key | None:
        """Return a map's own file as a picture, whole, with what came back of it."""
        if not isinstance(m.origin, SourceOrigin):
            return None
        reading = Reading(space=m.space, green=m.origin.green)
        key = self._put("decode", reading, blobs=[m.origin.sha256])
        key = self._returned(m, Stage.RAW, key)
        return key if longest is None else self._put("limit", Limit(longest=longest), key)

    def _with_steps(self, m: Map, key: Key, longest: int | None) -> Key:
        """Apply a map's steps; what moves texels in the colour's comes first where it follows."""
        led = follows(self.surface, m)
        if led is not None:
            guide, small = (self._start(led, side) for side in (longest, SOLVED_AT))
            for step in led.steps:
                if not step.enabled or guide is None or small is None:
                    continue
                if STEPS[step.kind].geometry is not None:
                    key = self._moved(step, key, guide, small)
                guide, small = self._step(step, guide, small), self._step(step, small, small)
        small = self._start(m, SOLVED_AT) if longest != SOLVED_AT else key
        if led is not None or isinstance(m.origin, MapOrigin) or small is None:
            # Its own steps find their geometry on what they are given.
            small = self._put("limit", Limit(longest=SOLVED_AT), key)
        for step in m.steps:
            if step.enabled:
                key, small = self._step(step, key, small), self._step(step, small, small)
        return key

    def _step(self, step: Step, key: Key, small: Key) -> Key:
        """Apply one step to a map that is its own guide; ``small`` is that guide, to solve on."""
        if STEPS[step.kind].geometry is not None:
            return self._moved(step, key, key, small)
        return self._put(step.kind, step, key)

    def _moved(self, step: Step, key: Key, guide: Key, small: Key) -> Key:
        """Apply a step that moves texels: found on the small guide, laid on the picture."""
        geometry = self._put(f"{GEOMETRY}{step.kind}", step, small)
        return self._put(step.kind, step, key, guide, geometry)

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


# ---- What is asked of a stage ------------------------------------------------------------


def picture_of(graph: Graph, key: Key, longest: int | None) -> Key:
    """Return the node that shows a stage as a PNG, shrunk where ``longest`` is given."""
    node = graph[key]
    if ops.OPERATIONS[node.op].gives is ops.Kind.TEXTURE:
        return ops.put(graph, "texture_png", Shown(longest=longest), (key, node.inputs[0]))
    return ops.put(graph, "png", Shown(longest=longest), (key,))


def facts_of(graph: Graph, key: Key, stage: Stage) -> Key:
    """Return the node that measures a stage."""
    if stage is Stage.COMPRESS:
        green = Storing.model_validate(graph[key].values).green
        inputs = (key, graph[key].inputs[0])
        return ops.put(graph, "facts:texture", Stored(green=green), inputs)
    if stage is Stage.SIZE:
        sized = next(n for n in _way(graph, key) if n.op == "size")
        return ops.put(graph, "facts:size", sized.values, (key, sized.inputs[0]))
    if stage is Stage.STEPS:
        done = sorted({n.op for n in _way(graph, key)})
        return ops.put(graph, "facts:tile", Done(done=tuple(done)), (key,))
    return ops.put(graph, "facts:source", None, (key,))


def _way(graph: Graph, key: Key) -> Iterable[Node]:
    """Return a node and what its picture was before, step by step, back to its source."""
    node = graph[key]
    yield node
    while node.inputs:
        node = graph[node.inputs[0]]
        yield node


def closure(graph: Graph, keys: Iterable[Key]) -> dict[Key, Node]:
    """Return the part of a graph that some keys need."""
    found: dict[Key, Node] = {}
    for key in keys:
        if key not in found:
            found.update((n.key, n) for n in ordered(key, graph.__getitem__))
    return found


# ---- What leaves -------------------------------------------------------------------------


@dataclass(frozen=True)
class Part:
    """One file of a delivery: where it lies, and the node that makes it.

    Parameters
    ----------
    surface_id : str
        The surface that it belongs to.
    role : Role or None
        Of a map; None for a definition.
    path : str
        Below the delivery, with forward slashes.
    key : Key
    """

    surface_id: str
    role: Role | None
    path: str
    key: Key


def parts_of(
    wiring: Wiring, surface_id: str, shown: Sequence[Material], target: Target
) -> list[Part]:
    """Put the files that a surface delivers into its graph: textures, and definitions.

    Parameters
    ----------
    shown : sequence of Material
        The materials that show the surface.
    """
    surface, parts = wiring.surface, []
    for m in surface.maps:
        key = wiring.at(m.role, Stage.COMPRESS) if m.delivered else None
        if key is not None:
            dds = ops.put(wiring.graph, "dds", None, (key,))
            parts.append(Part(surface_id, m.role, f"{target.textures}/{m.file_name}.dds", dds))
    if not parts:
        return []
    for material in shown:
        text = materials.definition(material, surface, target).decode()
        key = ops.put(wiring.graph, "text", Text(text=text))
        parts.append(Part(surface_id, None, materials.material_path(material, target), key))
    return parts


def contents_of(graph: Graph, parts: Sequence[Part]) -> Key:
    """Return the node that lists files; its key says all that they hold, and where they lie."""
    ordered_parts = sorted(parts, key=lambda part: (part.path, part.key))
    paths = tuple(part.path for part in ordered_parts)
    inputs = tuple(part.key for part in ordered_parts)
    return ops.put(graph, "contents", Listing(paths=paths), inputs)


def manifest_of(graph: Graph, contents: Key, heading: Heading) -> Key:
    """Return the node that writes the manifest of a delivery."""
    return ops.put(graph, "manifest", heading, (contents,))
