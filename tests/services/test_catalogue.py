"""A catalogue on real folders: what is hostile in them, names, search, look-alikes."""

from __future__ import annotations

import io
import os
import threading
import time
import unicodedata
import unittest
from concurrent.futures import ThreadPoolExecutor
from unittest import mock

import numpy as np
from PIL import Image

from stonestack.core.catalogue import local
from stonestack.core.catalogue.describe import encoded
from stonestack.core.files.workfiles.passing import WorkKind, flat, full_colour
from stonestack.core.refit import texels_of
from stonestack.core.runtime.errors import BadFile, Cancelled, StoneError
from stonestack.services.game import alike, cataloguing, finding, games, naming, taking
from stonestack.services.game.finding import Query, Sort
from stonestack.services.game.marking import Marking
from stonestack.services.game.reading import listing
from stonestack.services.jobs import Progress, silent, told
from stonestack.services.safe import matching, planning, putting
from stonestack.store.files import sha256
from tests.core.files.test_archives import zipped
from tests.games import catalogued, colour_dds, entry, painted, small_game, state
from tests.support import WorkspaceCase


class CatalogueCase(WorkspaceCase):
    def setUp(self) -> None:
        super().setUp()
        self.game = small_game(self.root / "game")
        self.id = catalogued(self.ws, self.game)

    def paths(self, **query: object) -> list[str]:
        page = finding.search(self.ws, self.id, Query.model_validate(query))
        return [e.path for e in page.entries]

    def again(self, thorough: bool = False) -> cataloguing.Catalogued:
        return cataloguing.catalogue(self.ws, self.id, silent(), thorough)


