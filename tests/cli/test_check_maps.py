"""``stone-stack check-maps`` and ``bench checks``, as they are typed."""

import contextlib
import io
import json
import tempfile
import unittest
from pathlib import Path

import numpy as np
from PIL import Image

from stonestack.cli.main import main
from stonestack.trials import checks, scenes
from tests.sizes import swept

SIDE = 192


def run(*words: object) -> tuple[int, str, str]:
    """Return the code of a command, what it printed, and what it said of what was wrong."""
    out, said = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(said):
        try:
            code = main(["check-maps", *(str(word) for word in words)])
        except SystemExit as left:
            code = int(left.code or 0)
    return code, out.getvalue(), said.getvalue()


class CheckMaps(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.folder = Path(folder.name)
        scene = scenes.scene("cobbles, dark joints", 31, SIDE)
        lit = scenes.photograph(scene, scenes.Light(), 31)
        normals = np.round(scenes.normals(scene.height) * 127.5 + 127.5).astype(np.uint8)
        filled, turned = lit.copy(), normals.copy()
        filled[40:100, 60:130] = filled[40:100, 60:130].mean(axis=(0, 1))
        turned[..., 1] = 255 - turned[..., 1]
        kept = {"lit": lit, "filled": filled, "normals": normals, "turned": turned}
        for name, values in kept.items():
            Image.fromarray(values).save(cls.folder / f"{name}.png")

    def at(self, name: str) -> Path:
        return self.folder / f"{name}.png"

    def test_files_that_belong_together_say_nothing(self) -> None:
        code, told, _ = run(f"colour={self.at('lit')}", f"normal={self.at('normals')}")
        self.assertEqual((code, told), (0, "Nothing to look at.\n"))

    def test_old_relief_is_told_with_its_place_with_and_without_the_old_colour(self) -> None:
        maps = (f"colour={self.at('filled')}", f"normal={self.at('normals')}")
        for more in ((), ("--before", self.at("lit"))):
            code, told, _ = run(*maps, "--json", "--tiles", "yes", *more)
            self.assertEqual(code, 1)
            (finding,) = json.loads(told)
            self.assertEqual((finding["code"], finding["map"]), ("old-relief", "normal"))
            x, y = np.array(finding["parts"][0]).reshape(-1, 2).mean(axis=0)
            self.assertAlmostEqual(x, 95 / SIDE, delta=0.06)
            self.assertAlmostEqual(y, 70 / SIDE, delta=0.06)

    def test_green_is_told_and_read_as_it_is_said(self) -> None:
        turned = f"normal={self.at('turned')}"
        code, told, _ = run(turned)
        self.assertEqual(code, 1)
        self.assertIn("[green]", told)
        self.assertEqual(run(turned, "--green", "down")[0], 0)

    def test_what_it_is_made_of_is_held_against_what_was_measured(self) -> None:
        dark = self.folder / "dark.png"
        shown = np.asarray(Image.open(self.at("lit")))
        Image.fromarray((shown // 4).astype(np.uint8)).save(dark)
        code, told, _ = run(f"colour={dark}", "--made-of", "plaster")
        self.assertEqual(code, 1)
        self.assertIn("darker than plaster is", told)

    def test_what_is_wrong_is_said_with_what_to_do(self) -> None:
        lit = f"colour={self.at('lit')}"
        for words in (("colour",), ("colur=a.png",), (lit, "--made-of", "cheese")):
            code, _, said = run(*words)
            self.assertEqual(code, 1)
            self.assertTrue(said)
        bad = self.folder / "bad.png"
        bad.write_bytes(b"no picture")
        self.assertEqual(run(f"normal={bad}")[0], 1)
        self.assertEqual(run(f"normal={self.folder / 'none.png'}")[0], 1)


class Trial(unittest.TestCase):
    @swept
    def test_a_seed_says_the_same_twice_and_another_seed_another(self) -> None:
        one, again, other = (checks.told_of("gravel", seed, 128) for seed in (7, 7, 8))
        self.assertEqual(one, again)
        self.assertNotEqual(one, other)
        lines = list(checks.table(one))
        self.assertTrue(any(line.startswith("moved") for line in lines))
        wanted = len(checks.EDITS) * 2 * 4
        self.assertEqual(sum("before" in tried.what for tried in one), wanted)


if __name__ == "__main__":
    unittest.main()
