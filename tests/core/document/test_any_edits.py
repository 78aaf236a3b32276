"""Surfaces after any edits at all, drawn at random: what has to hold whatever somebody does."""

import random
import unittest
from collections.abc import Callable
from typing import Any

from pydantic import ValidationError

from stonestack.core.document import (
    MapOrigin,
    Mask,
    Stage,
    Step,
    Surface,
    edits,
    new_surface,
    rebuilt,
)
from stonestack.core.document.leaving import leaving
from stonestack.core.document.surface import SCHEMA
from stonestack.core.document.upgrades import read_values
from stonestack.core.graph.ops import OPERATIONS
from stonestack.core.graph.parts import contents_of, parts_of
from stonestack.core.graph.wiring import Wiring
from stonestack.core.kinds.node import Node, closure, ordered
from stonestack.core.kinds.references import SourceRef
from stonestack.core.picture.blending import Blend
from stonestack.core.runtime.errors import BadRequest
from stonestack.core.steps import STEPS
from stonestack.core.steps.masks.rectangle import Rectangle
from stonestack.core.tables.matters import Matter
from stonestack.core.tables.roles import Role
from stonestack.core.tables.sizing import Size
from stonestack.core.tables.targets import TARGETS
from tests.core.document.test_surface import ORIGIN
from tests.core.graph.test_graph import EXAMPLES
from tests.sizes import times

Draw = Callable[[random.Random, Surface], Any]


def _map(chance: random.Random, surface: Surface) -> str:
    return chance.choice(surface.maps).id


def _params(chance: random.Random, surface: Surface) -> Any:
    kind = chance.choice(sorted(STEPS))
    values = {**EXAMPLES.get(kind, {})}
    if kind == "another_map":
        values = {"map": {"map": _map(chance, surface)}}
    return STEPS[kind].params.model_validate(values)


def _add_step(chance: random.Random, surface: Surface) -> Any:
    step = Step(params=_params(chance, surface))
    return edits.AddStep(map=_map(chance, surface), step=step)


def _some_step(chance: random.Random, surface: Surface) -> tuple[str, Step]:
    having = [(m.id, step) for m in surface.maps for step in m.steps]
    return chance.choice(having)


def _set_step(chance: random.Random, surface: Surface) -> Any:
    map_id, step = _some_step(chance, surface)
    changes: dict[str, Any] = {
        "enabled": chance.random() < 0.7,
        "amount": chance.choice([0, 0.5, 1, 1.5]),
        "blend": chance.choice(list(Blend)),
        "mask": chance.choice([None, *(m.id for m in surface.masks)]),
        "params": _params(chance, surface),
    }
    name = chance.choice(sorted(changes))
    return edits.SetStep(map=map_id, step=rebuilt(step, **{name: changes[name]}))


def _remove_step(chance: random.Random, surface: Surface) -> Any:
    map_id, step = _some_step(chance, surface)
    return edits.RemoveStep(map=map_id, step=step.id)


def _move_step(chance: random.Random, surface: Surface) -> Any:
    map_id, step = _some_step(chance, surface)
    ids = [s.id for s in surface.map(map_id).steps if s.id != step.id]
    return edits.MoveStep(map=map_id, step=step.id, before=chance.choice([None, *ids]))


def _mask(chance: random.Random) -> Rectangle:
    places = [round(chance.uniform(-1, 1), 4) for _ in range(2)]
    sides = [round(chance.uniform(0.005, 1), 4) for _ in range(2)]
    return Rectangle(x=places[0], y=places[1], width=sides[0], height=sides[1])


def _add_mask(chance: random.Random, surface: Surface) -> Any:
    number = len(surface.masks) + 1
    on = chance.choice(["tile", "source"])
    return edits.AddMask(mask=Mask(title=f"Part {number}", shape=_mask(chance), on=on))


def _add_limited(chance: random.Random, surface: Surface) -> Any:
    added = _add_step(chance, surface)
    mask = Mask(title=f"Part {len(surface.masks) + 1}", shape=_mask(chance))
    return edits.AddLimited(map=added.map, step=added.step, mask=mask)


