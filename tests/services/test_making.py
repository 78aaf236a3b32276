import threading
from concurrent.futures import Future, ThreadPoolExecutor

from stonestack.core.document import Stage
from stonestack.core.kinds.node import Node
from stonestack.core.runtime.errors import Conflict, NotWanted
from stonestack.core.tables.roles import Role
from stonestack.core.tile.mirrored import MirrorTile
from stonestack.services.documents import surfaces
from stonestack.services.making import progress as making
from stonestack.services.making.renders import RenderFacts
from tests.services.test_surfaces import SurfaceCase
from tests.support import set_step


class Stopping(SurfaceCase):
    """Renders that are held up at their first tiling step, so that they can be stopped in it."""

    def setUp(self) -> None:
        super().setUp()
        self.reached, self.release = threading.Event(), threading.Event()
        self.ran: list[str] = []
        self.ws.renderer.on_run = self.hold
        self.pool = ThreadPoolExecutor(4)
        self.addCleanup(self.pool.shutdown)
        self.addCleanup(self.release.set)

    def hold(self, node: Node) -> None:
        self.ran.append(node.op)
        if node.op == "cut_tile":
            self.reached.set()
            self.assertTrue(self.release.wait(20))

    def key(self, stage: Stage) -> str:
        key = self.surface.keys[Role.COLOUR][stage]
        assert key is not None
        return key

    def ask(self, stage: Stage) -> Future[RenderFacts]:
        key = self.key(stage)

        def facts() -> RenderFacts:
            with self.ws.renderer.asked(key):
                return self.ws.renderer.facts(key, stage)

        return self.pool.submit(facts)

    def test_a_stop_reaches_into_the_step_and_holds_until_told_to_go_on(self) -> None:
        asked = self.ask(Stage.STEPS)
        self.assertTrue(self.reached.wait(20))
        self.assertEqual(making.get(self.ws, self.surface.id).doing, "Cut")
        stopped = making.stop(self.ws, self.surface.id)
        self.assertTrue(stopped.stopped)
        self.assertLess(stopped.done, stopped.total)
        self.release.set()
        with self.assertRaises(Conflict) as refused:
            asked.result(20)
        self.assertEqual(refused.exception.code, "stopped")
        # What was not begun yet is not begun either.
        before = len(self.ran)
        with self.assertRaises(Conflict):
            self.ask(Stage.SIZE).result(20)
        self.assertEqual(len(self.ran), before)
        making.go_on(self.ws, self.surface.id)
        self.assertEqual(self.ask(Stage.SIZE).result(20).width, 128)
        self.assertFalse(making.get(self.ws, self.surface.id).stopped)

    def test_an_edit_drops_what_only_the_former_state_needs(self) -> None:
        asked = self.ask(Stage.STEPS)
        self.assertTrue(self.reached.wait(20))
        swap = set_step(self.surface.document, Role.COLOUR, 1, MirrorTile())
        changed = self.edit(self.surface, swap)
        self.release.set()
        with self.assertRaises(NotWanted):
            asked.result(20)
        self.surface = changed
        scores = self.ask(Stage.STEPS).result(20).scores
        assert scores is not None
        self.surface = surfaces.undo(self.ws, changed.id, changed.revision)
        self.assertFalse(self.ask(Stage.STEPS).result(20).scores == scores)

    def test_work_that_another_still_waits_for_is_not_stopped(self) -> None:
        first = self.ask(Stage.STEPS)
        self.assertTrue(self.reached.wait(20))
        second = self.ask(Stage.SIZE)
        while not self.ws.renderer.at_work([self.key(Stage.SIZE)]):
            self.assertFalse(second.done())
        self.ws.renderer.drop([self.key(Stage.STEPS)])
        self.release.set()
        with self.assertRaises(NotWanted):
            first.result(20)
        self.assertEqual(second.result(20).width, 128)
        self.assertEqual(self.ran.count("cut_tile"), 1)

    def test_the_count_goes_up_to_all_that_the_sheet_shows(self) -> None:
        self.release.set()
        begun = making.get(self.ws, self.surface.id)
        for by_stage in self.surface.keys.values():
            for stage, key in by_stage.items():
                if key is not None and stage is not Stage.RAW:
                    self.ws.renderer.facts(key, stage)
        done = making.get(self.ws, self.surface.id)
        self.assertEqual((begun.done, done.done), (0, done.total))
        self.assertEqual(done.total, begun.total)
        self.assertIsNone(done.doing)
