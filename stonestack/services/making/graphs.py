"""The graph as it is remembered: every node once, in memory and in the database."""

from __future__ import annotations

import re
import threading
from collections import OrderedDict
from collections.abc import Iterable, Sequence

from sqlalchemy import Engine

from stonestack.core.kinds.node import Graph, Key, Node, closure, ordered
from stonestack.core.runtime.errors import NotFound
from stonestack.core.runtime.memory import MEMORY

_IN_MEMORY, _NODE = 40_000, 1500
"""Nodes that are held, and about how many bytes each takes."""
_ROWS = 400_000
"""Nodes kept in the database; those put there longest ago go first, and come again when used."""
_AT_ONCE = 500
_KEY = re.compile(r"[0-9a-f]{16,}")


class Graphs:
    """Nodes by key, for as long as anybody may ask for them.

    Parameters
    ----------
    engine : Engine
        Where lasting nodes are kept, a row each.
    """

    def __init__(self, engine: Engine) -> None:
        self._engine = engine
        self._lock = threading.Lock()
        self._nodes: OrderedDict[Key, Node] = OrderedDict()
        self._stored: set[Key] = set()
        self._passing: set[Key] = set()
        self._trim()

    def add(self, graph: Graph, keys: Iterable[Key], lasting: bool = True) -> None:
        """Make keys known, with all that they come from.

        Parameters
        ----------
        lasting : bool
            False for passing looks, which are forgotten when many newer ones came.
        """
        nodes = closure(graph, keys)
        with self._lock:
            if lasting:
                self._passing.difference_update(nodes)
            else:
                self._passing.update(k for k in nodes if k not in self._nodes)
            for key, node in nodes.items():
                self._nodes[key] = node
                self._nodes.move_to_end(key)
            while len(self._nodes) > _IN_MEMORY:
                old, _ = self._nodes.popitem(last=False)
                self._passing.discard(old)
            MEMORY.hold("graph", _NODE * len(self._nodes))
            new = [n for k, n in nodes.items() if lasting and k not in self._stored]
        if not new:
            return
        rows = [
            (n.key, n.op, n.version, n.params, " ".join(n.inputs), " ".join(n.blobs)) for n in new
        ]
        with self._engine.begin() as connection:
            connection.exec_driver_sql(
                "INSERT OR IGNORE INTO node (key, op, version, params, inputs, blobs)"
                " VALUES (?, ?, ?, ?, ?, ?)",
                rows,
            )
        with self._lock:
            if len(self._stored) > _IN_MEMORY:
                self._stored.clear()  # To store a node again changes nothing.
            self._stored.update(n.key for n in new)

    def passes(self, key: Key) -> bool:
        """Tell whether a node was only ever made for passing looks."""
        with self._lock:
            return key in self._passing

    def graph(self, key: Key) -> Graph:
        """Return a node with all that it comes from.

        Raises
        ------
        NotFound
            If the key is not known, or not any more.
        """
        found: dict[Key, Node] = {}
        wanted = [key]
        while wanted:
            for node in self._found(wanted):
                found[node.key] = node
            missing = [k for k in wanted if k not in found]
            if missing:
                raise NotFound(
                    "no-such-render", "This picture is not known any more.", "Reload the page."
                )
            wanted = list(
                dict.fromkeys(k for at in wanted for k in found[at].inputs if k not in found)
            )
        graph = Graph()
        for node in ordered(key, found.__getitem__):
            graph.add(node)
        return graph

    def _found(self, keys: Sequence[Key]) -> list[Node]:
        with self._lock:
            here = [self._nodes[k] for k in keys if k in self._nodes]
            away = [k for k in keys if k not in self._nodes]
        for start in range(0, len(away), _AT_ONCE):
            part = away[start : start + _AT_ONCE]
            marks = ", ".join("?" * len(part))
            with self._engine.connect() as connection:
                rows = connection.exec_driver_sql(
                    f"SELECT op, version, params, inputs, blobs FROM node WHERE key IN ({marks})",
                    tuple(part),
                ).all()
            here += [Node(r[0], r[1], r[2], tuple(r[3].split()), tuple(r[4].split())) for r in rows]
        return here

    def _trim(self) -> None:
        """Let go of the oldest nodes; lists whose pictures they were are worked out anew."""
        with self._engine.begin() as connection:
            run = connection.exec_driver_sql
            old = "rowid <= (SELECT max(rowid) FROM node) - ?"
            gone = {key for (key,) in run(f"SELECT key FROM node WHERE {old}", (_ROWS,))}
            if not gone:
                return
            run(f"DELETE FROM node WHERE {old}", (_ROWS,))
            rows = run("SELECT id, summary FROM document WHERE summary != ''").all()
            stale = [(row_id,) for row_id, text in rows if not gone.isdisjoint(_KEY.findall(text))]
            if stale:
                run("UPDATE document SET summary_of = '' WHERE id = ?", stale)
