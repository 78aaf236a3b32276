"""``stone-stack derive`` and ``bench maps``, as they are typed."""

import contextlib
import io
import tempfile
import unittest
from pathlib import Path

import numpy as np
from PIL import Image

from stonestack.cli.main import main
from stonestack.core.files import codecs
from stonestack.core.kinds.references import fields_read
from stonestack.core.picture import colour
from stonestack.core.picture.image import Space
from stonestack.core.steps import STEPS
from stonestack.core.tools.deriving import derivations, usual
from stonestack.trials import maps, scenes


def run(*words: str | Path) -> tuple[int, str]:
    """Return the code of a command, and what it said of what was wrong."""
    said = io.StringIO()
    with contextlib.redirect_stderr(said), contextlib.redirect_stdout(io.StringIO()):
        try:
            code = main(["derive", *(str(word) for word in words)])
        except SystemExit as left:
            code = int(left.code or 0)
    return code, said.getvalue()


class Derive(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.folder = Path(folder.name)
        scene = scenes.scene("bricks, pale joints", 5, 128)
        cls.colour = cls.folder / "wall.png"
        stored = scenes.photograph(scene, scenes.Light(), 5)
        Image.fromarray(stored).save(cls.colour)
        assert run("height", cls.colour, cls.folder / "wall_h.png")[0] == 0
        assert (
            run("normal-from-height", cls.folder / "wall_h.png", cls.folder / "wall_n.png")[0] == 0
        )

    def made(self, name: str) -> np.ndarray:
        return np.asarray(Image.open(self.folder / name))

    def test_every_kind_writes_a_map(self) -> None:
        beside = {"colour": self.colour, "normal": self.folder / "wall_n.png"}
        for kind, step in derivations().items():
            own = Space.LINEAR if Space.LINEAR in step.spaces else next(iter(step.spaces))
            given = {Space.LINEAR: "wall.png", Space.DATA: "wall_h.png", Space.VECTOR: "wall_n.png"}
            words: list[str | Path] = []
            for name in fields_read(step.params):
                if step.params.model_fields[name].is_required():
                    file = beside["normal" if step.name == "detail_normal" else "colour"]
                    words += ["--with", f"{name}={file}"]
            with self.subTest(kind):
                code, said = run(kind, self.folder / given[own], self.folder / "out.png", *words)
                self.assertEqual((code, said), (0, ""))
                self.assertEqual(self.made("out.png").shape[:2], (128, 128))

    def test_numbers_and_directions_are_written_in_sixteen_bits_where_they_fit(self) -> None:
        for name, deep in (("d.png", True), ("d.tiff", True), ("d.tga", False)):
            self.assertEqual(run("occlusion", self.folder / "wall_h.png", self.folder / name)[0], 0)
            picture = codecs.read_picture((self.folder / name).read_bytes(), Space.DATA)
            self.assertEqual(picture.bits, 16 if deep else 8, name)
        run("occlusion", self.folder / "wall_h.png", self.folder / "s.png", "--bits", "8")
        self.assertEqual(self.made("s.png").dtype, np.uint8)

    def test_green_is_turned_on_the_way_in_and_out(self) -> None:
        run("normal-from-height", self.folder / "wall_h.png", self.folder / "u.png", "--bits", "8")
        run(
            *("normal-from-height", self.folder / "wall_h.png", self.folder / "d.png"),
            *("--green-out", "down", "--bits", "8"),
        )
        up, down = self.made("u.png").astype(int), self.made("d.png").astype(int)
        self.assertLessEqual(int(np.abs(up[..., 1] + down[..., 1] - 255).max()), 1)
        backs = []
        for name, green in (("u.png", "up"), ("d.png", "down")):
            run(
                *("height-from-normal", self.folder / name, self.folder / "back.png"),
                *("--green-in", green),
            )
            backs.append(self.made("back.png").astype(float))
        self.assertGreater(np.corrcoef(backs[0].ravel(), backs[1].ravel())[0, 1], 0.999)

    def test_a_radius_may_be_given_in_texels_or_metres(self) -> None:
        made = []
        for radius in (["5"], ["6.4px"], ["0.064m", "--density", "100"]):
            code, said = run(
                *("occlusion", self.folder / "wall_h.png", self.folder / "r.png"),
                *("--relief", "5", "--radius", *radius),
            )
            self.assertEqual((code, said), (0, ""))
            made.append(self.made("r.png"))
        np.testing.assert_array_equal(made[0], made[1])
        np.testing.assert_array_equal(made[0], made[2])

    def test_what_does_not_fit_is_said_and_nothing_is_written(self) -> None:
        height, out = self.folder / "wall_h.png", self.folder / "never.png"
        for words, wanted in (
            (("normal-from-height", height, out, "--relief", "99"), "relief"),
            (("metalness-from-specular", self.colour, out), "needs another file"),
            (("normal-from-height", height, out, "--with", "nobody=x.png"), "nobody"),
            (("occlusion", height, out, "--radius", "far"), "radius"),
            (("occlusion", height, out, "--radius", "0.1m"), "density"),
            (("occlusion", height, self.folder / "never.dds"), "picture"),
            (("occlusion", self.folder / "nothing.png", out), "nothing.png"),
            (("nothing", height, out), "invalid choice"),
        ):
            if "--with" in words:
                (self.folder / "x.png").write_bytes(height.read_bytes())
                words = (*words[:-1], f"nobody={self.folder / 'x.png'}")
            code, said = run(*words)
            self.assertNotEqual(code, 0, words)
            self.assertIn(wanted, said)
        self.assertFalse(out.exists())
        self.assertEqual(run("occlusion", height, height)[0], 2)

    def test_each_usual_way_has_the_name_of_its_map(self) -> None:
        for role, kind in usual().items():
            self.assertIn(kind, derivations(), role)
        self.assertLessEqual({k.replace("-", "_") for k in derivations()}, set(STEPS))


class BenchMaps(unittest.TestCase):
    def test_it_tells_truth_from_its_opposite(self) -> None:
        name, seed = "bricks, pale joints", 5
        scene, light = scenes.scene(name, seed, 256), scenes.Light()
        told = maps.outcome(name, "overcast", scene, light, seed)
        self.assertGreater(told.alike, 0.8)
        self.assertGreater(told.joints, 1)
        self.assertLess(told.off, told.flat)
        upside = scenes.Scene(-scene.height, scene.albedo, scene.joints)
        wrong = maps.outcome(name, "overcast", upside, light, seed)
        self.assertLess(wrong.alike, -0.5)
        self.assertGreater(wrong.off, wrong.flat)

    def test_its_lines_name_every_light_and_kernel(self) -> None:
        scene = scenes.scene("print: dots", 5, 96)
        told = [
            maps.outcome("print: dots", light, scene, how, 5)
            for light, how in scenes.lights(5).items()
        ]
        lines = "\n".join(maps.table([*told, *self.some()]))
        for word in (*scenes.lights(5), "fine", "plain", "soft", "Joints lie deep", "print: dots"):
            self.assertIn(word, lines)

    def some(self) -> list[maps.Outcome]:
        return [
            maps.Outcome("bricks, pale joints", light, 0.9, 2.0, 8.0, 14.0, 0.3)
            for light in scenes.lights(5)
        ]

    def test_a_scene_is_as_its_seed_says_and_its_light_is_physical(self) -> None:
        one, two = (scenes.scene("gravel", seed, 96) for seed in (5, 6))
        self.assertFalse(np.array_equal(one.height, two.height))
        level = np.zeros((64, 64), np.float32)
        for light in (*scenes.lights(5).values(), scenes.Light(30, 20, 0.0)):
            np.testing.assert_allclose(scenes.received(level, light), 1, atol=0.02)
        ramp = np.tile(np.sin(np.arange(64) * 2 * np.pi / 64), (64, 1)).astype(np.float32) * 8
        lit = scenes.received(ramp, scenes.Light(0, 40, 0.2))
        self.assertGreater(lit[:, 20:44].mean(), lit[:, :12].mean())
        stored = scenes.photograph(one, scenes.Light(), 5)
        self.assertEqual((stored.shape, stored.dtype), ((96, 96, 3), np.dtype(np.uint8)))
        self.assertGreater(float(colour.bytes_to_linear(stored).std()), 0.01)
