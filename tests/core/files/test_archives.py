"""Containers: read like other programs read them, rewritten without touching what stays."""

from __future__ import annotations

import io
import random
import tarfile
import unittest
import warnings
import zipfile

from stonestack.core.files import containers
from stonestack.core.files.containers import Held
from stonestack.core.runtime.errors import BadFile


def zipped(files: list[tuple[str, bytes]], method: int = zipfile.ZIP_STORED) -> bytes:
    """Return a ZIP as Python's zipfile writes it; names may repeat."""
    buffer = io.BytesIO()
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        with zipfile.ZipFile(buffer, "w", method) as file:
            file.comment = b"by hand"
            for name, data in files:
                file.writestr(name, data)
    return buffer.getvalue()


def tarred(files: list[tuple[str, bytes]]) -> bytes:
    """Return a TAR as Python's tarfile writes it."""
    buffer = io.BytesIO()
    with tarfile.open(fileobj=buffer, mode="w") as file:
        for name, data in files:
            info = tarfile.TarInfo(name)
            info.size = len(data)
            file.addfile(info, io.BytesIO(data))
    return buffer.getvalue()


def content(data: bytes) -> list[tuple[str, bytes]]:
    """Return a container's names and contents, read by Python's own modules."""
    if data[:2] == b"PK":
        with zipfile.ZipFile(io.BytesIO(data)) as file:
            return [(i.filename, file.read(i)) for i in file.infolist()]
    with tarfile.open(fileobj=io.BytesIO(data)) as tar:
        return [(m.name, reader.read()) for m in tar.getmembers() if (reader := tar.extractfile(m))]


def files(seed: int = 1, count: int = 12) -> list[tuple[str, bytes]]:
    """Return made-up files, one name among them twice, one name not of plain letters."""
    rng = random.Random(seed)
    made = [(f"a/b{i}.bin", rng.randbytes(rng.randrange(0, 3000))) for i in range(count)]
    return [*made, ("a/b3.bin", b"the second of one name"), ("Grün/ñ" + "x" * 120, b"names")]


class Rewriting(unittest.TestCase):
    """Other entries stay byte for byte."""

    FORMS = (
        ("stored", lambda f: zipped(f)),
        ("deflated", lambda f: zipped(f, zipfile.ZIP_DEFLATED)),
        ("tar", tarred),
    )

    def test_rewriting_nothing_gives_the_same_bytes(self) -> None:
        for name, make in self.FORMS:
            with self.subTest(form=name):
                data = make(files())
                self.assertEqual(b"".join(containers.opened(Held(data)).rewritten({})), data)

    def test_other_programs_read_the_change_and_all_the_rest(self) -> None:
        for name, make in self.FORMS:
            for seed in range(8):
                with self.subTest(form=name, seed=seed):
                    rng = random.Random(seed)
                    before = files(seed)
                    changes = {
                        i: rng.randbytes(rng.randrange(0, 5000))
                        for i in rng.sample(range(len(before)), 3)
                    }
                    data = b"".join(containers.opened(Held(make(before))).rewritten(changes))
                    wanted = [(n, changes.get(i, d)) for i, (n, d) in enumerate(before)]
                    self.assertEqual(content(data), wanted)

    def test_putting_the_old_content_back_gives_a_stored_container_back(self) -> None:
        for make in (zipped, tarred):
            data = make(files())
            new = b"".join(containers.opened(Held(data)).rewritten({4: b"other"}))
            self.assertNotEqual(new, data)
            back = b"".join(containers.opened(Held(new)).rewritten({4: files()[4][1]}))
            self.assertEqual(back, data)

    def test_two_entries_of_one_name_are_two(self) -> None:
        data = zipped(files())
        container = containers.opened(Held(data))
        same = [e.index for e in container.entries if e.name == "a/b3.bin"]
        self.assertEqual(len(same), 2)
        new = content(b"".join(container.rewritten({same[1]: b"new"})))
        self.assertEqual(new[same[0]][1], files()[same[0]][1])
        self.assertEqual(new[same[1]][1], b"new")

    def test_containers_in_containers_are_reached_and_changed(self) -> None:
        inner = zipped(files(), zipfile.ZIP_DEFLATED)
        data = tarred([("x", b"1"), ("inner.pack", inner), ("y", b"2")])
        self.assertEqual(containers.inside(Held(data), (1, 2)), files()[2][1])
        new = b"".join(containers.changed_inside(Held(data), {(1, 2): b"deep", (2,): b"flat"}))
        self.assertEqual(dict(content(new))["y"], b"flat")
        self.assertEqual(content(dict(content(new))["inner.pack"])[2][1], b"deep")

    def test_the_alignment_of_stored_entries_is_kept(self) -> None:
        buffer = io.BytesIO()
        with zipfile.ZipFile(buffer, "w") as file:
            for i in range(6):
                info = zipfile.ZipInfo(f"t{i}.dds")
                space = -(buffer.tell() + 30 + len(info.filename) + 4) % 256
                info.extra = b"\xff\xff" + space.to_bytes(2, "little") + bytes(space)
                file.writestr(info, bytes(700 + i))
        data = buffer.getvalue()
        container = containers.opened(Held(data))
        new = b"".join(container.rewritten({1: b"z" * 1111}))
        with zipfile.ZipFile(io.BytesIO(new)) as file:
            for info in file.infolist():
                head = new[info.header_offset : info.header_offset + 30]
                start = (
                    info.header_offset
                    + 30
                    + sum(int.from_bytes(head[i : i + 2], "little") for i in (26, 28))
                )
                self.assertEqual(start % 256, 0)
            self.assertIsNone(file.testzip())


