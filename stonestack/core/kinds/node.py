"""The graph of all computation: flat, shared, each node named by a hash of all it depends on.

A :class:`Node` names its inputs by their keys and the files that it reads by their content hashes,
never by path. So equal keys mean equal results on any machine, a graph is a plain mapping however
often a node is shared, and "changed since" is a comparison of two keys.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

Key = str
"""A node's content key: 40 hexadecimal digits."""


def canonical(values: Mapping[str, Any]) -> str:
    """Return plain values as the one JSON text that stands for them."""
    return json.dumps(values, sort_keys=True, separators=(",", ":"), ensure_ascii=False)


@dataclass(frozen=True)
class Node:
    """One unit of work.

    Parameters
    ----------
    op : str
        Name of an operation of the register, :data:`stonestack.core.graph.ops.OPERATIONS`.
    version : int
        Of that operation's code.
    params : str
        Canonical JSON of the operation's parameter model.
    inputs : tuple of str
        Keys of the nodes whose results it takes, in order.
    blobs : tuple of str
        Hashes of the kept files that it reads, in order.
    """

    op: str
    version: int
    params: str = "{}"
    inputs: tuple[Key, ...] = ()
    blobs: tuple[str, ...] = ()

    @cached_property
    def key(self) -> Key:
        """The hash of everything that the result depends on."""
        parts = [self.op, self.version, self.params, self.inputs, self.blobs]
        text = json.dumps(parts, separators=(",", ":"), ensure_ascii=False)
        return hashlib.sha256(text.encode()).hexdigest()[:40]

    @property
    def values(self) -> dict[str, Any]:
        """The parameters as plain values."""
        values: dict[str, Any] = json.loads(self.params)
        return values


@dataclass
class Graph(Mapping[Key, Node]):
    """Nodes by key; each is there once, however many share it."""

    nodes: dict[Key, Node] = field(default_factory=dict)

    def add(self, node: Node) -> Key:
        """Put a node in, and return its key.

        Raises
        ------
        KeyError
            If one of its inputs is not in the graph.
        """
        for key in node.inputs:
            if key not in self.nodes:
                raise KeyError(key)
        self.nodes.setdefault(node.key, node)
        return node.key

    def __getitem__(self, key: Key) -> Node:
        return self.nodes[key]

    def __iter__(self) -> Iterator[Key]:
        return iter(self.nodes)

    def __len__(self) -> int:
        return len(self.nodes)


def ordered(key: Key, node_of: Callable[[Key], Node]) -> list[Node]:
    """Return a node and all that it comes from, each once, inputs before what takes them."""
    found: dict[Key, Node] = {}
    stack: list[tuple[Key, bool]] = [(key, False)]
    while stack:
        here, ready = stack.pop()
        if here in found:
            continue
        node = node_of(here)
        if ready:
            found[here] = node
            continue
        stack.append((here, True))
        stack.extend((k, False) for k in reversed(node.inputs) if k not in found)
    return list(found.values())


def closure(graph: Graph, keys: Iterable[Key]) -> dict[Key, Node]:
    """Return the part of a graph that some keys need."""
    found: dict[Key, Node] = {}
    for key in keys:
        if key not in found:
            found.update((n.key, n) for n in ordered(key, graph.__getitem__))
    return found
