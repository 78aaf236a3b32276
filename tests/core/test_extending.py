import re
import unittest
from pathlib import Path

import numpy as np

from stonestack.core.image import Picture, Space
from stonestack.core.stepkind import StepKind
from tests.support import noise

GUIDE = Path(__file__).resolve().parents[2] / "docs" / "extending.md"


class WorkedExample(unittest.TestCase):
    def test_the_step_in_the_guide_works_as_it_stands(self) -> None:
        [code] = re.findall(r"```python\n(.*?)```", GUIDE.read_text(), re.DOTALL)
        names: dict[str, object] = {}
        exec(compile(code, str(GUIDE), "exec"), names)
        step = names["STEP"]
        assert isinstance(step, StepKind)
        params = step.params.model_validate({"kind": "posterise", "tones": 3})
        got = step.apply(Picture(noise(20, 20), Space.LINEAR), params)
        self.assertEqual(set(np.unique(got.pixels)), {0.0, 0.5, 1.0})