class BadContainers(unittest.TestCase):
    """Damaged and hostile containers."""

    def test_an_encrypted_entry_is_listed_but_not_read(self) -> None:
        data = bytearray(zipped([("a", b"secret"), ("b", b"open")]))
        central = data.find(b"PK\x01\x02")
        data[central + 8] |= 1
        container = containers.opened(Held(bytes(data)))
        self.assertIn("encrypted", container.entries[0].problem)
        self.assertEqual(container.read(1), b"open")
        with self.assertRaises(BadFile):
            container.read(0)
        with self.assertRaises(BadFile):
            list(container.rewritten({0: b"x"}))

    def test_any_cut_or_flipped_byte_is_an_error_in_words_and_never_wrong_data(self) -> None:
        rng = random.Random(7)
        for make in (zipped, lambda f: zipped(f, zipfile.ZIP_DEFLATED), tarred):
            good = make(files())
            truth = {data for _, data in files()}
            is_zip = good[:2] == b"PK"
            for _ in range(150):
                bad = bytearray(good)
                if rng.random() < 0.4:
                    del bad[rng.randrange(len(bad)) :]
                else:
                    bad[rng.randrange(len(bad))] ^= 1 << rng.randrange(8)
                try:
                    container = containers.opened(Held(bytes(bad)))
                    for entry in container.entries:
                        read = container.read(entry.index)
                        # TAR has no checksum over content, so only ZIP can promise it.
                        self.assertTrue(not is_zip or read in truth)
                except BadFile as error:
                    self.assertTrue(error.message and error.fix)

    def test_a_small_file_that_unpacks_to_more_than_it_says_is_refused(self) -> None:
        data = bytearray(zipped([("bomb", bytes(1 << 20))], zipfile.ZIP_DEFLATED))
        for signature, at in ((b"PK\x03\x04", 22), (b"PK\x01\x02", 24)):
            place = data.find(signature) + at
            data[place : place + 4] = (100).to_bytes(4, "little")
        with self.assertRaises(BadFile):
            containers.opened(Held(bytes(data))).read(0)

    def test_sixty_thousand_entries_are_listed_in_seconds(self) -> None:
        import time

        data = zipped([(f"d/{i}", b"x") for i in range(60000)])
        started = time.monotonic()
        self.assertEqual(len(containers.opened(Held(data)).entries), 60000)
        self.assertLess(time.monotonic() - started, 10)


if __name__ == "__main__":
    unittest.main()
