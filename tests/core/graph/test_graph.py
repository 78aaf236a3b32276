"""Keys say all that a result depends on; equal work has equal keys; nothing is done twice."""

import itertools
import json
import unittest
from typing import Any, ClassVar

from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import BaseModel

from stonestack.core.document import Stage, Surface, edits, new_surface
from stonestack.core.graph import ops
from stonestack.core.graph.ops import OPERATIONS, File, Operation
from stonestack.core.graph.wiring import Wiring
from stonestack.core.kinds.node import Graph, Node, canonical, ordered
from stonestack.core.picture.image import Picture, Space
from stonestack.core.runtime.errors import BadRequest, NotFound
from stonestack.core.tables.roles import Role
from stonestack.core.tile.patches import PatchSpots, Spot
from tests.core.document.test_surface import ORIGIN, begun
from tests.support import colour_picture

EXAMPLES: dict[str, dict[str, Any]] = {
    "decode": {"space": "linear"},
    "limit": {"longest": 64},
    "resample": {"width": 8, "height": 8},
    "compress": {"format": "bc1"},
    "image": {"kind": "png"},
    "text": {"text": "words"},
    "contents": {"paths": ["a"]},
    "archive": {"paths": ["a"]},
    "replacement": {"space": "data"},
    "turn": {"green": "down"},
    "manifest": {"delivery": "a", "title": "A", "version": 1, "game": "g"},
    "normal_anew": {"colour": {"map": "colour"}},
    "height_anew": {"colour": {"map": "colour"}},
    "specular_anew": {"colour": {"map": "colour"}},
    "gloss_anew": {"colour": {"map": "colour"}},
    "roughness_anew": {"colour": {"map": "colour"}},
    "base_colour": {"specular": {"map": "specular"}},
    "colour_beside_metal": {"metalness": {"map": "metalness"}},
    "detail_normal": {"picture": {"sha256": "ab" * 32, "name": "a.png"}},
    "metalness_from_specular": {"specular": {"map": "specular"}},
    "relief_over": {"map": {"map": "height"}},
    "specular_from_metalness": {"metalness": {"map": "metalness"}},
    "spread_beneath": {"alpha": {"map": "alpha"}},
    "another_map": {"map": {"map": "height"}},
    "lay_picture": {"picture": {"sha256": "ab" * 32, "name": "a.png"}},
    "match": {"picture": {"sha256": "ab" * 32, "name": "a.png"}},
    "pattern": {"picture": {"sha256": "ab" * 32, "name": "a.png"}},
    "colour_range": {"map": {"map": "height"}},
    "value_range": {"map": {"map": "height"}},
    "another": {"mask": {"mask": "m"}},
    "border": {"mask": {"mask": "m"}},
    "raised": {"map": {"map": "height"}},
    "values_of_mask": {"mask": {"mask": "m"}},
    "pencil": {"strokes": {"sha256": "cd" * 32, "count": 1}},
    "strokes": {"strokes": {"sha256": "cd" * 32, "count": 1}},
    "patch_spots": {"spots": [{"x": 0.5, "y": 0.5, "radius": 0.1}]},
}
"""Parameters of the operations that have no usual ones."""


def example(operation: Operation) -> BaseModel:
    """Return parameters that an operation takes."""
    return operation.params.model_validate(EXAMPLES.get(operation.name.split(":")[-1], {}))


def changed(schema: dict[str, Any], value: Any) -> list[Any]:
    """Return other values that a parameter might have, as its schema tells."""
    if "enum" in schema:
        return [v for v in schema["enum"] if v != value]
    if isinstance(value, bool):
        return [not value]
    if isinstance(value, (int, float)):
        step = schema.get("multipleOf", 1 if isinstance(value, int) else 0.01)
        return [value + step, value - step]
    if isinstance(value, str):
        return [f"{value}x", "up", "down", "data"]
    return []


