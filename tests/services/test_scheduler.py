"""The one scheduler: once for all who want it, by urgency, stopped when nobody does."""

import tempfile
import threading
import time
import unittest
from collections import defaultdict
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path
from unittest.mock import patch

import numpy as np

from stonestack.core.files.codecs import pictures
from stonestack.core.files.codecs.sniff import FileKind
from stonestack.core.graph import ops
from stonestack.core.graph.ops import Result
from stonestack.core.graph.ops.operation import File
from stonestack.core.kinds.node import Graph, Node
from stonestack.core.picture.image import Picture
from stonestack.core.runtime import stopping
from stonestack.core.runtime.errors import BadFile, Cancelled
from stonestack.core.runtime.memory import Memory as Budget
from stonestack.services.making.scheduler import (
    Keeper,
    Scheduler,
    Urgency,
    serving,
    size_of,
    urgent,
)
from stonestack.services.making.spill import Spill
from tests.support import colour_picture

DATA = pictures.write(colour_picture(64, 64), FileKind.PNG)
PATIENCE = 20


class Held(unittest.TestCase):
    """A scheduler whose nodes can be held up at one operation."""

    workers = 2

    def setUp(self) -> None:
        super().setUp()
        self.blobs = {"0" * 64: DATA, "1" * 64: DATA, "2" * 64: DATA, "f" * 64: b"no picture"}
        self.scheduler = Scheduler(self.blobs.__getitem__, workers=self.workers)
        self.addCleanup(self.scheduler.close)
        self.pool = ThreadPoolExecutor(12)
        self.addCleanup(self.pool.shutdown)
        self.ran: list[Node] = []
        self.reached, self.release = threading.Event(), threading.Event()
        self.addCleanup(self.release.set)
        self.held: set[str] = set()
        self.scheduler.on_run = self.note

    def note(self, node: Node) -> None:
        self.ran.append(node)
        if node.op in self.held:
            self.reached.set()
            self.assertTrue(self.release.wait(PATIENCE))

    def graph(self, *sides: int, blob: str = "0") -> tuple[Graph, list[str]]:
        """Return a graph of one source, shrunk to several sides."""
        graph = Graph()
        start = ops.put(graph, "decode", {"space": "linear"}, blobs=(blob * 64,))
        return graph, [ops.put(graph, "limit", {"longest": side}, (start,)) for side in sides]

    def ask(self, graph: Graph, key: str, urgency: Urgency, purpose: str = "") -> Future[Result]:
        def work() -> Result:
            with urgent(urgency), serving(purpose):
                return self.scheduler.result(graph, key)

        return self.pool.submit(work)


class Sharing(Held):
    def test_what_many_want_is_carried_out_once(self) -> None:
        graph, keys = self.graph(8, 16, 32)
        asked = [self.ask(graph, key, Urgency.SHEET) for key in keys * 4]
        sides = sorted({max(f.result(PATIENCE).pixels.shape) for f in asked})  # type: ignore[union-attr]
        self.assertEqual(sides, [8, 16, 32])
        self.assertEqual(sorted(n.op for n in self.ran), ["decode", "limit", "limit", "limit"])
        self.assertTrue(self.scheduler.idle())

    def test_a_failure_reaches_all_who_wait_and_the_next_try_is_a_new_one(self) -> None:
        graph, keys = self.graph(8, blob="f")
        for _ in range(2):
            with self.assertRaises(BadFile):
                self.ask(graph, keys[0], Urgency.LOOKED_AT).result(PATIENCE)
        self.assertEqual([n.op for n in self.ran], ["decode", "decode"])
        self.assertTrue(self.scheduler.idle())

    def test_results_are_yielded_in_the_order_that_they_are_asked_in(self) -> None:
        graph, keys = self.graph(32, 8, 16)
        found = list(self.scheduler.results(graph, keys))
        self.assertEqual([p.pixels.shape[0] for p in found], [32, 8, 16])  # type: ignore[union-attr]


