"""What is different between two states of a surface, said line by line."""

from __future__ import annotations

import unittest

from stonestack.core.document import Map, Mask, Step, Surface, differences, edits, rebuilt
from stonestack.core.kinds.references import MapRef, MaskRef, SourceRef, StrokesRef
from stonestack.core.steps.exposure import Exposure
from stonestack.core.steps.levels import Levels
from stonestack.core.steps.masks.rectangle import Rectangle
from stonestack.core.steps.tone import Tone
from stonestack.core.tables.roles import Role
from stonestack.core.tables.sizing import Fit, Size
from tests.core.graph.test_identity import plain

LEFT = Mask(id="left", title="Left", shape=Rectangle(width=0.4))


def done(surface: Surface, *changes: edits.Edit) -> Surface:
    for change in changes:
        surface = change.apply(surface)
    return surface


def added(step_id: str, params: Tone | Levels | Exposure) -> edits.AddStep:
    return edits.AddStep(map="colour", step=Step(id=step_id, params=params))


class Between(unittest.TestCase):
    def lines(self, *changes: edits.Edit, start: Surface | None = None) -> list[str]:
        before = start or plain()
        return differences.between(before, done(before, *changes))

    def test_a_state_and_itself_are_alike(self) -> None:
        self.assertEqual(self.lines(), [])
        there_and_back = (added("t", Tone()), edits.RemoveStep(map="colour", step="t"))
        self.assertEqual(self.lines(*there_and_back), [])

    def test_many_changes_of_one_step_are_one_line_with_what_they_came_to(self) -> None:
        start = done(plain(), added("t", Tone()), edits.AddMask(mask=LEFT))
        step = Step(id="t", params=Tone(brightness=1.2))
        moves = [
            edits.SetStep(map="colour", step=step),
            edits.SetStep(map="colour", step=rebuilt(step, params=Tone(brightness=1.5))),
            edits.SetStep(
                map="colour",
                step=Step(
                    id="t",
                    mask="left",
                    amount=0.5,
                    params=Tone(brightness=1.5, saturation=0.25),
                ),
            ),
        ]
        self.assertEqual(
            self.lines(*moves, start=start),
            ["Colour: Tone, on Left, amount 0.5, brightness 1.5, saturation 0.25"],
        )

    def test_steps_added_removed_switched_off_and_put_in_order(self) -> None:
        start = done(plain(), added("a", Tone()), added("b", Levels()), added("c", Exposure()))
        off = rebuilt(start.map("colour").step("b"), enabled=False)
        got = self.lines(
            edits.RemoveStep(map="colour", step="a"),
            edits.SetStep(map="colour", step=off),
            edits.MoveStep(map="colour", step="c", before="b"),
            added("d", Tone()),
            start=start,
        )
        self.assertEqual(
            got,
            [
                "Colour: Levels, off",
                "Colour: Tone added",
                "Colour: Tone removed",
                "Colour: steps in another order",
            ],
        )

    def test_maps_sizes_and_masks(self) -> None:
        start = done(plain(), edits.AddMask(mask=LEFT))
        size = Size(width=64, height=32, fit=Fit.REPEAT)
        got = self.lines(
            edits.Rename(title="Yard wall"),
            edits.AddMap(role=Role.BLEND),
            edits.RemoveMap(map="specular"),
            edits.SetSize(map="colour", size=size),
            edits.SetMask(mask=rebuilt(LEFT, feather=2.0)),
            edits.AddMask(mask=Mask(id="top", title="Top", shape=Rectangle())),
            start=start,
        )
        was = start.map("colour").size
        self.assertEqual(
            got,
            [
                "Renamed from Wall to Yard wall",
                f"Colour: {was.width} × {was.height} to 64 × 32",
                "Blend added",
                "Specular removed",
                "Mask Left changed",
                "Mask Top added",
            ],
        )

    def test_it_is_the_other_way_round_from_the_other_side(self) -> None:
        before = plain()
        after = done(before, added("t", Tone()), edits.AddMask(mask=LEFT))
        self.assertEqual(
            differences.between(after, before), ["Colour: Tone removed", "Mask Left removed"]
        )

    def test_what_is_referred_to_goes_by_its_name(self) -> None:
        surface = done(plain(), edits.AddMask(mask=LEFT))
        said = {
            MapRef(map="normal"): "normal",
            MapRef(map="gone"): "a map that is gone",
            MaskRef(mask="left"): "Left",
            SourceRef(sha256="ab" * 32, name="moss.png"): "moss.png",
            StrokesRef(sha256="ab" * 32, count=3): "3",
        }
        for value, words in said.items():
            self.assertEqual(differences.said(value, surface), words)
        for value, words in ((None, "none"), (True, "on"), (0.30000000000000004, "0.3")):
            self.assertEqual(differences.said(value, surface), words)


class Origins(unittest.TestCase):
    def test_another_file_another_map_and_none(self) -> None:
        surface = plain()
        colour = surface.map("colour")
        assert colour.origin is not None
        other = rebuilt(colour.origin, sha256="ef" * 32, name="other.png")
        self.assertEqual(
            differences.between(surface, surface.with_map(rebuilt(colour, origin=other))),
            ["Colour: begins with other.png"],
        )
        self.assertEqual(
            differences.between(surface, surface.with_map(rebuilt(colour, origin=None))),
            ["Colour: no origin"],
        )

    def test_every_field_of_a_map_that_can_differ_is_told(self) -> None:
        told = {
            "origin",
            "steps",
            "frozen",
            "moves_with",
            "colours",
            "size",
            "returned",
            "levels",
            "outputs",
        }
        # Its id and role never change; its place in the game goes with its file.
        self.assertEqual(set(Map.model_fields) - told, {"id", "role", "place"})