class Reading(CatalogueCase):
    """What lies in the folder."""

    def test_loose_files_and_entries_of_nested_containers_are_all_listed(self) -> None:
        paths = {e.path for e in finding.everything(self.ws, self.id)}
        self.assertLessEqual(
            {
                "tex/wall_c.dds",
                "pack/hall.hold/a/x.dds",
                "pack/yard.tar/in.zip/deep/wall_c.dds",
                "pack/yard.tar/in.zip/deep/note.txt",
                "odd/broken.dds",
                "odd/empty.png",
            },
            paths,
        )
        twice = [e for e in finding.everything(self.ws, self.id) if e.path.endswith("/x.dds")]
        self.assertEqual(sorted(e.index or 0 for e in twice), [1, 2])

    def test_facts_come_from_the_content(self) -> None:
        (wall,) = finding.search(self.ws, self.id, Query(words="tex/wall_c")).entries
        self.assertEqual(
            (wall.kind, wall.width, wall.height, wall.levels, wall.format, wall.role),
            ("dds", 64, 64, 7, "bc1", "colour"),
        )
        self.assertEqual(
            sorted(wall.twins),
            ["pack/hall.hold/a/x.dds", "pack/yard.tar/in.zip/deep/wall_c.dds"],
        )

    def test_a_second_look_reads_only_what_changed(self) -> None:
        self.assertEqual(self.again().read, 0)
        (self.game / "tex/wall_c.dds").write_bytes(colour_dds(40))
        done = self.again()
        self.assertEqual((done.read, done.changed), (1, 1))
        (self.game / "tex/floor_c.dds").unlink()
        self.assertEqual(self.again().gone, 1)
        self.assertNotIn("tex/floor_c.dds", self.paths(words="floor"))

    def test_a_thorough_look_trusts_no_time_stamp(self) -> None:
        path = self.game / "tex/wall_c.dds"
        was = path.stat()
        data = bytearray(path.read_bytes())
        data[-1] ^= 255
        path.write_bytes(bytes(data))
        os.utime(path, ns=(was.st_atime_ns, was.st_mtime_ns))
        self.assertEqual(self.again().changed, 0)
        self.assertEqual(self.again(thorough=True).changed, 1)

    def test_stopping_keeps_what_was_read_and_the_next_look_goes_on(self) -> None:
        other = small_game(self.root / "other")
        game = games.register(self.ws, other)

        class Stopped(Exception):
            pass

        def told(_share: float, doing: str) -> None:
            if doing.startswith("Reading"):
                raise Stopped

        import threading

        with self.assertRaises(Stopped):
            cataloguing.catalogue(self.ws, game.id, Progress(told, threading.Event()))
        cataloguing.catalogue(self.ws, game.id, silent())
        self.assertTrue(all(e.thing for e in finding.everything(self.ws, game.id)))
        self.assertEqual(len(finding.everything(self.ws, game.id)), 13)

    def test_links_are_never_followed(self) -> None:
        (self.root / "secret").mkdir()
        (self.root / "secret/x.dds").write_bytes(colour_dds(1))
        (self.game / "out").symlink_to(self.root / "secret")
        (self.game / "round").symlink_to(self.game)
        (self.game / "gone").symlink_to(self.root / "nothing")
        found = listing(self.game)
        self.assertEqual({p for p, _ in found.left_out}, {"out", "round", "gone"})
        self.assertFalse(any("secret" in s.path or "round" in s.path for s in found.files))
        self.again()
        self.assertEqual(len(games.get(self.ws, self.id).left_out), 3)

    def test_hostile_containers_are_listed_with_what_is_wrong_and_the_rest_goes_on(self) -> None:
        (self.game / "bad.zip").write_bytes(zipped([("a.dds", colour_dds(1))])[:-9])
        (self.game / "tricks.zip").write_bytes(
            zipped([("../../up.dds", colour_dds(8)), ("/etc/abs.txt", b"x"), ("c:\\w.txt", b"y")])
        )
        self.again()
        (bad,) = [e for e in finding.everything(self.ws, self.id) if e.path == "bad.zip"]
        self.assertIn("damaged", bad.problem)
        tricks = {e.path for e in finding.everything(self.ws, self.id) if "tricks" in e.path}
        self.assertTrue(all(".." not in p.split("/") for p in tricks))
        rows = [entry(self.ws, self.id, p) for p in tricks]
        taking.take_out(self.ws, self.id, rows, self.root / "out")
        self.assertEqual({p.parent for p in (self.root / "out").rglob("*")}, {self.root / "out"})
        self.assertFalse((self.root / "up.dds").exists())

    def test_names_in_any_form_and_case_are_all_kept(self) -> None:
        composed = unicodedata.normalize("NFC", "fenêtre_c.dds")
        split = unicodedata.normalize("NFD", "fenêtre_c.dds")
        files = [
            ("A.dds", colour_dds(11)),
            ("a.dds", colour_dds(12)),
            (composed, colour_dds(13)),
            (split, colour_dds(14)),
        ]
        (self.game / "names.hold").write_bytes(zipped(files))
        self.again()
        paths = [e for e in finding.everything(self.ws, self.id) if "names.hold" in e.path]
        self.assertEqual(len({e.path for e in paths}), 4)
        self.assertEqual(len(self.paths(words=split)), 2)
        rows = []
        with self.ws.session() as session:
            rows = [planning.entry_at(session, self.id, e.path) for e in paths]
        taking.take_out(self.ws, self.id, rows, self.root / "out")
        held = {p.read_bytes() for p in (self.root / "out").glob("*.dds")}
        self.assertEqual(held, {data for _, data in files})

    def test_several_read_one_folder_at_once_and_all_find_the_same(self) -> None:
        other = small_game(self.root / "second")
        with ThreadPoolExecutor(6) as pool:
            found = list(pool.map(lambda _: games.register(self.ws, other).id, range(6)))
            self.assertEqual(len(set(found)), 1)
            work = [
                pool.submit(cataloguing.catalogue, self.ws, found[0], silent()) for _ in range(6)
            ]
            read = [each.result().read for each in work]
        self.assertEqual(sorted(read)[:5], [0] * 5)
        self.assertEqual(
            len(finding.everything(self.ws, found[0])), len(finding.everything(self.ws, self.id))
        )

    def test_an_unreadable_file_is_listed_and_said(self) -> None:
        from unittest import mock

        from stonestack.services.game.reading import Seen, read_file

        with mock.patch("os.open", side_effect=PermissionError(13, "denied")):
            read = read_file(self.game, Seen("tex/wall_c.dds", 10, 1))
        self.assertIn("denied", read.problem)
        self.assertEqual(len(read.entries), 1)

    def test_a_folder_that_vanished_is_said(self) -> None:
        self.game.rename(self.root / "away")
        with self.assertRaises(StoneError) as caught:
            self.again()
        self.assertEqual(caught.exception.code, "folder-gone")
        self.assertEqual(len(finding.everything(self.ws, self.id)), 13)


