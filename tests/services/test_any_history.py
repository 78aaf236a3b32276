"""Histories drawn at random, held against a plain model; lists held against working them out."""

import random
import unittest
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import text

from stonestack.core.document import edits, rebuilt
from stonestack.core.document.deliveries import Delivery
from stonestack.core.runtime.errors import BadRequest, Conflict
from stonestack.core.steps.levels import Levels
from stonestack.core.tables.roles import Role
from stonestack.core.tables.sizing import Size
from stonestack.services.delivery import deliveries
from stonestack.services.documents import materials, projects, revisions, surfaces
from stonestack.services.documents.surfaces import SurfaceView
from tests.services.test_surfaces import SurfaceCase
from tests.sizes import times
from tests.support import add_step, set_output, take_back


@dataclass
class Model:
    """What a history is: a tree, a place in it, and for each node the branch last gone along."""

    titles: dict[int, str]
    head: int
    parents: dict[int, int] = field(default_factory=dict)
    last: dict[int, int] = field(default_factory=dict)

    def grown(self, revision: int, title: str) -> None:
        assert revision not in self.titles
        self.titles[revision], self.parents[revision] = title, self.head
        self.last[self.head] = revision
        self.head = revision


class AnyHistory(SurfaceCase):
    def do(self, chance: random.Random, model: Model, view: SurfaceView, n: int) -> SurfaceView:
        """Do something to the surface and to the model."""
        what = chance.choice(["edit", "edit", "undo", "undo", "redo", "take back"])
        if what == "edit":
            view = self.edit(view, edits.Rename(title=f"Title {n}"))
            model.grown(view.revision, f"Title {n}")
        elif what == "undo" and model.head in model.parents:
            view = surfaces.undo(self.ws, view.id, view.revision)
            model.last[model.parents[model.head]] = model.head
            model.head = model.parents[model.head]
        elif what == "redo":
            if model.head in model.last:
                view = surfaces.redo(self.ws, view.id, view.revision)
                model.head = model.last[model.head]
            else:
                with self.assertRaises((BadRequest, Conflict)):
                    surfaces.redo(self.ws, view.id, view.revision)
        elif what == "take back":
            known = sorted(set(model.titles) - {model.head})
            if known:
                wanted = chance.choice(known)
                title = model.titles[wanted]
                view = take_back(self.ws, view.id, view.revision, wanted)
                model.grown(view.revision, title)
        return view

    def test_it_is_the_tree_and_the_place_in_it_that_was_walked(self) -> None:
        for seed in range(times(60, 6)):
            chance = random.Random(seed)
            view = surfaces.create(self.ws, self.project.id, "Begun", f"begun_{seed}")
            model = Model({view.revision: view.document.title}, view.revision)
            for n in range(30):
                with self.subTest(seed=seed, n=n):
                    view = self.do(chance, model, view, n)
                    self.assertEqual(view.revision, model.head)
                    self.assertEqual(view.document.title, model.titles[model.head])
                    self.assertEqual(view.redo is not None, model.head in model.last)
                    # What nobody has looked at for long is as it was.
                    some = chance.choice(sorted(model.titles))
                    kept = surfaces.revision_keys(self.ws, view.id, some)
                    self.assertEqual((kept.number, "colour" in kept.keys), (some, True))
                if n == 15:
                    # A new start knows the same.
                    self.ws = self.opened()
                    again = surfaces.get(self.ws, view.id)
                    self.assertEqual((again.revision, again.redo), (view.revision, view.redo))
            listed = {entry.id for entry in revisions.listed(self.ws, view.id)}
            self.assertLessEqual(set(model.titles), listed)

    def test_an_edit_on_any_other_base_is_a_conflict_and_changes_nothing(self) -> None:
        chance = random.Random(3)
        view = surfaces.get(self.ws, self.surface.id)
        model = Model({view.revision: view.document.title}, view.revision)
        for n in range(25):
            view = self.do(chance, model, view, n)
        for base in sorted(model.titles):
            if base == view.revision:
                continue
            for act in (
                lambda at: surfaces.edit(self.ws, view.id, at, edits.Rename(title="Late")),
                lambda at: surfaces.undo(self.ws, view.id, at),
                lambda at: surfaces.redo(self.ws, view.id, at),
            ):
                with self.assertRaises(Conflict):
                    act(base)
        self.assertEqual(surfaces.get(self.ws, view.id).revision, view.revision)


class KeptSummaries(SurfaceCase):
    """What lists show is kept beside documents; it has to be what working it out would give."""

    def setUp(self) -> None:
        super().setUp()
        self.other = surfaces.create(self.ws, self.project.id, "Other", "other")
        document = Delivery(
            title="All",
            name="all",
            target="saltglass",
            surfaces=(self.surface.id, self.other.id),
        )
        self.delivery = deliveries.create(self.ws, self.project.id, document)

    def lists(self) -> list[Any]:
        project = self.project.id
        found = [
            surfaces.listed(self.ws, project),
            materials.listed(self.ws, project),
            deliveries.listed(self.ws, project),
        ]
        return [[one.model_dump(mode="json") for one in part] for part in found]

    def worked_out(self) -> list[Any]:
        with self.ws.engine.begin() as connection:
            connection.execute(text("UPDATE document SET summary = '', summary_of = ''"))
        return self.lists()

    def act(self, chance: random.Random, n: int) -> None:
        """Do something, to a surface, its material, the delivery or the project."""
        one = surfaces.get(self.ws, chance.choice([self.surface.id, self.other.id]))
        what = chance.randrange(8)
        side = chance.choice([32, 64, 128])
        if what == 0:
            self.edit(one, edits.Rename(title=f"Called {n}"))
        elif what == 1:
            self.edit(one, add_step(Role.COLOUR, Levels(black=round(0.01 * (n % 30), 2))))
        elif what == 2:
            size = Size(width=side, height=side)
            self.edit(one, edits.SetSize(map=Role.COLOUR, size=size, all_maps=True))
        elif what == 3:
            self.edit(one, set_output(Role.COLOUR, name=f"name_{n}"))
        elif what == 4 and one.material_id:
            view = materials.get(self.ws, one.material_id)
            gloss = round(chance.random(), 2)
            changed = rebuilt(view.document, gloss=gloss, metres=float(chance.randint(1, 4)))
            materials.change(self.ws, view.id, view.revision, changed)
        elif what == 5:
            targets = chance.choice([("saltglass",), ("loose",), ("saltglass", "loose")])
            projects.adjust(self.ws, self.project.id, targets=targets)
        elif what == 6:
            revisions.undo(self.ws, one.id, one.revision)
        else:
            view = deliveries.get(self.ws, self.delivery.id)
            chosen = chance.choice([(self.surface.id,), (self.surface.id, self.other.id)])
            document = rebuilt(view.document, surfaces=chosen)
            deliveries.change(self.ws, view.id, view.revision, document)

    def test_after_whatever_was_done_they_are_what_working_out_gives(self) -> None:
        for seed in range(times(20, 2)):
            chance = random.Random(seed)
            for n in range(14):
                try:
                    self.act(chance, n)
                except BadRequest:
                    continue  # Nothing to undo, or no change at all.
                with self.subTest(seed=seed, n=n):
                    kept = self.lists()
                    self.assertEqual(kept, self.worked_out())
                    self.assertEqual(kept, self.lists())


if __name__ == "__main__":
    unittest.main()