class Stopping(Held):
    def stoppable(self, graph: Graph, key: str, stop: threading.Event) -> Future[Result]:
        def work() -> Result:
            with stopping.stoppable(stop.is_set), serving("one"):
                return self.scheduler.result(graph, key)

        return self.pool.submit(work)

    def test_work_that_nobody_wants_is_stopped_and_its_takers_never_begin(self) -> None:
        self.held = {"decode"}
        graph, keys = self.graph(8)
        stop = threading.Event()
        asked = self.stoppable(graph, keys[0], stop)
        self.assertTrue(self.reached.wait(PATIENCE))
        self.assertEqual([n.op for n in self.scheduler.at_work({"one"})], ["decode"])
        stop.set()
        with self.assertRaises(Cancelled):
            asked.result(PATIENCE)
        self.release.set()
        while not self.scheduler.idle():
            pass
        self.assertEqual([n.op for n in self.ran], ["decode"])

    def test_one_who_leaves_does_not_take_it_from_another(self) -> None:
        self.held = {"decode"}
        graph, keys = self.graph(8, 16)
        stop = threading.Event()
        first = self.stoppable(graph, keys[0], stop)
        self.assertTrue(self.reached.wait(PATIENCE))
        second = self.ask(graph, keys[1], Urgency.SHEET, "two")
        while not self.scheduler.at_work({"two"}):
            self.assertFalse(second.done())
        stop.set()
        with self.assertRaises(Cancelled):
            first.result(PATIENCE)
        self.release.set()
        self.assertEqual(size_of(second.result(PATIENCE)), 16 * 16 * 3 * 4)
        self.assertEqual([n.op for n in self.ran], ["decode", "limit"])

    def test_closing_lets_all_go(self) -> None:
        self.held = {"decode"}
        graph, keys = self.graph(8)
        asked = self.ask(graph, keys[0], Urgency.JOB)
        self.assertTrue(self.reached.wait(PATIENCE))
        closing = self.pool.submit(self.scheduler.close)
        with self.assertRaises(Cancelled):
            asked.result(PATIENCE)
        self.release.set()
        closing.result(PATIENCE)


class Order(Held):
    workers = 1

    def test_what_is_looked_at_goes_first_then_the_sheet_then_jobs(self) -> None:
        self.held = {"decode"}
        graph, _ = self.graph()
        blocked = [self.graph(4, blob=b) for b in ("0", "1", "2")]
        # All threads are taken: one by a job, those that go ahead by what is looked at.
        holders = [
            self.ask(blocked[0][0], blocked[0][1][0], Urgency.LOOKED_AT),
            self.ask(blocked[1][0], blocked[1][1][0], Urgency.LOOKED_AT),
            self.ask(blocked[2][0], blocked[2][1][0], Urgency.LOOKED_AT),
        ]
        while len(self.ran) < 3:
            pass
        texts = {
            urgency: ops.put(graph, "text", {"text": urgency.name})
            for urgency in (Urgency.WARMING, Urgency.JOB, Urgency.SHEET, Urgency.LOOKED_AT)
        }
        asked = []
        for urgency, key in texts.items():
            asked.append(self.ask(graph, key, urgency))
            while self.scheduler.waiting() < len(asked):
                pass
        self.release.set()
        for future in [*asked, *holders]:
            future.result(PATIENCE)
        order = [n.values["text"] for n in self.ran if n.op == "text"]
        # Threads that go ahead may take one of them early; the rest keeps its order.
        self.assertEqual(order[0], "LOOKED_AT")
        self.assertEqual([w for w in order if w != "LOOKED_AT"], ["SHEET", "JOB", "WARMING"])

    def test_what_is_looked_at_does_not_wait_behind_a_long_job(self) -> None:
        self.held = {"limit"}
        graph, keys = self.graph(8)
        job = self.ask(graph, keys[0], Urgency.JOB)
        self.assertTrue(self.reached.wait(PATIENCE))
        looked = Graph()
        text = ops.put(looked, "text", {"text": "now"})
        self.assertEqual(self.ask(looked, text, Urgency.LOOKED_AT).result(PATIENCE), File(b"now"))
        self.assertFalse(job.done())
        self.release.set()
        job.result(PATIENCE)


