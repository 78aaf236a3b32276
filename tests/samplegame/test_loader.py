import io
import json
import tarfile
import tempfile
import unittest
import warnings
import zipfile
from pathlib import Path
from typing import Any
from unittest import mock

from stonestack.core.files import codecs
from stonestack.core.files.blocks import BlockFormat
from stonestack.core.picture.image import Picture, Space
from stonestack.samplegame.loader import NoGame, Room, Word, load
from stonestack.samplegame.server import create_app
from stonestack.store.files import write_atomically
from tests.support import noise


def texture(side: int = 32, seed: int = 1, mips: bool = True, width: int | None = None) -> bytes:
    picture = Picture(noise(width or side, side, seed), Space.LINEAR)
    return codecs.dds.write(codecs.compress(picture, BlockFormat.BC1, codecs.Making(mips=mips)))


def definition(colour: str, name: str = "floor") -> bytes:
    whole = {"material": name, "gloss": 0.5, "metres": 2, "textures": {"colour": colour}}
    return json.dumps(whole).encode()


class GameCase(unittest.TestCase):
    """A game with a floor, and one delivery that replaces its colour."""

    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name) / "game"
        self.own, self.ours = texture(seed=1), texture(seed=2)
        self.put("room.json", json.dumps({"objects": {"floor": "floor"}, "largest": 64}).encode())
        self.put("base/materials/floor.json", definition("../textures/floor_c.dds"))
        self.put("base/textures/floor_c.dds", self.own)
        self.put("base/textures/floor_n.dds", texture(seed=3))
        order = [{"delivery": "mine", "folder": "mine-1"}]
        self.put("deliveries.json", json.dumps({"order": order}).encode())
        self.put("deliveries/mine-1/delivery.json", b"{}")

    def put(self, path: str, data: bytes) -> None:
        write_atomically(self.folder / path, data)

    def deliver(self, path: str, data: bytes) -> None:
        self.put(f"deliveries/mine-1/{path}", data)

    def shown(self, room: Room | None = None) -> bytes | None:
        """Return the blocks of what the floor wears."""
        wear = (room or load(self.folder)).wears["floor"]
        loaded = wear.slots["colour"] if wear else None
        return loaded.texture.levels[0] if loaded else None

    def words(self, room: Room) -> dict[str, str]:
        return {line.path: f"{line.word}: {line.text}" for line in room.log}


class Containers(GameCase):
    def hold(self, *files: tuple[str, bytes]) -> None:
        buffer = io.BytesIO()
        with warnings.catch_warnings(), zipfile.ZipFile(buffer, "w") as file:
            warnings.simplefilter("ignore")
            for name, data in files:
                file.writestr(name, data)
        self.put("base/hall.hold", buffer.getvalue())

    def test_a_texture_comes_out_of_a_container_the_last_of_one_name(self) -> None:
        (self.folder / "base/textures/floor_c.dds").unlink()
        other = texture(seed=9)
        self.hold(("textures/floor_c.dds", texture(seed=8)), ("textures/floor_c.dds", other))
        self.assertEqual(self.shown(), codecs.dds.read(other).levels[0])

    def test_a_loose_file_wins_over_a_container(self) -> None:
        self.hold(("textures/floor_c.dds", texture(seed=8)))
        self.assertEqual(self.shown(), codecs.dds.read(self.own).levels[0])

    def test_a_broken_container_is_said_and_the_rest_goes_on(self) -> None:
        self.put("base/hall.hold", b"PK no container")
        self.assertIn("refused", self.words(load(self.folder))["base/hall.hold"])
        self.assertIsNotNone(self.shown())


def let_in(folder: Path) -> Any:
    """Return a client that has opened the printed address."""
    client = create_app(folder, "key of the test").test_client()
    for port in ("1", "9"):
        client.get("/?key=key of the test", base_url=f"http://127.0.0.1:{port}").close()
    return client


class Profile(GameCase):
    def test_colours_are_shifted_on_import_when_the_profile_says_so_and_the_log_tells(self) -> None:
        room = {"objects": {"floor": "floor"}, "largest": 64, "import": {"gain": [1, 0.5, 9]}}
        self.assertEqual(load(self.folder).gain, (1.0, 1.0, 1.0))
        self.put("room.json", json.dumps(room).encode())
        shifted = load(self.folder)
        self.assertEqual(shifted.gain, (1.0, 0.5, 4.0))
        self.assertIn("shifted on import", self.words(shifted)["room.json"])
        client = let_in(self.folder)
        told = client.get("/scene.json", base_url="http://127.0.0.1:1").get_json()
        self.assertEqual(told["gain"], [1.0, 0.5, 4.0])


