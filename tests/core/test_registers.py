"""What is in a folder is in its register, and what is registered is reached."""

import ast
import unittest
from pathlib import Path

import numpy as np

from stonestack.core.files.blocks import encode
from stonestack.core.files.blocks.formats import FORMATS, BlockFormat, Numbers, Shown
from stonestack.core.files.codecs.texture import Texture
from stonestack.core.files.codecs.texture import stored as stored_texels
from stonestack.core.judge.checks import of_maps, outputs
from stonestack.core.picture.image import Space
from stonestack.core.picture.texels import from_texels
from stonestack.core.steps import STEPS
from stonestack.core.tables.roles import Role

ROOT = Path(__file__).resolve().parents[2]
CORE = ROOT / "stonestack" / "core"
VIEWS = ROOT / "frontend" / "src" / "views"


def assigned(path: Path) -> set[str]:
    """Return the names that a module gives values to."""
    names: set[str] = set()
    for node in ast.parse(path.read_text(encoding="utf-8")).body:
        targets = node.targets if isinstance(node, ast.Assign) else []
        targets = [node.target] if isinstance(node, ast.AnnAssign) else targets
        names |= {t.id for t in targets if isinstance(t, ast.Name)}
    return names


def made(path: Path, kind: str) -> set[str]:
    """Return the names that a module gives to what is made by calling a class."""
    found: set[str] = set()
    for node in ast.parse(path.read_text(encoding="utf-8")).body:
        if isinstance(node, ast.Assign | ast.AnnAssign) and node.value is not None:
            targets = node.targets if isinstance(node, ast.Assign) else [node.target]
            calls = [n.func for n in ast.walk(node.value) if isinstance(n, ast.Call)]
            if any(isinstance(f, ast.Name) and f.id == kind for f in calls):
                found |= {t.id for t in targets if isinstance(t, ast.Name)}
    return found


def taking(path: Path, kind: str) -> set[str]:
    """Return the public functions of a module that take one thing alone, of some class."""
    found: set[str] = set()
    for node in ast.parse(path.read_text(encoding="utf-8")).body:
        if not isinstance(node, ast.FunctionDef) or node.name.startswith("_"):
            continue
        if [ast.unparse(a.annotation) for a in node.args.args if a.annotation] == [kind]:
            found.add(node.name)
    return found


def used(path: Path) -> set[str]:
    """Return what a module uses, as MODULE.NAME."""
    tree = ast.parse(path.read_text(encoding="utf-8"))
    return {
        f"{node.value.id}.{node.attr}"
        for node in ast.walk(tree)
        if isinstance(node, ast.Attribute) and isinstance(node.value, ast.Name)
    }


class Registers(unittest.TestCase):
    def test_whatever_is_offered_is_in_its_register(self) -> None:
        for folders, register, kind, least in (
            (("steps", "tile", "steps/derive"), "steps", "StepKind", 60),
            (("steps/masks",), "steps/masks", "MaskKind", 10),
            (("files/containers",), "files/containers", "Form", 2),
        ):
            known, seen = used(CORE / register / "__init__.py"), 0
            for folder in folders:
                for path in (CORE / folder).glob("*.py"):
                    for name in made(path, kind):
                        seen += 1
                        self.assertIn(f"{path.stem}.{name}", known, path)
            self.assertGreaterEqual(seen, least)

    def test_every_room_of_operations_is_in_the_register(self) -> None:
        text = (CORE / "graph" / "ops" / "__init__.py").read_text(encoding="utf-8")
        [rooms] = [
            {name.id for name in node.iter.elts if isinstance(name, ast.Name)}
            for tree in ast.walk(ast.parse(text))
            if isinstance(tree, ast.DictComp)
            for node in tree.generators
            if isinstance(node.iter, ast.Tuple)
        ]
        offering = {
            p.stem for p in (CORE / "graph" / "ops").glob("*.py") if "OPERATIONS" in assigned(p)
        }
        self.assertEqual(rooms, offering - {"__init__"})

    def test_every_check_is_in_its_register(self) -> None:
        for kind, register in (
            ("Leaver", outputs.OUTPUT_CHECKS),
            ("Looked", of_maps.MAP_CHECKS),
        ):
            known = {f"{c.__module__.rpartition('.')[2]}.{c.__name__}" for c in register}
            offered = {
                f"{path.stem}.{name}"
                for path in (CORE / "judge" / "checks").glob("*.py")
                for name in taking(path, kind)
                if name != "of_map"
            }
            self.assertEqual(known, offered)

    def test_every_role_that_is_derived_is_so_by_a_step_that_makes_it(self) -> None:
        for role in Role:
            derived = role.info.derived
            if derived is not None and derived.step:
                self.assertIn(derived.step, STEPS)
                self.assertIn(role, STEPS[derived.step].makes)

    def test_every_format_has_a_file_that_encodes_it_or_stands_in_rows(self) -> None:
        kinds = {p.stem for p in (CORE / "files" / "blocks" / "kinds").glob("*.py")} - {"__init__"}
        self.assertEqual(kinds, {str(f) for f, info in FORMATS.items() if info.coded})

    def test_every_format_can_be_shown_on_a_page(self) -> None:
        for format_, info in FORMATS.items():
            with self.subTest(format_):
                texels = np.full((8, 8, 4), 128, np.uint8)
                picture = from_texels(texels, Space.DATA)
                stored = encode(format_, stored_texels(picture, format_))
                texture = Texture(format_, False, 8, 8, (stored,)).for_page()
                self.assertIsNot(texture.format.info.shown, Shown.DECODED)
                if info.shown is Shown.DECODED:
                    shown = texture.texels()
                    self.assertLess(np.abs(shown[..., 0].astype(int) - 128).max(), 12)

    def test_every_format_that_is_written_is_taken_by_some_role(self) -> None:
        taken = {f for role in Role for f in role.info.formats}
        # They go back where a game's own file has them, and `convert` writes them; the views
        # upload bytes only, so nothing new is stored so on the bench.
        others = {f for f, info in FORMATS.items() if info.numbers is not Numbers.BYTES}
        self.assertEqual(set(FORMATS) - taken, {BlockFormat.BC2} | others)

    def test_every_view_has_a_route_a_place_in_the_bar_and_a_picture(self) -> None:
        routes = (ROOT / "frontend" / "src" / "main.tsx").read_text(encoding="utf-8")
        loaded = (ROOT / "frontend" / "src" / "app" / "Views.tsx").read_text(encoding="utf-8")
        bar = (ROOT / "frontend" / "src" / "app" / "Shell.tsx").read_text(encoding="utf-8")
        pictures = (ROOT / "tests" / "browser" / "screenshots.py").read_text(encoding="utf-8")
        for view in sorted(p.name for p in VIEWS.iterdir() if p.is_dir()):
            with self.subTest(view):
                name = view.capitalize()
                self.assertIn(f"@/views/{view}/{name}", loaded)
                self.assertIn(f'path="/p/:project/{view}', routes)
                self.assertRegex(routes, rf"<{name} [^>]*project=")
                self.assertIn(f"${{at}}/{view}", bar)
                self.assertRegex(pictures, rf"(keep|see)\(.*\"[a-z-]*{view}")


if __name__ == "__main__":
    unittest.main()
