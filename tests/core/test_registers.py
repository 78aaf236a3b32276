"""What is in a folder is in its register, and what is registered is reached."""

import ast
import unittest
from pathlib import Path

from stonestack.core.files.blocks.formats import FORMATS, BlockFormat, Numbers
from stonestack.core.judge.checks import outputs
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


def used(path: Path) -> set[str]:
    """Return what a module uses, as MODULE.NAME."""
    tree = ast.parse(path.read_text(encoding="utf-8"))
    return {
        f"{node.value.id}.{node.attr}"
        for node in ast.walk(tree)
        if isinstance(node, ast.Attribute) and isinstance(node.value, ast.Name)
    }


class Registers(unittest.TestCase):
    def test_every_file_that_offers_something_is_in_its_register(self) -> None:
        for folders, register, offered in (
            (("steps", "tile", "steps/derive"), "steps", "STEP"),
            (("steps/masks",), "steps/masks", "MASK"),
            (("files/containers",), "files/containers", "FORM"),
        ):
            known = used(CORE / register / "__init__.py")
            for folder in folders:
                for path in (CORE / folder).glob("*.py"):
                    if offered in assigned(path):
                        self.assertIn(f"{path.stem}.{offered}", known, path)

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

    def test_every_check_of_an_output_is_in_the_register(self) -> None:
        known = {f"{c.__module__.rpartition('.')[2]}.{c.__name__}" for c in outputs.OUTPUT_CHECKS}
        offered = set()
        for path in (CORE / "judge" / "checks").glob("*.py"):
            for node in ast.parse(path.read_text(encoding="utf-8")).body:
                if isinstance(node, ast.FunctionDef) and len(node.args.args) == 1:
                    kind = node.args.args[0].annotation
                    if isinstance(kind, ast.Name) and kind.id == "Leaver":
                        offered.add(f"{path.stem}.{node.name}")
        self.assertEqual(known, offered)

    def test_every_format_that_is_written_is_taken_by_some_role(self) -> None:
        taken = {f for role in Role for f in role.info.formats}
        # They go back where a game's own file has them, and `convert` writes them; the views
        # upload bytes only, so nothing new is stored so on the bench.
        others = {f for f, info in FORMATS.items() if info.numbers is not Numbers.BYTES}
        self.assertEqual(set(FORMATS) - taken, {BlockFormat.BC2} | others)

    def test_every_view_has_a_route_a_place_in_the_bar_and_a_picture(self) -> None:
        routes = (ROOT / "frontend" / "src" / "main.tsx").read_text(encoding="utf-8")
        bar = (ROOT / "frontend" / "src" / "app" / "Shell.tsx").read_text(encoding="utf-8")
        pictures = (ROOT / "tests" / "browser" / "screenshots.py").read_text(encoding="utf-8")
        for view in sorted(p.name for p in VIEWS.iterdir() if p.is_dir()):
            with self.subTest(view):
                name = view.capitalize()
                self.assertIn(f"@/views/{view}/{name}", routes)
                self.assertIn(f'path="/p/:project/{view}', routes)
                self.assertRegex(routes, rf"<{name} [^>]*project=")
                self.assertIn(f"${{at}}/{view}", bar)
                self.assertRegex(pictures, rf"(keep|see)\(.*\"[a-z-]*{view}")


if __name__ == "__main__":
    unittest.main()