class Updates(GameCase):
    def test_an_update_writes_only_what_differs_and_reads_the_folder_again(self) -> None:
        fresh = texture(seed=7)
        buffer = io.BytesIO()
        with tarfile.open(fileobj=buffer, mode="w:gz") as tar:
            for name, data in (
                ("base/textures/floor_c.dds", fresh),
                ("base/textures/floor_n.dds", texture(seed=3)),
            ):
                info = tarfile.TarInfo(name)
                info.size = len(data)
                tar.addfile(info, io.BytesIO(data))
        self.put("update.saltglass", buffer.getvalue())
        client = let_in(self.folder)
        told = client.post("/update", base_url="http://127.0.0.1:1").get_json()
        self.assertEqual(told["written"], 1)
        self.assertEqual((self.folder / "base/textures/floor_c.dds").read_bytes(), fresh)
        again = client.post("/update", base_url="http://127.0.0.1:1").get_json()
        self.assertEqual(again["written"], 0)

    def pack(self, *entries: tuple[tarfile.TarInfo, bytes]) -> Any:
        buffer = io.BytesIO()
        with tarfile.open(fileobj=buffer, mode="w:gz") as tar:
            for info, data in entries:
                info.size = len(data)
                tar.addfile(info, io.BytesIO(data))
        self.put("update.saltglass", buffer.getvalue())
        return let_in(self.folder).post("/update", base_url="http://127.0.0.1:1")

    def test_an_update_that_leads_out_or_brings_links_is_refused_as_a_whole(self) -> None:
        outside = self.folder.parent / "outside"
        outside.mkdir()
        (outside / "there").write_text("as it was")
        (self.folder / "linked").symlink_to(outside)
        good = tarfile.TarInfo("base/textures/floor_c.dds")
        before = (self.folder / good.name).read_bytes()
        link = tarfile.TarInfo("base/link")
        link.type, link.linkname = tarfile.SYMTYPE, str(outside)
        bad = [
            *(tarfile.TarInfo(f"{outside}/there"), tarfile.TarInfo("../outside/there")),
            *(tarfile.TarInfo("linked/there"), tarfile.TarInfo("base"), link),
            tarfile.TarInfo("base\\..\\..\\there"),
        ]
        for info in bad:
            with self.subTest(info.name):
                answer = self.pack((good, b"new"), (info, b"bad"))
                self.assertEqual(answer.status_code, 422)
                self.assertIn("refused", answer.text)
                self.assertEqual((self.folder / good.name).read_bytes(), before)
                self.assertEqual((outside / "there").read_text(), "as it was")
                self.assertFalse(any(self.folder.rglob(".saltglass-new-*")))

    def test_a_stop_between_two_files_is_made_up_for_by_the_next_start(self) -> None:
        names = ["base/textures/floor_c.dds", "base/textures/floor_n.dds"]
        real, done = Path.replace, 0

        def stopping(path: Path, target: Path) -> Path:
            nonlocal done
            done += target.suffix == ".dds"
            if done == 2:
                raise KeyboardInterrupt
            return real(path, target)

        with (
            mock.patch.object(Path, "replace", stopping),
            self.assertRaises(KeyboardInterrupt),
        ):
            self.pack(*((tarfile.TarInfo(name), texture(seed=9)) for name in names))
        create_app(self.folder, "key")
        for name in names:
            self.assertEqual((self.folder / name).read_bytes(), texture(seed=9))
        self.assertFalse((self.folder / "update.pending").exists())

    def test_the_log_is_not_written_through_a_link(self) -> None:
        outside = self.folder.parent / "outside.txt"
        outside.write_text("as it was")
        log = self.folder / "saltglass.log"
        log.unlink(missing_ok=True)
        log.symlink_to(outside)
        let_in(self.folder)
        self.assertEqual(outside.read_text(), "as it was")
        self.assertFalse(log.is_symlink())

    def test_who_has_no_key_sees_nothing(self) -> None:
        client = create_app(self.folder, "key").test_client()
        for address in ("/", "/scene.json", "/?key=kéy", "/assets/room.js"):
            answer = client.get(address, base_url="http://127.0.0.1:1")
            self.assertEqual(answer.status_code, 401, address)


