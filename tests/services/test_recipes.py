"""Recipes and strokes in a project: on several surfaces as one action, out, in, and undone."""

from __future__ import annotations

from stonestack.core.document import Mask, Step, edits, recipes
from stonestack.core.document.recipe import Recipe
from stonestack.core.runtime.errors import BadRequest
from stonestack.core.steps.detail import Blur
from stonestack.core.steps.masks.strokes import Stroke, StrokePoint, Strokes
from stonestack.core.steps.tone import Tone
from stonestack.core.tables.roles import Role
from stonestack.services.documents import projects, strokes, surfaces
from stonestack.services.documents import recipes as in_project
from tests.services.test_surfaces import SurfaceCase

LINE = Stroke(size=0.1, soft=0.2, points=(StrokePoint(x=0.1, y=0.5), StrokePoint(x=0.9, y=0.5)))


class OverSurfaces(SurfaceCase):
    def test_it_comes_on_all_as_one_action_and_is_undone_at_once(self) -> None:
        project = self.project_id()
        others = [surfaces.create(self.ws, project, f"Wall {n}", f"wall_{n}") for n in (1, 2)]
        recipe = Recipe(
            title="Soft", steps=(Step(params=Blur()), Step(params=Tone(saturation=0.5)))
        )
        ids = [other.id for other in others]
        count = in_project.put_on_many(self.ws, project, recipe, [*ids, ids[0]], Role.COLOUR, False)
        self.assertEqual(count, 2)
        now = [surfaces.get(self.ws, one) for one in ids]
        for one in now:
            colour = one.document.of_role(Role.COLOUR)
            assert colour
            self.assertEqual([s.params.kind for s in colour.steps][-2:], ["blur", "tone"])
        surfaces.undo(self.ws, ids[0], now[0].revision)
        for one, before in zip(ids, others, strict=True):
            self.assertEqual(surfaces.get(self.ws, one).document, before.document)

    def test_where_one_cannot_have_it_none_gets_it(self) -> None:
        project = self.project_id()
        other = surfaces.create(self.ws, project, "Bare wall", "bare_wall")
        recipe = Recipe(title="Soft", steps=(Step(params=Blur()),))
        bare = surfaces.edit(self.ws, other.id, other.revision, edits.AddMap(role=Role.EMISSIVE))
        with self.assertRaises(BadRequest):
            in_project.put_on_many(
                self.ws, project, recipe, [bare.id, self.surface.id], Role.EMISSIVE, False
            )
        self.assertEqual(surfaces.get(self.ws, bare.id).revision, bare.revision)

    def test_a_preset_is_kept_with_the_project(self) -> None:
        project = self.project_id()
        recipe = Recipe(title="Soft", steps=(Step(params=Blur()),))
        projects.adjust(self.ws, project, presets=(recipe,))
        self.assertEqual(projects.get(self.ws, project).settings.presets, (recipe,))

    def project_id(self) -> str:
        return projects.listed(self.ws)[0].id


class Drawn(SurfaceCase):
    def test_strokes_are_added_one_after_another_and_each_state_is_kept(self) -> None:
        empty = strokes.added(self.ws, None, None)
        one = strokes.added(self.ws, empty.sha256, LINE)
        two = strokes.added(self.ws, one.sha256, LINE)
        self.assertEqual([r.count for r in (empty, one, two)], [0, 1, 2])
        self.assertEqual(strokes.added(self.ws, empty.sha256, LINE), one)

    def test_a_drawn_mask_goes_out_and_comes_in_with_its_recipe(self) -> None:
        ref = strokes.added(self.ws, None, LINE)
        mask = Mask(id="drawn", title="Drawn", shape=Strokes(strokes=ref))
        surface = self.edit(self.surface, edits.AddMask(mask=mask))
        colour = surface.document.of_role(Role.COLOUR)
        assert colour
        step = Step(mask="drawn", params=Tone(brightness=0.5))
        surface = self.edit(surface, edits.AddStep(map=colour.id, step=step))
        taken = in_project.taken(self.ws, surface.id, colour.id)
        data = in_project.put_out(self.ws, taken)
        self.ws.files.path(ref.sha256).unlink()
        self.assertEqual(in_project.bring(self.ws, data), taken)
        self.assertEqual(recipes.read_recipe(data)[0], taken)
        self.assertEqual(strokes.added(self.ws, ref.sha256, None), ref)
