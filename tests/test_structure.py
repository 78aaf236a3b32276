"""The structure of the project gets no worse: imports have no circles and no more depth."""

import unittest

from tests import structure

DEEPEST = 31
FULLEST = {
    "stonestack/core/steps": 26,
    "stonestack/core/steps/derive": 19,
    "stonestack/core/tile": 22,
    "stonestack/core/tile/faults": 16,
    "stonestack/cli": 18,
}
"""Folders that hold more than is well; no other may, and none of these more than now."""
LONGEST, GIVEN, PROPS = 34, 30, 8
"""Functions over the length, with more parameters, and components with more props than is well."""


class Structure(unittest.TestCase):
    def test_imports_have_no_circles_and_are_no_deeper(self) -> None:
        chain = structure.deepest()
        self.assertLessEqual(len(chain), DEEPEST, " > ".join(chain))

    def test_no_folder_holds_more(self) -> None:
        for folder, count in structure.folders().items():
            self.assertLessEqual(count, FULLEST.get(folder, structure.FULL), folder)

    def test_no_more_functions_are_long_and_no_more_take_many_things(self) -> None:
        made = [one for one in structure.functions() if "/kernels" not in one[0]]
        self.assertGreater(len(made), 1000)
        long = [name for name, lines, _ in made if lines > structure.LONG]
        self.assertLessEqual(len(long), LONGEST, long)
        many = [name for name, _, given in made if given > structure.MANY]
        self.assertLessEqual(len(many), GIVEN, many)
        wide = [name for name, count in structure.props() if count > structure.MANY]
        self.assertLessEqual(len(wide), PROPS, wide)


if __name__ == "__main__":
    unittest.main()