class Loader(GameCase):
    def blocks(self, file: bytes) -> bytes:
        return codecs.dds.read(file).levels[0]

    def test_a_delivery_under_the_right_name_wins(self) -> None:
        self.deliver("textures/floor_c.dds", self.ours)
        self.assertEqual(self.shown(), self.blocks(self.ours))
        self.assertEqual(self.shown(load(self.folder, deliveries=False)), self.blocks(self.own))

    def test_one_letter_off_leaves_the_original_and_says_so(self) -> None:
        self.deliver("textures/floor_cc.dds", self.ours)
        room = load(self.folder)
        self.assertEqual(self.shown(room), self.blocks(self.own))
        told = self.words(room)["deliveries/mine-1/textures/floor_cc.dds"]
        self.assertIn("ignored", told)
        self.assertIn("textures/floor_c.dds", told)

    def test_a_material_that_names_an_unknown_texture_is_refused(self) -> None:
        self.deliver("textures/floor_cc.dds", self.ours)
        self.deliver("materials/floor.json", definition("../textures/floor_cc.dds"))
        room = load(self.folder)
        self.assertEqual(self.shown(room), self.blocks(self.own))
        self.assertIn("refused", self.words(room)["deliveries/mine-1/materials/floor.json"])

    def test_paths_that_are_absolute_or_climb_out_are_refused(self) -> None:
        for link in (
            "C:\\textures\\floor_c.dds",
            "/textures/floor_c.dds",
            "../../../room.json",
            "..\\textures\\floor_c.dds",
        ):
            self.deliver("materials/floor.json", definition(link))
            room = load(self.folder)
            self.assertEqual(self.shown(room), self.blocks(self.own), link)
            self.assertIn("refused", self.words(room)["deliveries/mine-1/materials/floor.json"])

    def test_files_it_does_not_take_are_refused_and_it_falls_back(self) -> None:
        cases = {
            "not a size": texture(24),
            "too large": texture(128),
            "levels are missing": texture(mips=False),
            "png inside": b"\x89PNG\r\n\x1a\n" + bytes(64),
            "ends before": self.ours[:-20],
        }
        for why, data in cases.items():
            with self.subTest(why):
                self.deliver("textures/floor_c.dds", data)
                room = load(self.folder)
                self.assertEqual(self.shown(room), self.blocks(self.own))
                told = self.words(room)["deliveries/mine-1/textures/floor_c.dds"]
                self.assertIn("refused", told)

    def test_a_texture_that_is_nowhere_gives_the_placeholder(self) -> None:
        (self.folder / "base/textures/floor_c.dds").unlink()
        self.put("base/materials/floor.json", definition("../textures/floor_n.dds"))
        (self.folder / "base/textures/floor_n.dds").write_bytes(b"spoilt")
        room = load(self.folder)
        self.assertIsNone(self.shown(room))
        self.assertIn(Word.MISSING, {line.word for line in room.log})

    def test_the_later_delivery_wins(self) -> None:
        self.deliver("textures/floor_c.dds", self.ours)
        later = texture(seed=9)
        self.put("deliveries/other-2/textures/floor_c.dds", later)
        order = [{"delivery": n, "folder": f} for n, f in (("mine", "mine-1"), ("o", "other-2"))]
        self.put("deliveries.json", json.dumps({"order": order}).encode())
        self.assertEqual(self.shown(), self.blocks(later))

    def test_a_listed_delivery_that_is_gone_or_climbs_out_is_told(self) -> None:
        for folder in ("gone-1", "../base"):
            order = [{"delivery": "x", "folder": folder}]
            self.put("deliveries.json", json.dumps({"order": order}).encode())
            room = load(self.folder)
            self.assertEqual(self.shown(room), self.blocks(self.own))
            self.assertIn("missing", self.words(room)[f"deliveries/{folder}"])

    def test_a_folder_that_is_no_game_is_refused(self) -> None:
        with self.assertRaises(NoGame):
            load(self.folder / "base")


class Server(GameCase):
    def setUp(self) -> None:
        super().setUp()
        self.client = let_in(self.folder)
        self.host = {"base_url": "http://127.0.0.1:9"}

    def colour(self) -> bytes:
        return self.client.get("/texture/ours/floor/colour", **self.host).data

    def test_it_sends_the_files_own_blocks_and_keeps_them_until_told(self) -> None:
        before = self.colour()
        self.assertEqual(before, b"".join(codecs.dds.read(self.own).levels))
        spoilt = bytearray(self.own)
        spoilt[148:156] = b"\xff\xff\x00\x00\x00\x00\x00\x00"
        self.put("base/textures/floor_c.dds", bytes(spoilt))
        self.assertEqual(self.colour(), before)
        self.client.post("/reload", **self.host)
        self.assertEqual(self.colour()[:8], b"\xff\xff\x00\x00\x00\x00\x00\x00")

    def test_it_writes_its_log_beside_the_game(self) -> None:
        self.assertIn("read", (self.folder / "saltglass.log").read_text())

    def test_it_answers_only_this_machine(self) -> None:
        other = self.client.get("/scene.json", base_url="http://elsewhere.example")
        self.assertEqual(other.status_code, 403)
        foreign = self.client.post(
            "/reload", headers={"Origin": "http://evil.example"}, **self.host
        )
        self.assertEqual(foreign.status_code, 403)