class Memory(unittest.TestCase):
    def test_results_over_the_limit_are_let_go_and_made_again(self) -> None:
        scheduler = Scheduler(lambda _: DATA, memory=Budget(60_000), workers=1)
        self.addCleanup(scheduler.close)
        ran: list[str] = []
        scheduler.on_run = lambda node: ran.append(node.op)
        graph = Graph()
        start = ops.put(graph, "decode", {"space": "linear"}, blobs=("0" * 64,))
        keys = [ops.put(graph, "limit", {"longest": side}, (start,)) for side in (60, 61, 62)]
        for key in keys:
            scheduler.result(graph, key)
        again = scheduler.result(graph, keys[0])
        self.assertEqual(ran.count("limit"), 4)
        self.assertEqual(again.pixels.shape, (60, 60, 3))  # type: ignore[union-attr]

    def test_pictures_beyond_the_budget_lie_on_disk_and_are_the_same_again(self) -> None:
        with tempfile.TemporaryDirectory() as holder:
            spill = Spill(Path(holder), 1 << 30)
            budget = Budget(60_000)
            scheduler = Scheduler(lambda _: DATA, memory=budget, workers=1, spill=spill)
            graph = Graph()
            start = ops.put(graph, "decode", {"space": "linear"}, blobs=("0" * 64,))
            keys = [ops.put(graph, "limit", {"longest": side}, (start,)) for side in (60, 61, 62)]
            with patch.object(scheduler, "_seconds", defaultdict(lambda: 100.0)):
                first = scheduler.result(graph, keys[0])
                for key in keys[1:]:
                    scheduler.result(graph, key)
                for _ in range(200):
                    if keys[0] in spill:
                        break
                    time.sleep(0.02)
                ran: list[str] = []
                scheduler.on_run = lambda node: ran.append(node.op)
                again = scheduler.result(graph, keys[0])
            self.assertEqual(ran, [])
            assert isinstance(first, Picture) and isinstance(again, Picture)
            np.testing.assert_array_equal(again.pixels, first.pixels)
            self.assertEqual((again.space, again.wraps), (first.space, first.wraps))
            self.assertLessEqual(budget.used(), 60_000)
            for path in Path(holder).rglob("*.f32"):
                path.unlink()  # As one who empties the cache would.
            for key in keys:
                self.assertIsInstance(scheduler.result(graph, key), Picture)
            scheduler.close()
            self.assertEqual(list(Path(holder).iterdir()), [])
            self.assertEqual(budget.used(), 0)

    def test_what_is_used_by_another_is_not_what_was_used_longest_ago(self) -> None:
        scheduler = Scheduler(lambda _: DATA, memory=Budget(110_000), workers=1)
        self.addCleanup(scheduler.close)
        graph = Graph()
        source = ops.put(graph, "decode", {"space": "linear"}, blobs=("0" * 64,))
        ran: list[str] = []
        scheduler.on_run = lambda node: ran.append(node.op)
        for side in range(40, 60):
            scheduler.result(graph, ops.put(graph, "limit", {"longest": side}, (source,)))
        self.assertEqual(ran.count("decode"), 1)

    def test_what_is_swept_just_after_it_was_found_is_made_anew(self) -> None:
        class Fleeting(Keeper):
            asked = 0

            def has(self, node: Node) -> bool:
                self.asked += node.op == "limit"
                return node.op == "limit" and self.asked == 1

        scheduler = Scheduler(lambda _: DATA, Fleeting(), workers=1)
        self.addCleanup(scheduler.close)
        graph = Graph()
        start = ops.put(graph, "decode", {"space": "linear"}, blobs=("0" * 64,))
        key = ops.put(graph, "limit", {"longest": 40}, (start,))
        self.assertEqual(scheduler.result(graph, key).pixels.shape, (40, 40, 3))  # type: ignore[union-attr]

    def test_over_the_limit_one_node_runs_at_a_time(self) -> None:
        most, now = 0, 0
        lock = threading.Lock()

        class Counting(Keeper):
            def keep(self, node: Node, result: Result) -> None:
                nonlocal now
                with lock:
                    now -= 1

        def begun(node: Node) -> None:
            nonlocal most, now
            with lock:
                now += 1
                if node.op == "light":
                    most = max(most, now)

        scheduler = Scheduler(lambda _: DATA, Counting(), memory=Budget(1), workers=4)
        self.addCleanup(scheduler.close)
        scheduler.on_run = begun
        graph = Graph()
        keys = []
        for side in range(40, 48):
            start = ops.put(graph, "decode", {"space": "linear"}, blobs=(f"{side:064x}",))
            keys.append(ops.put(graph, "light", None, (start,)))
        found = list(scheduler.results(graph, keys))
        self.assertEqual(len(found), 8)
        self.assertEqual(most, 1)
        self.assertTrue(np.isfinite(found[0].pixels).all())  # type: ignore[union-attr]


if __name__ == "__main__":
    unittest.main()