class Finding(CatalogueCase):
    """Search, names, look-alikes."""

    def test_several_words_in_any_order_and_two_letters_find(self) -> None:
        self.assertEqual(len(self.paths(words="_c")), 5)
        self.assertEqual(self.paths(words="FLOOR tex backup"), ["tex/backup/floor_c.dds"])
        self.assertEqual(self.paths(words="nowhere"), [])

    def test_kind_role_size_alpha_and_place_narrow_and_columns_sort(self) -> None:
        self.assertEqual(
            self.paths(kind="text", place="pack"),
            ["pack/yard.tar/in.zip/deep/note.txt", "pack/yard.tar/readme.txt"],
        )
        self.assertTrue(all("dds" in p for p in self.paths(role="colour", least=64)))
        self.assertEqual(self.paths(role="colour", least=65), [])
        self.assertEqual(self.paths(alpha="used"), [])
        sizes = [
            e.bytes
            for e in finding.search(self.ws, self.id, Query(sort=Sort.BYTES, down=True)).entries
        ]
        self.assertEqual(sizes, sorted(sizes, reverse=True))

    def test_pages_fit_together(self) -> None:
        whole = self.paths()
        parts = self.paths(limit=5) + self.paths(offset=5, limit=5) + self.paths(offset=10)
        self.assertEqual(parts, whole)

    def test_a_table_of_names_is_found_by_either_name(self) -> None:
        for name, text in (
            ("n.csv", "code,name,where\nwall_c,Limewashed wall,world\n"),
            ("n.json", '{"wall_c": {"name": "Limewashed wall", "where": "world"}}'),
            ("n2.json", '[{"code": "wall_c", "name": "Limewashed wall", "where": "world"}]'),
        ):
            with self.subTest(name=name):
                (self.root / name).write_text(text)
                naming.attach(self.ws, self.id, self.root / name)
                found = finding.search(self.ws, self.id, Query(words="limewashed")).entries
                self.assertIn("tex/wall_c.dds", [e.path for e in found])
                self.assertEqual({e.shown for e in found}, {"world"})
        self.assertEqual(
            finding.search(self.ws, self.id, Query(words="floor tex/")).entries[0].shown, "unknown"
        )

    def test_where_a_thing_is_seen_holds_for_its_surface_and_not_for_copies(self) -> None:
        (self.root / "n.csv").write_text("code,name,where\nfloor,Tiled floor,world\n")
        naming.attach(self.ws, self.id, self.root / "n.csv")
        seen = {
            e.path: e.shown
            for e in finding.search(self.ws, self.id, Query(words="floor", kind="dds")).entries
        }
        self.assertEqual(seen["tex/floor_c.dds"], "world")
        self.assertEqual(seen["menu/page_floor.dds"], "unknown")

    def test_a_folder_of_definition_files_carries_names(self) -> None:
        (self.root / "defs").mkdir()
        (self.root / "defs/wall_c - Limewashed wall.def").write_text("")
        naming.attach(self.ws, self.id, self.root / "defs")
        self.assertIn("tex/wall_c.dds", self.paths(words="limewashed"))

    def test_ones_own_names_are_kept_searched_and_put_out_as_a_table(self) -> None:
        naming.own(self.ws, self.id, "tex/wall_c.dds", "The damp one", "behind the boiler", "world")
        self.assertEqual(self.paths(words="boiler"), ["tex/wall_c.dds"])
        self.again(thorough=True)
        self.assertEqual(self.paths(words="damp"), ["tex/wall_c.dds"])
        table = naming.table(self.ws, self.id)
        self.assertIn("tex/wall_c.dds,The damp one,world,behind the boiler", table)
        (self.root / "own.csv").write_text(table)
        self.assertEqual(naming.attach(self.ws, self.id, self.root / "own.csv").from_tables, 1)

    def test_a_table_without_names_is_refused_in_words(self) -> None:
        (self.root / "n.csv").write_text("nothing here\n")
        with self.assertRaises(BadFile):
            naming.attach(self.ws, self.id, self.root / "n.csv")

    def test_a_painted_over_copy_finds_its_original_first(self) -> None:
        found = alike.like(self.ws, [self.id], painted(colour_dds(2)), silent())
        self.assertTrue(found[0].path.endswith("floor.dds") or "floor_c" in found[0].path)

    def test_a_mirrored_copy_finds_its_original_and_what_is_not_there_finds_nothing(self) -> None:
        whole = np.asarray(Image.open(io.BytesIO(painted(colour_dds(2)))).convert("RGBA"))
        for turned in (whole[:, ::-1], whole[::-1]):
            found = alike.like(self.ws, [self.id], encoded(turned), silent())
            self.assertTrue(found[0].path.endswith("floor.dds") or "floor_c" in found[0].path)
        noise = np.random.default_rng(9).integers(0, 256, (64, 64, 4), np.uint8)
        noise[..., 3] = 255
        self.assertEqual(alike.like(self.ws, [self.id], encoded(noise), silent()), [])

    def test_a_look_belongs_to_what_was_seen_and_not_to_what_was_catalogued(self) -> None:
        place = self.game / "tex/wall_c.dds"
        (wall,) = finding.search(self.ws, self.id, Query(words="tex/wall_c")).entries
        original = place.read_bytes()
        place.write_bytes(colour_dds(77))
        between, shown = finding.picture(self.ws, self.id, wall.id, 64, 0)
        self.assertNotEqual(shown, wall.sha256)
        place.write_bytes(original)
        seen, shown = finding.picture(self.ws, self.id, wall.id, 64, 0)
        self.assertEqual(shown, wall.sha256)
        self.assertNotEqual(seen, between)

    def test_the_parts_of_a_look_are_kept_by_what_was_seen(self) -> None:
        place = self.game / "tex/only_c.dds"
        place.write_bytes(colour_dds(9))
        self.again()
        (single,) = finding.search(self.ws, self.id, Query(words="tex/only_c")).entries
        changed = colour_dds(77)
        place.write_bytes(changed)
        unlike = encoded(np.random.default_rng(5).integers(0, 256, (64, 64, 4), np.uint8))
        alike.like(self.ws, [self.id], unlike, silent())
        self.assertTrue(self.ws.cache.read(single.sha256, "parts3") is None)
        self.assertTrue(self.ws.cache.read(sha256(changed), "parts3"))

    def test_the_games_log_tells_what_it_read(self) -> None:
        (self.game / "engine.log").write_text("read   tex/wall_c.dds  BC1\nmissing tex/none.dds\n")
        (wall,) = finding.search(self.ws, self.id, Query(words="tex/wall_c")).entries
        self.assertEqual(wall.shown, "loaded")


