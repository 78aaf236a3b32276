"""The game commands as a script uses them: exit codes, JSON, no server."""

from __future__ import annotations

import json
import os
import unittest
from pathlib import Path
from unittest import mock

from tests.cli.test_commands import CommandCase
from tests.core.files.test_archives import content
from tests.games import colour_dds, painted, small_game, state


class Games(CommandCase):
    def setUp(self) -> None:
        super().setUp()
        environment = mock.patch.dict(os.environ, {"STONE_STACK_DATA": str(self.root / "data")})
        environment.start()
        self.addCleanup(environment.stop)
        self.game = small_game(self.root / "game")
        self.before = state(self.game)

    def told(self, *words: object, code: int = 0) -> object:
        ended, out, err = self.run_command(*words, "--json")
        self.assertEqual(ended, code, err)
        return json.loads(out)

    def test_catalogue_and_find_print_objects_with_all_that_a_script_needs(self) -> None:
        rows = self.told("catalogue", self.game)
        assert isinstance(rows, list)
        wanted = {"path", "kind", "width", "height", "levels", "format", "role", "sha256", "twins"}
        self.assertTrue(all(wanted <= set(row) for row in rows))
        found = self.told("find", self.game, "floor", "menu")
        assert isinstance(found, list)
        self.assertEqual([r["path"] for r in found], ["menu/page_floor.dds"])
        self.assertEqual(len(found[0]["twins"]), 3)
        like = self.saved("like.png", painted(colour_dds(1)))
        (wall,) = (row for row in rows if row["path"] == "tex/wall_c.dds")
        likest = self.told("find", self.game, "--like", like)
        assert isinstance(likest, list)
        self.assertEqual(likest[0]["sha256"], wall["sha256"])
        self.assertEqual(self.run_command("find", self.game, "nothing-such")[0], 1)
        self.assertEqual(state(self.game), self.before)

    def test_take_put_verify_restore_in_a_container(self) -> None:
        name = "pack/yard.tar/in.zip/deep/wall_c.dds"
        out = self.root / "out"
        self.assertEqual(self.run_command("take", self.game, name, "--out", out)[0], 0)
        self.assertEqual((out / "wall_c.dds").read_bytes(), colour_dds(1))
        picture = self.saved("new.png", painted(colour_dds(1)))
        plan = self.told("put", self.game, name, picture, "--plan")
        assert isinstance(plan, dict)
        self.assertEqual(
            {x["path"] for x in plan["lines"] if x["ticked"]},
            {name, "tex/wall_c.dds", "pack/hall.hold/a/x.dds"},
        )
        self.assertEqual(state(self.game), self.before)
        self.told("put", self.game, name, picture, "--only")
        changed = {n for n, s in state(self.game).items() if s != self.before[n]}
        self.assertEqual(changed, {"pack/yard.tar"})
        inner = content(content((self.game / "pack/yard.tar").read_bytes())[0][1])
        self.assertNotEqual(inner[0][1], colour_dds(1))
        self.assertEqual(self.run_command("verify", self.game)[0], 0)
        self.told("restore", self.game, name)
        self.assertEqual(state(self.game), self.before)

    def test_take_in_full_colour_and_put_from_the_folder(self) -> None:
        out = self.root / "out"
        took = self.told("take", self.game, "tex/wall_c.dds", "--out", out, "--as", "ora")
        assert isinstance(took, list)
        self.assertEqual(took[0]["files"][0], "wall_c.ora")
        (out / "wall_c.ora").rename(out / "odd name.ora")
        contract = out / "wall_c.ora.contract.json"
        contract.rename(out / "odd name.ora.contract.json")
        plan = self.told("put", self.game, "--from", out, "--plan")
        assert isinstance(plan, dict)
        self.assertEqual((plan["unmatched"], plan["lines"][0]["path"]), ([], "tex/wall_c.dds"))
        self.assertEqual(plan["lines"][0]["made_anew"], 0, "nothing was painted")
        self.assertEqual(state(self.game), self.before)

    def test_verify_says_by_its_exit_code_what_is_wrong(self) -> None:
        picture = self.saved("new.png", painted(colour_dds(1)))
        self.told("put", self.game, "tex/wall_c.dds", picture)
        (self.game / "tex/wall_c.dds").write_bytes(colour_dds(1))
        self.assertEqual(self.run_command("verify", self.game)[0], 3)
        for kept in (self.root / "data" / "safe").rglob("*"):
            if kept.is_file():
                kept.write_bytes(b"rot")
        self.assertEqual(self.run_command("verify", self.game)[0], 4)

    def test_all_twins_takes_copies_of_the_same_picture_too(self) -> None:
        picture = self.saved("new.png", painted(colour_dds(2)))
        done = self.told("put", self.game, "tex/floor_c.dds", picture, "--all-twins")
        assert isinstance(done, dict)
        self.assertIn("tex/backup/floor_c.dds", done["paths"])

    def test_a_folder_goes_back_in_one_command(self) -> None:
        folder = self.root / "edited"
        folder.mkdir()
        (folder / "floor_c.png").write_bytes(painted(colour_dds(2)))
        done = self.told("put", self.game, "--from", folder)
        assert isinstance(done, dict)
        self.assertIn("tex/floor_c.dds", done["paths"])
        self.told("restore", self.game)
        self.assertEqual(state(self.game), self.before)

    def test_what_cannot_be_done_is_said_with_exit_code_one(self) -> None:
        picture = self.saved("new.png", painted(colour_dds(1)))
        for words in (
            ("put", self.game, "tex/nothing.dds", picture),
            ("put", self.game, "pack/hall.hold/a/x.dds", picture),
            ("put", self.game, "odd/broken.dds", picture),
            ("restore", self.game, "tex/wall_c.dds"),
            ("catalogue", self.root / "no-such-folder"),
            ("verify", self.root),
        ):
            with self.subTest(words=words):
                code, _, err = self.run_command(*words)
                self.assertEqual(code, 1)
                self.assertGreater(len(err.strip()), 20)
        self.assertEqual(self.run_command("put", self.game, "tex/wall_c.dds")[0], 2)
        self.assertEqual(state(self.game), self.before)

    def test_paint_stands_in_for_an_editor(self) -> None:
        picture = self.saved("p.png", painted(colour_dds(1)))
        before = Path(picture).read_bytes()
        self.assertEqual(self.run_command("paint", picture)[0], 0)
        self.assertNotEqual(Path(picture).read_bytes(), before)


if __name__ == "__main__":
    unittest.main()
