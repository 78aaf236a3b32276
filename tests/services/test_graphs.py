"""The graph as it is remembered: each node once, found again after a restart, bounded."""

import time
import unittest
from unittest import mock

import numpy as np
from sqlalchemy import text

from stonestack.core.document import Stage
from stonestack.core.graph import ops
from stonestack.core.graph.ops.files import Listing, Text
from stonestack.core.graph.wiring import Wiring
from stonestack.core.kinds.node import Graph, Key
from stonestack.core.picture.image import Picture, Space
from stonestack.core.runtime.errors import NotFound
from stonestack.services.making import graphs
from stonestack.services.making.graphs import Graphs
from stonestack.services.making.spill import Spill
from tests.core.document.test_surface import begun
from tests.support import WorkspaceCase


def listing(count: int, of: str = "words") -> tuple[Graph, Key]:
    """Return a node with so many inputs, and its graph."""
    graph = Graph()
    paths = tuple(f"{n:05}.txt" for n in range(count))
    inputs = [ops.put(graph, "text", Text(text=f"{of} {n}")) for n in range(count)]
    return graph, ops.put(graph, "contents", Listing(paths=paths), inputs)


class Remembered(WorkspaceCase):
    def setUp(self) -> None:
        super().setUp()
        self.known = self.ws.renderer.graphs

    def rows(self) -> int:
        with self.ws.engine.connect() as connection:
            return int(connection.execute(text("SELECT count(*) FROM node")).scalar_one())

    def fresh(self) -> Graphs:
        """Return what a new start knows."""
        return Graphs(self.ws.engine)

    def test_a_whole_surface_is_found_again_after_a_restart(self) -> None:
        wiring = Wiring(begun())
        key = wiring.at("normal", Stage.COMPRESS)
        assert key is not None
        self.known.add(wiring.graph, [key])
        found = self.fresh().graph(key)
        self.assertLessEqual(set(found), set(wiring.graph))
        for at, node in found.items():
            self.assertEqual(node, wiring.graph[at])
        self.assertEqual(self.rows(), len(found))

    def test_only_what_a_key_needs_is_kept(self) -> None:
        wiring = Wiring(begun())
        wiring.stages()
        key = wiring.at("colour", Stage.RAW)
        assert key is not None
        self.known.add(wiring.graph, [key])
        self.assertEqual(self.rows(), 1)
        self.assertEqual(set(self.fresh().graph(key)), {key})

    def test_nothing_is_kept_twice_however_often_it_is_told(self) -> None:
        graph, key = listing(20)
        for _ in range(3):
            self.known.add(graph, [key])
            self.fresh().add(graph, [key])
        self.assertEqual(self.rows(), 21)

    def test_a_node_with_thousands_of_inputs_is_found(self) -> None:
        graph, key = listing(2_300)
        self.known.add(graph, [key])
        found = self.fresh().graph(key)
        self.assertEqual(len(found), 2_301)
        self.assertEqual(found[key].inputs, graph[key].inputs)

    def test_pictures_of_passing_looks_are_not_put_on_disk(self) -> None:
        graph = Graph()
        lasting, passing = (ops.put(graph, "text", Text(text=words)) for words in ("a", "b"))
        self.known.add(graph, [lasting])
        self.known.add(graph, [lasting, passing], lasting=False)
        spill = Spill(self.root / "beyond", 1 << 30, self.known.passes)
        picture = Picture(np.zeros((60, 60, 3), np.float32), Space.LINEAR)
        for key in (passing, lasting):
            spill.put(key, picture, seconds=100)
        for _ in range(200):
            if lasting in spill:
                break
            time.sleep(0.02)
        self.assertIn(lasting, spill)
        self.assertNotIn(passing, spill)
        spill.close()
        self.known.add(graph, [passing])
        self.assertFalse(self.known.passes(passing))

    def test_a_passing_look_is_known_now_and_not_after_a_restart(self) -> None:
        graph, key = listing(3)
        self.known.add(graph, [key], lasting=False)
        self.assertEqual(set(self.known.graph(key)), set(graph))
        self.assertEqual(self.rows(), 0)
        with self.assertRaises(NotFound) as caught:
            self.fresh().graph(key)
        self.assertEqual(caught.exception.code, "no-such-render")

    def test_a_look_that_becomes_a_revision_is_kept_then(self) -> None:
        graph, key = listing(3)
        self.known.add(graph, [key], lasting=False)
        self.known.add(graph, [key])
        self.assertEqual(set(self.fresh().graph(key)), set(graph))

    def test_looks_that_many_newer_ones_followed_are_forgotten(self) -> None:
        with mock.patch.object(graphs, "_IN_MEMORY", 10):
            old, first = listing(4, "old")
            self.known.add(old, [first], lasting=False)
            new, last = listing(9, "new")
            self.known.add(new, [last], lasting=False)
            self.assertEqual(set(self.known.graph(last)), set(new))
            with self.assertRaises(NotFound):
                self.known.graph(first)

    def test_what_memory_has_let_go_comes_from_the_database(self) -> None:
        with mock.patch.object(graphs, "_IN_MEMORY", 10):
            old, first = listing(4, "old")
            self.known.add(old, [first])
            new, last = listing(9, "new")
            self.known.add(new, [last])
            self.assertEqual(set(self.known.graph(first)), set(old))

    def test_the_database_keeps_the_newest_and_a_use_brings_back_what_went(self) -> None:
        old, first = listing(4, "old")
        self.known.add(old, [first])
        new, last = listing(9, "new")
        self.known.add(new, [last])
        with mock.patch.object(graphs, "_ROWS", 10):
            later = self.fresh()
        self.assertEqual(self.rows(), 10)
        self.assertEqual(set(later.graph(last)), set(new))
        with self.assertRaises(NotFound):
            later.graph(first)
        later.add(old, [first])
        self.assertEqual(set(self.fresh().graph(first)), set(old))

    def test_a_node_whose_input_has_gone_is_said_to_be_gone(self) -> None:
        graph, key = listing(2)
        self.known.add(graph, [key])
        with self.ws.engine.begin() as connection:
            connection.execute(
                text("DELETE FROM node WHERE key = :key"), {"key": graph[key].inputs[0]}
            )
        with self.assertRaises(NotFound):
            self.fresh().graph(key)

    def test_what_is_no_key_at_all_is_not_found(self) -> None:
        for key in ("", "nothing", "0" * 40, "' OR 1=1 --"):
            with self.subTest(key), self.assertRaises(NotFound):
                self.known.graph(key)


if __name__ == "__main__":
    unittest.main()