def _set_mask(chance: random.Random, surface: Surface) -> Any:
    mask = chance.choice(surface.masks)
    return edits.SetMask(mask=rebuilt(mask, inverted=not mask.inverted, shape=_mask(chance)))


def _remove_mask(chance: random.Random, surface: Surface) -> Any:
    return edits.RemoveMask(mask=chance.choice(surface.masks).id)


def _origin(chance: random.Random, surface: Surface) -> Any:
    if chance.random() < 0.5:
        side = chance.choice([64, 300, 1024])
        file = ORIGIN.model_copy(
            update={"sha256": f"{chance.randrange(256):02x}" * 32, "width": side, "height": side}
        )
        return edits.SetOrigin(map=_map(chance, surface), origin=file)
    origin = MapOrigin(map=_map(chance, surface))
    return edits.SetOrigin(map=_map(chance, surface), origin=origin)


def _size(chance: random.Random, surface: Surface) -> Any:
    width, height = (chance.choice([32, 128, 512]) for _ in range(2))
    return edits.SetSize(
        map=_map(chance, surface),
        size=Size(width=width, height=height),
        all_maps=chance.random() < 0.5,
    )


def _level(chance: random.Random, surface: Surface) -> Any:
    own = SourceRef(sha256=f"{chance.randrange(256):02x}" * 32, name="far.png")
    picture = chance.choice([own, own, None])
    return edits.SetLevel(map=_map(chance, surface), level=chance.randint(1, 9), picture=picture)


DRAWN: tuple[Draw, ...] = (
    *(_add_step, _set_step, _set_step, _remove_step, _move_step, _add_mask, _set_mask),
    *(_remove_mask, _origin, _origin, _size, _level, _add_limited),
    lambda chance, _surface: edits.AddMap(role=chance.choice(list(Role))),
    lambda chance, surface: edits.RemoveMap(map=_map(chance, surface)),
    lambda chance, _surface: edits.Rename(title=f"Called {chance.randrange(99)}"),
    lambda chance, _surface: edits.KeepWhole(on=chance.random() < 0.5),
    lambda chance, _surface: edits.SetMatter(matter=chance.choice(list(Matter))),
)


def edited(seed: int, count: int = 25) -> list[Surface]:
    """Return a surface after each of so many edits that were not refused."""
    chance = random.Random(seed)
    passed = [new_surface("Wall", "wall")]
    while len(passed) <= count:
        surface = passed[-1]
        try:
            passed.append(chance.choice(DRAWN)(chance, surface).apply(surface))
        except (BadRequest, ValidationError, IndexError):
            continue  # Refused in words, or nothing of that kind is there yet.
    return passed