class Keys(unittest.TestCase):
    """Over every registered operation."""

    INPUTS: ClassVar[list[str]] = [f"{n:040x}" for n in range(8)]
    BLOBS: ClassVar[list[str]] = [f"{n:064x}" for n in range(4)]

    def node(self, operation: Operation, params: BaseModel | None = None) -> Node:
        inputs = self.INPUTS[: len(operation.takes)]
        if operation.more is not None:
            inputs = [*inputs, self.INPUTS[7]]
        return ops.node(
            operation.name, params or example(operation), inputs, self.BLOBS[: operation.blobs]
        )

    def test_any_change_of_a_parameter_changes_the_key(self) -> None:
        seen = 0
        for operation in OPERATIONS.values():
            params = example(operation)
            before = self.node(operation, params)
            schema = operation.params.model_json_schema()
            for name, value in params.model_dump(mode="json").items():
                field = schema["properties"][name]
                reference = field.get("$ref") or field.get("allOf", [{}])[0].get("$ref", "")
                field = schema.get("$defs", {}).get(reference.rpartition("/")[2], field)
                for other in changed(field, value):
                    try:
                        after = operation.params.model_validate(
                            {**params.model_dump(mode="json"), name: other}
                        )
                    except ValueError:
                        continue
                    if name != "enabled" and after != params:
                        seen += 1
                        self.assertNotEqual(
                            self.node(operation, after).key, before.key, (operation.name, name)
                        )
        self.assertGreater(seen, 100)

    def test_any_change_of_an_input_a_blob_or_the_version_changes_the_key(self) -> None:
        for operation in OPERATIONS.values():
            one = self.node(operation)
            others = [Node(one.op, one.version + 1, one.params, one.inputs, one.blobs)]
            for place in range(len(one.inputs)):
                inputs = (*one.inputs[:place], "f" * 40, *one.inputs[place + 1 :])
                others.append(Node(one.op, one.version, one.params, inputs, one.blobs))
            for place in range(len(one.blobs)):
                blobs = (*one.blobs[:place], "f" * 64, *one.blobs[place + 1 :])
                others.append(Node(one.op, one.version, one.params, one.inputs, blobs))
            if len(one.inputs) > 1:
                others.append(Node(one.op, one.version, one.params, one.inputs[::-1], one.blobs))
            keys = {node.key for node in others}
            self.assertEqual(len(keys), len(others), operation.name)
            self.assertNotIn(one.key, keys)

    def test_no_two_operations_share_a_key(self) -> None:
        keys = [self.node(operation).key for operation in OPERATIONS.values()]
        self.assertEqual(len(set(keys)), len(keys))

    @given(st.permutations(["b", "a", "c"]), st.integers(), st.text(max_size=8))
    @settings(max_examples=50, deadline=None)
    def test_equal_work_has_an_equal_key_however_it_is_written(
        self, order: list[str], number: int, text: str
    ) -> None:
        values = {"a": number, "b": text, "c": [number, text]}
        self.assertEqual(
            Node("x", 1, canonical({name: values[name] for name in order})).key,
            Node("x", 1, canonical(values)).key,
        )
        self.assertEqual(json.loads(canonical(values)), values)

    def test_the_usual_value_and_the_same_value_said_are_one_key(self) -> None:
        for operation in OPERATIONS.values():
            params = example(operation)
            said = operation.params.model_validate(params.model_dump(mode="json"))
            self.assertEqual(self.node(operation, said).key, self.node(operation, params).key)

    def test_parameters_of_another_operation_are_refused(self) -> None:
        with self.assertRaises(TypeError):
            ops.node("limit", example(OPERATIONS["compress"]), ["a"])
        with self.assertRaises(TypeError):
            ops.node("limit", {"longest": 4}, ["a", "b"])


class Running(unittest.TestCase):
    def test_an_input_of_another_kind_is_refused_in_words(self) -> None:
        node = ops.node("limit", {"longest": 16}, ["a"])
        with self.assertRaises(BadRequest) as caught:
            ops.run(node, [File(b"")], lambda _: b"")
        self.assertEqual(caught.exception.code, "not-a-picture")

    def test_a_node_of_another_version_of_the_code_is_not_run(self) -> None:
        node = ops.node("limit", {"longest": 16}, ["a"])
        for other in (
            Node(node.op, node.version + 1, node.params, node.inputs),
            Node("gone", 1, "{}", ("a",)),
        ):
            with self.assertRaises(NotFound):
                ops.run(other, [colour_picture()], lambda _: b"")

    def test_four_channel_vectors_can_be_turned(self) -> None:
        import numpy as np

        from stonestack.core.picture.normals import Green, turned

        pixels = np.dstack(
            [np.zeros((2, 2)), np.ones((2, 2)) * 0.6, np.ones((2, 2)) * 0.8, np.ones((2, 2)) / 2]
        )
        picture = Picture(pixels.astype(np.float32), Space.VECTOR, alpha=True)
        down = turned(picture, Green.DOWN).pixels
        np.testing.assert_allclose(down[0, 0], [0, -0.6, 0.8, 0.5], atol=1e-6)


class Shape(unittest.TestCase):
    """The graph is flat: a node is there once, however many share it."""

    def repaired(self, count: int) -> Surface:
        surface = begun()
        for n in range(count):
            spot = Spot(x=0.02 + 0.03 * n, y=0.5, radius=0.02)
            surface = edits.RepairSpots(map=Role.COLOUR, spots=(spot,)).apply(surface)
        return surface

    def test_repairs_add_a_few_nodes_each_and_not_many_times_more(self) -> None:
        sizes = []
        for count in (0, 8, 16, 21):
            wiring = Wiring(self.repaired(count))
            wiring.stages()
            sizes.append(len(wiring.graph))
        each = [(b - a) / n for (a, b), n in zip(itertools.pairwise(sizes), (8, 8, 5), strict=True)]
        self.assertEqual(len(set(each)), 1, sizes)
        self.assertLess(each[0], 8)

    def test_every_input_stands_before_what_takes_it(self) -> None:
        wiring = Wiring(self.repaired(2))
        key = wiring.at(Role.NORMAL, Stage.COMPRESS)
        assert key is not None
        seen: set[str] = set()
        for node in ordered(key, wiring.graph.__getitem__):
            self.assertLessEqual(set(node.inputs), seen)
            self.assertNotIn(node.key, seen)
            seen.add(node.key)
        self.assertIn(key, seen)

    def test_an_input_that_is_not_there_is_refused(self) -> None:
        with self.assertRaises(KeyError):
            Graph().add(ops.node("limit", {"longest": 16}, ["a"]))

    def test_a_source_is_read_once_for_all_maps_that_come_from_it(self) -> None:
        wiring = Wiring(begun())
        wiring.stages()
        decoded = [n for n in wiring.graph.values() if n.op == "decode"]
        self.assertEqual([n.blobs for n in decoded], [(ORIGIN.sha256,)])

    def test_nothing_is_wired_before_there_is_a_source(self) -> None:
        wiring = Wiring(new_surface("Floor", "floor"))
        wiring.stages()
        self.assertEqual(len(wiring.graph), 0)

    def test_patches_are_one_node_a_step(self) -> None:
        params = PatchSpots(spots=(Spot(x=0.5, y=0.5, radius=0.1),))
        self.assertEqual(params.kind, "patch_spots")


if __name__ == "__main__":
    unittest.main()
