"""Carry out a graph here and now, one node after the other, each once."""

from __future__ import annotations

from collections.abc import Callable

from stonestack.core.graph import ops
from stonestack.core.graph.ops.operation import File, Result
from stonestack.core.kinds.node import Graph, Key, Node, ordered
from stonestack.core.picture.image import Picture
from stonestack.core.runtime.errors import BadRequest


class Evaluator:
    """Results of a graph's nodes, for the command line and for measuring.

    Parameters
    ----------
    read_blob : callable
        Returns the bytes of a file by its hash.
    timed : callable, optional
        Wraps the carrying out of each node.
    """

    def __init__(
        self,
        read_blob: Callable[[str], bytes],
        carry_out: Callable[[Node, Callable[[], Result]], Result] | None = None,
    ) -> None:
        self._read_blob = read_blob
        self._carry_out = carry_out or (lambda _node, work: work())
        self.results: dict[Key, Result] = {}

    def result(self, graph: Graph, key: Key) -> Result:
        """Return what a node yields."""
        for node in ordered(key, graph.__getitem__):
            if node.key not in self.results:
                inputs = [self.results[k] for k in node.inputs]

                def work(node: Node = node, inputs: list[Result] = inputs) -> Result:
                    return ops.run(node, inputs, self._read_blob)

                self.results[node.key] = self._carry_out(node, work)
        return self.results[key]

    def picture(self, graph: Graph, key: Key) -> Picture:
        """Return the picture that a node yields."""
        result = self.result(graph, key)
        if not isinstance(result, Picture):
            raise BadRequest("not-a-picture", "This is no picture.", "Choose another stage.")
        return result

    def file(self, graph: Graph, key: Key) -> bytes:
        """Return the bytes of the file that a node yields."""
        result = self.result(graph, key)
        if not isinstance(result, File):
            raise BadRequest("not-a-file", "This is no file.", "Choose another stage.")
        return result.data
