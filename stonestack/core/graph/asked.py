"""What is asked of a stage: nodes that show it, measure it, or say what compression has cost it."""

from __future__ import annotations

from collections.abc import Iterable

from stonestack.core.document import Stage
from stonestack.core.files.blocks.formats import BlockFormat
from stonestack.core.files.blocks.quality import Quality
from stonestack.core.graph import ops
from stonestack.core.graph.ops.facts import Done, Stored
from stonestack.core.graph.ops.files import Shown, Storing
from stonestack.core.graph.ops.losing import OneLevel
from stonestack.core.kinds.node import Graph, Key, Node
from stonestack.core.steps import STEPS
from stonestack.core.tile.ways import FAMILY


def picture_of(graph: Graph, key: Key, longest: int | None) -> Key:
    """Return the node that shows a stage as a PNG, shrunk where ``longest`` is given."""
    node = graph[key]
    if ops.OPERATIONS[node.op].gives is ops.Kind.TEXTURE:
        return ops.put(graph, "texture_png", Shown(longest=longest), (key, node.inputs[0]))
    return ops.put(graph, "png", Shown(longest=longest), (key,))


def texels_of(graph: Graph, key: Key) -> Key:
    """Return the node that shows a picture as plain texels, for a look that passes."""
    return ops.put(graph, "texels", None, (key,))


def plain_of(graph: Graph, key: Key) -> Key:
    """Return the node of a texture's levels before they are compressed: all eight bits of them."""
    node = graph[key]
    values = {**node.values, "format": BlockFormat.RGBA8, "quality": Quality.STANDARD}
    return ops.put(graph, "compress", values, node.inputs, node.blobs)


def loss_of(graph: Graph, key: Key, level: int) -> Key:
    """Return the node that measures what compression has cost one level."""
    inputs = (key, plain_of(graph, key), graph[key].inputs[0])
    return ops.put(graph, "loss", OneLevel(level=level), inputs)


def facts_of(graph: Graph, key: Key, stage: Stage) -> Key:
    """Return the node that measures a stage."""
    if stage is Stage.COMPRESS:
        green = Storing.model_validate(graph[key].values).green
        inputs = (key, graph[key].inputs[0])
        return ops.put(graph, "facts:texture", Stored(green=green), inputs)
    if stage is Stage.SIZE:
        sized = next(n for n in _way(graph, key) if n.op == "size")
        return ops.put(graph, "facts:size", sized.values, (key, sized.inputs[0]))
    if stage is Stage.FINISH:
        return ops.put(graph, "facts:finish", None, (key,))
    if stage is Stage.STEPS:
        way = list(_way(graph, key))
        # The last way of tiling is what the tile is like; its solution tells what it kept.
        tiled = [n.inputs[-1] for n in way if n.op in STEPS and STEPS[n.op].family == FAMILY]
        done = Done(done=tuple(sorted({n.op for n in way})))
        return ops.put(graph, "facts:tile", done, (key, *tiled[:1]))
    return ops.put(graph, "facts:source", None, (key,))


def _way(graph: Graph, key: Key) -> Iterable[Node]:
    """Return a node and what its picture was before, step by step, back to its source."""
    node = graph[key]
    yield node
    while node.inputs:
        node = graph[node.inputs[0]]
        yield node
