"""``stone-stack apply``, as a person types it."""

from __future__ import annotations

import io
import json

import numpy as np
from PIL import Image

from stonestack.core.document import Mask, Step
from stonestack.core.document.recipe import Recipe
from stonestack.core.kinds.references import MapRef
from stonestack.core.steps.another import AnotherMap
from stonestack.core.steps.channels import Invert
from stonestack.core.steps.detail import Blur
from stonestack.core.steps.fill import Fill
from stonestack.core.steps.masks.rectangle import Rectangle
from stonestack.core.tables.roles import Role
from tests.cli.test_commands import CommandCase
from tests.support import raw_picture

LEFT = Mask(id="left", title="Left", shape=Rectangle(x=0, y=0, width=0.5, height=1, soft=0))


class Apply(CommandCase):
    def recipe(
        self, *steps: Step, masks: tuple[Mask, ...] = (), role: Role = Role.COLOUR
    ) -> object:
        made = Recipe(title="Trial", role=role, steps=steps, masks=masks)
        return self.saved("recipe.json", made.model_dump_json().encode())

    def test_a_recipe_is_used_on_a_picture_inside_its_mask(self) -> None:
        recipe = self.recipe(Step(mask="left", params=Fill(colour="#1289ef")), masks=(LEFT,))
        source, out = self.saved("in.png", raw_picture()), self.root / "out.png"
        self.assertEqual(self.run_command("apply", recipe, source, out), (0, "", ""))
        before, after = (np.array(Image.open(p).convert("RGB")) for p in (source, out))
        half = before.shape[1] // 2
        self.assertEqual(after[50, 20].tolist(), [0x12, 0x89, 0xEF])
        np.testing.assert_array_equal(after[:, half + 2 : -2], before[:, half + 2 : -2])

    def test_sixteen_bits_stay_so_and_upside_down_twice_is_the_same(self) -> None:
        ramp = np.arange(64 * 64, dtype=np.uint16).reshape(64, 64) * 16
        buffer = io.BytesIO()
        Image.fromarray(ramp).save(buffer, "PNG")
        source, out = self.saved("in.png", buffer.getvalue()), self.root / "out.png"
        recipe = self.recipe(Step(params=Invert()), Step(params=Invert()), role=Role.HEIGHT)
        self.assertEqual(self.run_command("apply", recipe, source, out)[0], 0)
        np.testing.assert_array_equal(np.array(Image.open(out)), ramp)

    def test_a_tile_is_blurred_over_its_edges_when_it_is_said_to_be_one(self) -> None:
        image = np.zeros((64, 64, 3), np.uint8)
        image[:, :4] = 255
        buffer = io.BytesIO()
        Image.fromarray(image).save(buffer, "PNG")
        source = self.saved("in.png", buffer.getvalue())
        recipe = self.recipe(Step(params=Blur(radius=4)))
        seen = {}
        for tiles in ("yes", "no"):
            out = self.root / f"{tiles}.png"
            self.assertEqual(self.run_command("apply", recipe, source, out, "--tiles", tiles)[0], 0)
            seen[tiles] = int(np.array(Image.open(out))[32, -1, 0])
        self.assertGreater(seen["yes"], 60)
        self.assertEqual(seen["no"], 0)

    def test_another_map_is_given_beside(self) -> None:
        recipe = self.recipe(Step(params=AnotherMap(map=MapRef(map="occlusion"))))
        source, out = self.saved("in.png", raw_picture()), self.root / "out.png"
        code, _, err = self.run_command("apply", recipe, source, out)
        self.assertEqual(code, 1)
        self.assertIn("occlusion", err)
        buffer = io.BytesIO()
        Image.new("L", (32, 32), 90).save(buffer, "PNG")
        other = self.saved("other.png", buffer.getvalue())
        words = ("apply", recipe, source, out, "--with", f"occlusion={other}")
        self.assertEqual(self.run_command(*words)[0], 0)

    def test_bad_words_are_answered_and_nothing_is_written(self) -> None:
        recipe, source = self.recipe(Step(params=Blur())), self.saved("in.png", raw_picture())
        out = self.root / "out.png"
        cases: tuple[tuple[object, ...], ...] = (
            (recipe, source),
            (recipe, source, source),
            (source, source, out),
            (recipe, source, self.root / "out.dds"),
            (recipe, source, out, "--role", "nothing"),
            (recipe, source, out, "--with", "height"),
            (recipe, self.saved("no.png", b"no picture"), out),
            (self.root / "nowhere.json", source, out),
        )
        for words in cases:
            with self.subTest(words):
                code, _, err = self.run_command("apply", *words)
                self.assertNotEqual(code, 0)
                self.assertTrue(err)
                self.assertFalse(out.exists())

    def test_the_description_of_recipes_is_printed(self) -> None:
        code, out, _ = self.run_command("apply", "--schema")
        self.assertEqual(code, 0)
        self.assertIn("steps", json.loads(out)["properties"])
