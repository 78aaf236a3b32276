"""``stone-stack safe``: originals are listed and given back though the database is gone."""

from __future__ import annotations

import json
import shutil
from contextlib import redirect_stderr, redirect_stdout
from io import StringIO

from stonestack.cli.main import main
from stonestack.services.safe import keeping
from stonestack.store import safe_list
from tests.games import state
from tests.services.test_putting import GameCase


def run(*words: object) -> tuple[int, str, str]:
    out, err = StringIO(), StringIO()
    with redirect_stdout(out), redirect_stderr(err):
        code = main([str(word) for word in words])
    return code, out.getvalue(), err.getvalue()


class Safe(GameCase):
    def setUp(self) -> None:
        super().setUp()
        self.put("tex/floor_c.dds")
        self.data = self.ws.data.root

    def test_all_goes_back_with_the_safe_alone(self) -> None:
        alone = self.root / "rescued"
        shutil.copytree(self.ws.data.safe, alone / "safe")
        code, out, _ = run("safe", "list", alone, "--json")
        self.assertEqual(code, 0)
        lines = [json.loads(line) for line in out.splitlines()]
        self.assertEqual(
            {line["path"] for line in lines},
            {"tex/floor_c.dds", "menu/page_floor.dds", "pack/hall.hold"},
        )
        self.assertEqual({line["version"] for line in lines}, {"1.0"})
        code, out, _ = run("safe", "restore", alone)
        self.assertEqual((code, out.count("Given back")), (0, 3))
        self.assertEqual(state(self.game), self.before)
        # The application sees what happened beside it, and can put ours back.
        found = keeping.verify(self.ws, self.id)
        self.assertTrue(found.as_told)
        self.assertEqual({p.state for p in found.placed}, {"wiped"})

    def test_one_is_written_elsewhere_and_a_lost_one_is_named(self) -> None:
        code, out, _ = run(
            "safe", "restore", self.data, "tex/floor_c.dds", "--into", self.root / "out"
        )
        self.assertEqual(code, 0, out)
        digest = self.before["tex/floor_c.dds"][0]
        self.assertEqual(state(self.root / "out")["tex/floor_c.dds"][0], digest)
        self.ws.safe.path(digest).write_bytes(b"rot")
        code, out, _ = run("safe", "list", self.data)
        self.assertEqual((code, out.count("LOST")), (1, 2))
        code, out, err = run("safe", "restore", self.data)
        self.assertEqual((code, out.count("Given back"), err.count("Left alone")), (1, 1, 2))
        code, _, err = run("safe", "restore", self.data, "no/such.dds")
        self.assertEqual(code, 1)
        self.assertIn("no/such.dds", err)

    def test_what_the_game_brought_since_is_left_alone_and_kept_where_it_must_go(self) -> None:
        path = self.game / "tex/floor_c.dds"
        path.write_bytes(b"of a newer version")
        code, _, err = run("safe", "restore", self.data, "tex/floor_c.dds")
        self.assertEqual(code, 1)
        self.assertIn("--even-changed", err)
        self.assertEqual(path.read_bytes(), b"of a newer version")
        code, _, err = run("safe", "restore", self.data, "tex/floor_c.dds", "--even-changed")
        self.assertEqual(code, 0, err)
        self.assertEqual(state(self.game)["tex/floor_c.dds"], self.before["tex/floor_c.dds"])
        [newer] = [x for x in safe_list.kept(self.ws.data) if x.size == len(b"of a newer version")]
        self.assertEqual(self.ws.safe.read(newer.sha256), b"of a newer version")

    def test_a_folder_to_write_to_keeps_what_lies_there(self) -> None:
        own = self.root / "out" / "tex/floor_c.dds"
        own.parent.mkdir(parents=True)
        own.write_bytes(b"somebody's own")
        code, _, _ = run("safe", "restore", self.data, "--into", self.root / "out")
        self.assertEqual((code, own.read_bytes()), (1, b"somebody's own"))

    def test_a_line_that_a_crash_cut_off_is_no_line_and_the_next_stands_for_itself(self) -> None:
        place = safe_list.kept_file(self.ws.data)
        before = safe_list.kept(self.ws.data)
        place.write_bytes(place.read_bytes() + b'{"root": "/x", "pa')
        self.assertEqual(safe_list.kept(self.ws.data), before)
        self.put("tex/wall_c.dds", ticked={"tex/wall_c.dds"})
        self.assertEqual(len(safe_list.kept(self.ws.data)), len(before) + 1)

    def test_an_earlier_safe_without_a_list_gets_one(self) -> None:
        before = safe_list.kept(self.ws.data)
        safe_list.kept_file(self.ws.data).unlink()
        keeping.list_whole(self.ws)
        self.assertEqual(set(safe_list.kept(self.ws.data)), set(before))
        keeping.list_whole(self.ws)
        self.assertEqual(len(safe_list.kept_file(self.ws.data).read_bytes().splitlines()), 3)
