"""The delivery commands as a script uses them."""

from __future__ import annotations

import json
import os
import unittest
import zipfile
from pathlib import Path
from unittest import mock

from stonestack.core.document import edits
from stonestack.core.document.deliveries import Delivery
from stonestack.core.tables.roles import Role
from stonestack.core.tables.sizing import Size
from stonestack.services.delivery import deliveries
from stonestack.services.documents import projects, surfaces
from stonestack.services.game import sources
from stonestack.services.workspace import Workspace
from stonestack.store.place import DataFolder
from tests.cli.test_commands import CommandCase
from tests.games import small_game, state
from tests.support import raw_picture


class Deliveries(CommandCase):
    def setUp(self) -> None:
        super().setUp()
        environment = mock.patch.dict(os.environ, {"STONE_STACK_DATA": str(self.root / "data")})
        environment.start()
        self.addCleanup(environment.stop)
        self.game = small_game(self.root / "game")
        (self.game / "room.json").unlink()
        self.before = state(self.game)
        ws = Workspace(DataFolder(self.root / "data"))
        project = projects.create(ws, "Own", self.game)
        source = sources.bring(ws, project.id, "wall.png", raw_picture(64, 64))
        made = surfaces.create(ws, project.id, "Wall", "wall")
        origin = edits.SetOrigin(map=Role.COLOUR, origin=source.origin)
        made = surfaces.edit(ws, made.id, made.revision, origin)
        size = edits.SetSize(map=Role.COLOUR, size=Size(width=32, height=32), all_maps=True)
        surfaces.edit(ws, made.id, made.revision, size)
        document = Delivery(title="First", name="first", target="loose", surfaces=(made.id,))
        deliveries.create(ws, project.id, document)
        ws.close()

    def test_built_planned_installed_and_taken_out(self) -> None:
        ended, out, _ = self.run_command("build", "Own", "--archive", self.root / "out")
        self.assertEqual(ended, 0)
        folder, archive = out.split()
        with zipfile.ZipFile(archive) as box:
            self.assertEqual(sorted(box.namelist()), [f"wall_{s}.dds" for s in "cns"])
        ended, out, _ = self.run_command("install", "Own", "--into", "tex", "--plan")
        self.assertEqual(ended, 0)
        self.assertIn("tex/wall_c.dds", out)
        self.assertIn("in place of the game's own", out)
        self.assertEqual(state(self.game), self.before)
        self.assertEqual(self.run_command("install", "Own")[0], 0)
        built = (Path(folder) / "wall_c.dds").read_bytes()
        self.assertEqual((self.game / "tex/wall_c.dds").read_bytes(), built)
        ended, out, _ = self.run_command("take-out", "Own", "--json")
        self.assertEqual(json.loads(out), {"delivery": "first", "done": "is out of the game"})
        self.assertEqual(state(self.game), self.before)
        ended, out, _ = self.run_command("take-out", "Own")
        self.assertIn("is not in the game", out)

    def test_what_cannot_be_done_is_said_with_exit_code_one(self) -> None:
        ended, _, said = self.run_command("install", "Own")
        self.assertEqual(ended, 1)
        self.assertIn("Build the delivery first", said)
        ended, _, said = self.run_command("install", "Nobody")
        self.assertEqual(ended, 1)
        self.assertIn("Own", said)
        ended, _, said = self.run_command("install", "Own", "--into", "../out")
        self.assertEqual(ended, 1)
        self.assertIn("inside the game", said)


if __name__ == "__main__":
    unittest.main()