class AnyEdits(unittest.TestCase):
    seeds = range(times(400, 15))

    def keys(self, surface: Surface) -> dict[str, dict[Stage, str | None]]:
        return Wiring(surface).stages()

    def test_what_is_stored_comes_back_as_it_was_with_every_key(self) -> None:
        for seed in self.seeds:
            with self.subTest(seed=seed):
                surface = edited(seed)[-1]
                again = Surface.model_validate_json(surface.model_dump_json())
                self.assertEqual(again, surface)
                self.assertEqual(self.keys(again), self.keys(surface))
                values = read_values("surface", surface.model_dump_json(), SCHEMA)
                self.assertEqual(Surface.model_validate(values), surface)

    def test_every_node_is_what_its_key_says_and_takes_what_it_is_given(self) -> None:
        for seed in self.seeds:
            with self.subTest(seed=seed):
                wiring = Wiring(edited(seed)[-1])
                wiring.stages()
                for key, node in wiring.graph.items():
                    self.assertEqual(node.key, key)
                    same = Node(node.op, node.version, node.params, node.inputs, node.blobs)
                    self.assertEqual(same.key, key)
                    operation = OPERATIONS[node.op]
                    operation.params.model_validate(node.values)
                    for at in node.inputs:
                        self.assertIn(at, wiring.graph)

    def test_a_graph_grows_with_its_recipe_and_not_with_its_paths(self) -> None:
        for seed in self.seeds:
            with self.subTest(seed=seed):
                surface = edited(seed, 60)[-1]
                wiring = Wiring(surface)
                wiring.stages()
                steps = sum(len(m.steps) for m in surface.maps)
                maps = len(surface.maps)
                # A map that moves with another repeats the other's geometry, never its whole.
                self.assertLess(len(wiring.graph), 40 + 8 * maps * (steps + maps))

    def test_edits_of_words_change_no_picture(self) -> None:
        for seed in self.seeds:
            with self.subTest(seed=seed):
                surface = edited(seed)[-1]
                renamed = edits.Rename(title="Something else").apply(surface)
                self.assertEqual(self.keys(renamed), self.keys(surface))
                named = [rebuilt(mask, title="Called so") for mask in surface.masks]
                for mask in named:
                    renamed = edits.SetMask(mask=mask).apply(renamed)
                self.assertEqual(self.keys(renamed), self.keys(surface))

    def test_a_change_reaches_the_maps_that_read_it_and_no_other(self) -> None:
        for seed in self.seeds:
            surface = edited(seed)[-1]
            before = self.keys(surface)
            for m in surface.maps:
                step = Step(params=STEPS["levels"].params.model_validate({"black": 0.07}))
                try:
                    after = edits.AddStep(map=m.id, step=step).apply(surface)
                except (BadRequest, ValidationError):
                    continue
                found = self.keys(after)
                changed = {
                    other.id
                    for other in surface.maps
                    if found[other.id][Stage.STEPS] != before[other.id][Stage.STEPS]
                }
                with self.subTest(seed=seed, map=m.id):
                    allowed, grown = {m.id}, True
                    while grown:
                        reading = {
                            o.id
                            for o in surface.maps
                            if (set(surface.reads(o)) | {o.moves_with}) & allowed
                        }
                        # Maps with files of their own move as the colour does.
                        if "colour" in allowed:
                            reading |= {o.id for o in surface.maps}
                        grown = not reading <= allowed
                        allowed |= reading
                    self.assertLessEqual(changed, allowed)

    def test_edits_that_are_taken_back_give_the_same_keys(self) -> None:
        for seed in self.seeds:
            passed = edited(seed, 12)
            with self.subTest(seed=seed):
                first = [self.keys(surface) for surface in passed]
                second = [self.keys(surface) for surface in reversed(passed)]
                self.assertEqual(first, list(reversed(second)))

    def test_a_passing_look_has_the_shape_of_the_whole(self) -> None:
        for seed in self.seeds:
            with self.subTest(seed=seed):
                surface = edited(seed)[-1]
                whole, small = Wiring(surface).stages(), Wiring(surface, longest=512).stages()
                for map_id, stages in whole.items():
                    for stage, key in stages.items():
                        self.assertEqual(key is None, small[map_id][stage] is None)

    def test_for_every_target_a_surface_leaves_by_paths_of_its_own(self) -> None:
        for seed in self.seeds:
            surface = edited(seed)[-1]
            for target in TARGETS.values():
                with self.subTest(seed=seed, target=target.name):
                    wiring = Wiring(surface, target=target)
                    parts = parts_of(wiring, "id", ())
                    paths = [part.path.lower() for part in parts]
                    self.assertEqual(len(paths), len(set(paths)))
                    for part in parts:
                        m = surface.map(part.map or "")
                        self.assertTrue(leaving(surface, m, target).delivered)
                        self.assertTrue(part.path.endswith(".dds"), part.path)
                    self.assertEqual(
                        contents_of(wiring.graph, parts),
                        contents_of(wiring.graph, list(reversed(parts))),
                    )

    def test_a_closure_is_all_that_a_key_needs_and_nothing_else(self) -> None:
        for seed in self.seeds:
            wiring = Wiring(edited(seed)[-1])
            for stages in wiring.stages().values():
                key = stages[Stage.STEPS]
                if key is None:
                    continue
                with self.subTest(seed=seed):
                    needed = closure(wiring.graph, [key])
                    order = [n.key for n in ordered(key, wiring.graph.__getitem__)]
                    self.assertEqual(set(needed), set(order))
                    self.assertEqual(order[-1], key)
                    for node in needed.values():
                        self.assertLessEqual(set(node.inputs), set(needed))


if __name__ == "__main__":
    unittest.main()
