"""Lists say what the documents say, work nothing out twice, and grow as what they hold."""

import unittest
from unittest import mock

from stonestack.core.document import Output, edits
from stonestack.core.document.deliveries import Delivery
from stonestack.core.tables.roles import Role
from stonestack.services.delivery import deliveries
from stonestack.services.documents import projects, summaries, surfaces
from stonestack.services.game import finding, indexing, sources
from stonestack.services.game.finding import Query
from stonestack.services.making import graphs
from tests.games import catalogued, colour_dds, entry, small_game
from tests.support import WorkspaceCase, raw_picture


class OneSurface(WorkspaceCase):
    def setUp(self) -> None:
        super().setUp()
        self.game = self.root / "game"
        (self.game / "base" / "textures").mkdir(parents=True)
        self.project = projects.create(self.ws, "Garden", self.game, "saltglass")
        source = sources.bring(self.ws, self.project.id, "wall.png", raw_picture())
        made = surfaces.create(self.ws, self.project.id, "Wall", "wall")
        change = edits.SetOrigin(map=Role.COLOUR, origin=source.origin)
        self.surface = surfaces.edit(self.ws, made.id, made.revision, change)

    def worked_out(self) -> mock._patch:
        return mock.patch.object(summaries, "_worked_out", wraps=summaries._worked_out)

    def faults(self) -> tuple[int, int]:
        """Return how many faults the bench shows, and how many the list."""
        view = surfaces.get(self.ws, self.surface.id)
        bench = sum(
            f.level == "fault"
            for output in view.outputs.values()
            if output.delivered
            for f in output.findings
        )
        [listed] = surfaces.listed(self.ws, self.project.id)
        return bench, listed.faults

    def test_a_list_says_as_many_faults_as_the_bench(self) -> None:
        bench, listed = self.faults()
        self.assertEqual(bench, listed)
        output = Output(format="bc4")
        change = edits.SetOutput(map=Role.SPECULAR, target="saltglass", output=output)
        view = surfaces.get(self.ws, self.surface.id)
        surfaces.edit(self.ws, view.id, view.revision, change)
        self.assertEqual(*self.faults())
        # The game comes to look up other names: both say so at once.
        (self.game / "base" / "textures" / "floor_c.dds").write_bytes(b"")
        bench, listed = self.faults()
        self.assertEqual(bench, listed)

    def test_other_rules_make_a_list_be_worked_out_anew(self) -> None:
        with self.worked_out() as made:
            surfaces.listed(self.ws, self.project.id)
            surfaces.listed(self.ws, self.project.id)
            self.assertEqual(made.call_count, 0)
            with mock.patch.object(summaries, "_code", return_value="other"):
                surfaces.listed(self.ws, self.project.id)
            self.assertEqual(made.call_count, 1)

    def test_a_delivery_for_another_target_and_the_list_do_not_take_turns(self) -> None:
        document = Delivery(title="L", name="l", target="loose", surfaces=(self.surface.id,))
        delivery = deliveries.create(self.ws, self.project.id, document)
        with self.worked_out() as made:
            for _ in range(3):
                view = deliveries.get(self.ws, delivery.id)
                surfaces.listed(self.ws, self.project.id)
                self.assertTrue(view.parts)
            self.assertLessEqual(made.call_count, 1)

    def test_a_picture_of_a_list_is_known_however_old_it_is(self) -> None:
        [before] = surfaces.listed(self.ws, self.project.id)
        with self.ws.engine.begin() as connection:
            connection.exec_driver_sql(
                "INSERT INTO node (key, op, version, params, inputs, blobs)"
                " VALUES ('newer', 'x', 1, '', '', '')"
            )
        with mock.patch.object(graphs, "_ROWS", 1):
            ws = self.opened()
        [after] = surfaces.listed(ws, self.project.id)
        self.assertEqual(after.keys, before.keys)
        for key in filter(None, after.keys.values()):
            self.assertTrue(ws.renderer.png(key, 32).startswith(b"\x89PNG"))


class AGamesFiles(WorkspaceCase):
    def setUp(self) -> None:
        super().setUp()
        self.game = small_game(self.root / "game")
        wall = self.game / "tex" / "wall_c.dds"
        (self.game / "tex" / "wall_n.dds").write_bytes(colour_dds(5))
        (self.game / "tex" / "copy_of_wall_c.dds").write_bytes(wall.read_bytes())
        self.id = catalogued(self.ws, self.game)

    def test_things_are_counted_over_all_pages(self) -> None:
        whole = finding.search(self.ws, self.id, Query())
        first = finding.search(self.ws, self.id, Query(limit=2))
        self.assertEqual(len(first.entries), 2)
        self.assertEqual((first.total, first.things), (whole.total, whole.things))
        self.assertEqual(whole.things, len({e.thing for e in whole.entries}))

    def test_the_same_picture_is_none_of_a_things_other_maps(self) -> None:
        normal = entry(self.ws, self.id, "tex/wall_n.dds").id or 0
        self.assertEqual(finding.more(self.ws, self.id, normal).same_picture, [])
        colour = entry(self.ws, self.id, "tex/wall_c.dds").id or 0
        found = [e.path for e in finding.more(self.ws, self.id, colour).same_picture]
        self.assertIn("tex/copy_of_wall_c.dds", found)
        self.assertNotIn("tex/wall_n.dds", found)

    def test_what_is_counted_is_what_is_there(self) -> None:
        counts, whole = finding.counts(self.ws, self.id), finding.everything(self.ws, self.id)
        pictures = [e for e in whole if e.width]
        self.assertEqual(counts.entries, len(whole))
        self.assertEqual(counts.pictures, len(pictures))
        self.assertEqual(counts.things, len({e.thing for e in pictures}))
        self.assertEqual(sum(counts.kinds.values()), len(whole))

    def test_an_index_grows_as_what_it_holds(self) -> None:
        held = 0

        class Counted(str):
            """A text that tells when it is held against another."""

            __hash__ = str.__hash__

            def __eq__(self, other: object) -> bool:
                nonlocal held
                held += 1
                return str.__eq__(self, other)  # type: ignore[arg-type]

        count = 2_000
        rows = [
            (n, f"t{n}", "dds", "", *("", "", "p"), *(4, 4, 1), "", 9, Counted(n), "map", "", "")
            for n in range(count)
        ]
        index = indexing._made(1, rows)
        self.assertEqual(len(index.ids), count)
        # Each against each would be four millions.
        self.assertLess(held, 20 * count)


if __name__ == "__main__":
    unittest.main()