class FirstUse(CatalogueCase):
    """Features of parts are made once, in the background; asking before says how long it takes."""

    def strange(self) -> bytes:
        """Return a picture that nothing looks like as a whole, so that parts are compared."""
        return encoded(np.random.default_rng(6).integers(0, 256, (64, 64, 4), np.uint8))

    def test_what_is_new_is_said_with_how_long_it_takes_and_can_be_stopped(self) -> None:
        said: list[str] = []
        stop = threading.Event()

        def listener(_share: float, doing: str) -> None:
            said.append(doing)
            if len(said) == 2:
                stop.set()

        with mock.patch.object(alike, "_TIMED_FROM", 1), self.assertRaises(Cancelled):
            alike.like(self.ws, [self.id], self.strange(), Progress(listener, stop))
        self.assertEqual(len(said), 2)
        self.assertIn("for the first time", said[0])
        self.assertRegex(said[1], r"about \d+ (s|min)$")

    def test_they_are_made_in_the_background_and_asked_for_no_more(self) -> None:
        self.assertTrue(alike.unmarked(self.ws))
        marking = Marking(self.ws, again=0.01)
        try:
            deadline = time.monotonic() + 30
            while alike.unmarked(self.ws) and time.monotonic() < deadline:
                time.sleep(0.02)
            self.assertEqual(alike.unmarked(self.ws), [])
            (self.game / "tex/new_c.dds").write_bytes(colour_dds(91))
            self.again()
            while alike.unmarked(self.ws) and time.monotonic() < deadline:
                time.sleep(0.02)
            self.assertEqual(alike.unmarked(self.ws), [])
        finally:
            marking.close()
        said: list[str] = []
        with mock.patch.object(local, "features", wraps=local.features) as made:
            alike.like(
                self.ws, [self.id], self.strange(), told(lambda _, doing: said.append(doing))
            )
        self.assertEqual(made.call_count, 2, "those of the picture that is asked for, both ways")
        self.assertFalse([words for words in said if "first time" in words])


