"""What is said of one step while it is worked on, on a surface with known pictures."""

from __future__ import annotations

import io

import numpy as np
from PIL import Image

from stonestack.core.document import Mask, Step, edits
from stonestack.core.kinds.references import SourceRef
from stonestack.core.runtime.errors import BadRequest
from stonestack.core.steps.exposure import Exposure
from stonestack.core.steps.lettering import Lettering
from stonestack.core.steps.masks.rectangle import Rectangle
from stonestack.core.steps.match import Match
from stonestack.core.tables.roles import Role
from stonestack.services.documents import projects, surfaces
from stonestack.services.game import sources
from stonestack.services.making import judging
from tests.services.test_surfaces import SurfaceCase


def level(value: int) -> bytes:
    buffer = io.BytesIO()
    Image.new("RGB", (64, 64), (value, value, value)).save(buffer, "PNG")
    return buffer.getvalue()


class Judging(SurfaceCase):
    def setUp(self) -> None:
        super().setUp()
        self.project = projects.listed(self.ws)[0].id
        made = surfaces.create(self.ws, self.project, "Level", "level")
        source = sources.blank(self.ws, self.project, 128, 128, "#808080")
        self.begun = self.edit(made, edits.SetOrigin(map="colour", origin=source.origin))

    def with_step(self, step: Step) -> None:
        self.begun = self.edit(self.begun, edits.AddStep(map="colour", step=step))

    def test_a_blank_canvas_is_one_colour_and_a_tile(self) -> None:
        origin = self.begun.document.map("colour").origin
        assert origin is not None and origin.kind == "source"
        self.assertTrue(origin.wraps)
        key = self.begun.keys["colour"]["source"]
        assert key
        picture = self.ws.renderer.picture(key)
        self.assertEqual((picture.width, picture.height), (128, 128))
        self.assertLess(float(np.ptp(picture.pixels)), 1e-6)

    def test_tones_are_those_that_the_step_gets(self) -> None:
        self.with_step(Step(id="a", params=Exposure(stops=-2)))
        self.with_step(Step(id="b", params=Exposure()))
        first = judging.histogram(self.ws, self.begun.id, "colour", "a").counts
        second = judging.histogram(self.ws, self.begun.id, "colour", "b").counts
        self.assertEqual([int(np.argmax(c)) for c in first], [32, 32, 32])
        self.assertTrue(all(int(np.argmax(c)) < 24 for c in second))

    def test_what_lies_inside_a_mask_is_measured(self) -> None:
        left = Mask(id="l", title="Left", shape=Rectangle(x=0, y=0, width=0.5, height=1, soft=0))
        self.begun = self.edit(self.begun, edits.AddMask(mask=left))
        for x, low, high in ((0.25, 0.99, 1), (0.75, 0, 0.01), (0.5, 0.3, 0.7)):
            name = f"t{round(100 * x)}"
            self.with_step(Step(id=name, params=Lettering(text="HH", x=x, width=0.3)))
            share = judging.inside(self.ws, self.begun.id, "colour", name, "l").share
            assert share is not None
            self.assertTrue(low <= share <= high, (x, share))
        self.with_step(Step(id="e", params=Exposure()))
        with self.assertRaises(BadRequest):
            judging.inside(self.ws, self.begun.id, "colour", "e", "l")

    def test_a_match_says_how_far_it_was_and_is(self) -> None:
        other = sources.bring(self.ws, self.project, "dark.png", level(60))
        ref = SourceRef(sha256=other.sha256, name="dark.png")
        self.with_step(Step(id="m", params=Match(picture=ref)))
        found = judging.differences(self.ws, self.begun.id, "colour", "m")
        assert found.before and found.after
        self.assertGreater(found.before.lightness, 15)
        self.assertAlmostEqual(found.after.lightness, 0, delta=0.3)

    def test_another_surface_s_tile_is_kept_as_it_is_now(self) -> None:
        ref = surfaces.keep_tile(self.ws, self.begun.id, Role.COLOUR)
        self.assertEqual((ref.width, ref.height, ref.name), (128, 128, "Level, colour"))
        self.with_step(Step(id="a", params=Exposure(stops=-2)))
        later = surfaces.keep_tile(self.ws, self.begun.id, Role.COLOUR)
        self.assertNotEqual(ref.sha256, later.sha256)
        self.assertTrue(self.ws.files.path(ref.sha256).is_file())
