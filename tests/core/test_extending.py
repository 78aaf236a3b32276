import json
import re
import unittest
from pathlib import Path

import numpy as np

from stonestack.core import ops
from stonestack.core.image import Picture, Space
from stonestack.core.masks import MaskKind
from stonestack.core.normals import Green
from stonestack.core.ops import Operation
from stonestack.core.roles import Role
from stonestack.core.stepkind import StepKind
from stonestack.core.targets import Target
from tests.support import noise

GUIDE = Path(__file__).resolve().parents[2] / "docs" / "extending.md"


def example(heading: str, language: str = "python") -> str:
    """Return the code that the guide gives under a heading."""
    [part] = re.findall(rf"^## {heading}\n(.*?)(?=^## |\Z)", GUIDE.read_text(), re.DOTALL | re.M)
    [code] = re.findall(rf"```{language}\n(.*?)```", part, re.DOTALL)
    return str(code)


def carried_out(heading: str) -> dict[str, object]:
    names: dict[str, object] = {}
    exec(compile(example(heading), str(GUIDE), "exec"), names)
    return names


class WorkedExamples(unittest.TestCase):
    def test_the_step_in_the_guide_works_as_it_stands(self) -> None:
        step = carried_out("A step")["STEP"]
        assert isinstance(step, StepKind)
        params = step.params.model_validate({"kind": "posterise", "tones": 3})
        got = step.apply(Picture(noise(20, 20), Space.LINEAR), params)
        self.assertEqual(set(np.unique(got.pixels)), {0.0, 0.5, 1.0})

    def test_the_mask_in_the_guide_is_drawn_at_any_size_and_goes_on_over_the_edges(self) -> None:
        mask = carried_out("A mask")["MASK"]
        assert isinstance(mask, MaskKind)
        params = mask.params.model_validate({"kind": "stripes", "count": 3})
        for width, height in ((48, 16), (96, 5)):
            drawn = mask.draw(params, width, height, True)
            self.assertEqual((drawn.shape, drawn.dtype), ((height, width), np.float32))
            self.assertTrue(drawn.min() >= 0 and drawn.max() <= 1)
            steps = np.abs(np.diff(drawn[0], append=drawn[0, :1]))
            self.assertLessEqual(steps[-1], steps[:-1].max() + 1e-6)

    def test_the_operation_in_the_guide_is_carried_out_as_a_node(self) -> None:
        operation = carried_out("An operation of the graph")["OPERATION"]
        assert isinstance(operation, Operation)
        one, other = (Picture(noise(8, 8, seed=n), Space.LINEAR) for n in (1, 2))
        self.assertNotIn(operation.name, ops.OPERATIONS)
        ops.OPERATIONS[operation.name] = operation
        self.addCleanup(ops.OPERATIONS.pop, operation.name)
        node = ops.node(operation.name, inputs=("a" * 40, "b" * 40))
        with self.assertRaises(TypeError):
            ops.node(operation.name, inputs=("a" * 40,))
        got = ops.run(node, (one, other), lambda _: b"")
        assert isinstance(got, Picture)
        np.testing.assert_array_equal(got.pixels, np.maximum(one.pixels, other.pixels))

    def test_the_target_in_the_guide_is_one(self) -> None:
        target = Target.model_validate(json.loads(example("A target", "json")))
        name = target.usual_name("well_moss", Role.NORMAL)
        self.assertEqual(target.texture_path(name), "art/well_moss_n.dds")
        self.assertIs(target.green, Green.DOWN)