class Taking(CatalogueCase):
    """Out to a folder, and back by name."""

    def test_originals_come_out_byte_for_byte_with_contract_and_companions(self) -> None:
        (self.game / "tex/wall.regions.txt").write_text("a 0 0 8 8\n")
        self.again()
        before = state(self.game)
        out = self.root / "out"
        (taken,) = taking.take_out(
            self.ws, self.id, [entry(self.ws, self.id, "tex/wall_c.dds")], out
        )
        self.assertEqual((out / "wall_c.dds").read_bytes(), colour_dds(1))
        self.assertIn("wall.regions.txt", taken.files)
        self.assertIn("BC1, 64 × 64, 7 levels", taken.contract)
        self.assertEqual(state(self.game), before)

    def kits(self) -> tuple[bytes, bytes]:
        """Put two pictures of one name and two kinds into the game; return them, both paletted."""
        made = []
        for seed, kind, name in ((1, "PNG", "kit.png"), (2, "TGA", "kit.tga")):
            texels = np.random.default_rng(seed).integers(0, 256, (32, 32, 3), np.uint8)
            buffer = io.BytesIO()
            Image.fromarray(texels).quantize(40).save(buffer, kind)
            made.append(buffer.getvalue())
            (self.game / f"tex/{name}").write_bytes(made[-1])
        self.again()
        return made[0], made[1]

    def test_paletted_files_come_out_in_full_colour_and_back_in_their_own_form(self) -> None:
        originals = self.kits()
        names = ("tex/kit.png", "tex/kit.tga")
        rows = [entry(self.ws, self.id, name) for name in names]
        for kind in (WorkKind.PNG, WorkKind.TIFF, WorkKind.ORA):
            with self.subTest(kind=kind):
                out = self.root / f"out_{kind}"
                taken = taking.take_out(self.ws, self.id, rows, out, kind)
                self.assertTrue(taken[0].files[0].startswith("kit."))
                for one in taken:
                    place = out / one.files[0]
                    texels = texels_of(flat(place.read_bytes())).copy()
                    texels[4:9, 4:9] = (250, 20, 30, 255)
                    place.write_bytes(full_colour(texels, kind))
                wanted, unmatched = matching.from_folder(self.ws, self.id, out)
                self.assertEqual((len(wanted), unmatched), (2, []))
                putting.put(self.ws, self.id, wanted, None, silent())
                for name, original in zip(names, originals, strict=True):
                    with Image.open(self.game / name) as image:
                        self.assertEqual((image.mode, image.format), ("P", name[-3:].upper()))
                        new = np.asarray(image.convert("RGB"))
                    self.assertEqual(tuple(new[6, 6]), (250, 20, 30))
                    old = np.asarray(Image.open(io.BytesIO(original)).convert("RGB"))
                    np.testing.assert_array_equal(new[12:], old[12:])

    def test_files_of_one_name_and_two_kinds_are_matched_by_their_whole_name(self) -> None:
        png, tga = self.kits()
        out = self.root / "edited"
        out.mkdir()
        for name, data in (("kit.png", png), ("kit.tga", tga)):
            (out / name).write_bytes(full_colour(255 - texels_of(data), WorkKind.PNG))
        wanted, unmatched = matching.from_folder(self.ws, self.id, out)
        self.assertEqual(unmatched, [])
        ids = {entry(self.ws, self.id, f"tex/kit.{kind}").id for kind in ("png", "tga")}
        self.assertEqual({w.entry_id for w in wanted}, ids)

    def test_the_contract_beside_a_file_says_where_it_belongs_whatever_it_is_called(self) -> None:
        (row,) = [entry(self.ws, self.id, "tex/wall_c.dds")]
        out = self.root / "out"
        (taken,) = taking.take_out(self.ws, self.id, [row], out, WorkKind.PNG)
        place, contract = out / taken.files[0], out / taken.files[1]
        place.write_bytes(painted(colour_dds(1)))
        place.rename(out / "floor_c.png")
        contract.rename(out / "floor_c.png.contract.json")
        wanted, unmatched = matching.from_folder(self.ws, self.id, out)
        self.assertEqual(([w.entry_id for w in wanted], unmatched), ([row.id], []))

    def test_a_picture_beside_its_untouched_original_is_the_one_that_is_put_back(self) -> None:
        row = entry(self.ws, self.id, "tex/wall_c.dds")
        out = self.root / "out"
        taking.take_out(self.ws, self.id, [row], out)
        edited = painted(colour_dds(1))
        (out / "wall_c.png").write_bytes(edited)
        wanted, unmatched = matching.from_folder(self.ws, self.id, out)
        self.assertEqual(unmatched, [])
        self.assertEqual([w.lent for w in wanted], [edited])

    def test_a_folder_of_edited_pictures_is_matched_and_put_back_in_one_plan(self) -> None:
        out = self.root / "edited"
        out.mkdir()
        (out / "wall_c.png").write_bytes(painted(colour_dds(1)))
        (out / "floor_c.png").write_bytes(painted(colour_dds(2)))
        (out / "stranger.png").write_bytes(painted(colour_dds(3)))
        (out / "notes.txt").write_text("mine")
        wanted, unmatched = matching.from_folder(self.ws, self.id, out)
        self.assertEqual(len(wanted), 2)
        self.assertEqual(len(unmatched), 2)
        done = putting.put(self.ws, self.id, wanted, None, silent())
        self.assertLessEqual(
            {"tex/wall_c.dds", "tex/floor_c.dds", "menu/page_floor.dds"}, set(done.paths)
        )


if __name__ == "__main__":
    unittest.main()
