"""Searches held against plainly looking at every file of the catalogue, one after the other."""

import random
import unittest

import numpy as np
from sqlmodel import select

from stonestack.core.catalogue.filenames import folded
from stonestack.services.game import finding
from stonestack.services.game.finding import Query, Sort
from stonestack.store.tables import EntryRow
from tests.games import catalogued, colour_dds
from tests.sizes import times
from tests.support import WorkspaceCase, png, raw_picture

WORDS = ("floor", "wall", "Ofen", "räuber", "tile 2", "ça", "x", "moss-green", "a.b", "100%", "ﬁn")
SUFFIXES = ("_c", "_n", "_h", "", "_spec", "-alpha")


class AgainstPlainLooking(WorkspaceCase):
    def setUp(self) -> None:
        super().setUp()
        chance = random.Random(8)
        game = self.root / "game"
        pictures = [raw_picture(12, 9), raw_picture(70, 40), colour_dds(1), colour_dds(2, 16)]
        for number in range(140):
            folder = game / chance.choice(["", "tex", "tex/old", "Sound", "tex2", "deep/er/and er"])
            folder.mkdir(parents=True, exist_ok=True)
            name = f"{chance.choice(WORDS)}{number % 17}{chance.choice(SUFFIXES)}"
            if chance.random() < 0.25:
                (folder / f"{name}.txt").write_text(f"words {number % 5}")
            else:
                data = chance.choice(pictures)
                kind = "dds" if data[:4] == b"DDS " else "png"
                (folder / f"{name}.{kind}").write_bytes(data)
        self.game = catalogued(self.ws, game)
        with self.ws.session() as session:
            rows = session.exec(select(EntryRow).where(EntryRow.game_id == self.game)).all()
            self.rows = [row.model_dump() for row in rows]

    def plainly(self, query: Query) -> set[int]:
        """Return the ids of what fits a query, found with no index."""
        found = set()
        pictured = {r["thing"] for r in self.rows if r["width"] > 0}
        for row in self.rows:
            longest = max(row["width"], row["height"])
            fits = all(word in row["haystack"] for word in folded(query.words).split())
            for column in ("kind", "role", "use", "alpha"):
                wanted = getattr(query, column)
                fits &= not wanted or row[column] == wanted
            if query.place:
                fits &= row["place"] == query.place or row["place"].startswith(f"{query.place}/")
            fits &= longest >= query.least
            if query.most:
                fits &= 0 < longest <= query.most
            if query.pictures:
                fits &= row["width"] > 0
            if not query.others and not query.kind:
                fits &= row["thing"] in pictured
            if fits:
                found.add(row["id"])
        return found

    def drawn(self, chance: random.Random) -> Query:
        row = chance.choice(self.rows)
        word = chance.choice([*WORDS, row["name"][1:5], row["path"][-7:-2], "nothing like it"])
        asked = {
            "words": chance.choice(["", word, f"{word} {row['name'][:2]}", word.upper()]),
            "kind": chance.choice(["", "", row["kind"]]),
            "role": chance.choice(["", "", row["role"]]),
            "use": chance.choice(["", "", "", row["use"]]),
            "alpha": chance.choice(["", "", "", row["alpha"]]),
            "place": chance.choice(["", "", row["place"], "tex"]),
            "least": chance.choice([0, 0, 13, 64]),
            "most": chance.choice([0, 0, 40]),
            "pictures": chance.random() < 0.2,
            "others": chance.random() < 0.5,
            "sort": chance.choice(list(Sort)),
            "down": chance.random() < 0.5,
        }
        return Query.model_validate(asked)

    def test_any_question_finds_what_looking_at_each_file_finds(self) -> None:
        chance, some = random.Random(9), 0
        for _ in range(times(2000, 80)):
            query = self.drawn(chance)
            with self.subTest(query.model_dump(exclude_defaults=True)):
                page = finding.search(self.ws, self.game, query)
                ids = [entry.id for entry in page.entries]
                self.assertEqual(set(ids), self.plainly(query))
                self.assertEqual(len(ids), page.total)
                self.assertEqual(len(set(ids)), len(ids))
                some += bool(ids)
        self.assertGreater(some, times(2000, 80) // 4)

    def test_by_whatever_column_pages_are_parts_of_one_order(self) -> None:
        for sort in Sort:
            for down in (False, True):
                with self.subTest(sort=sort, down=down):
                    asked = {"sort": sort, "down": down}
                    whole = finding.search(self.ws, self.game, Query(**asked)).entries
                    parts = []
                    for offset in range(0, len(whole) + 20, 20):
                        query = Query(**asked, offset=offset, limit=20)
                        parts += finding.search(self.ws, self.game, query).entries
                    self.assertEqual([e.id for e in parts], [e.id for e in whole])

    def test_up_and_down_are_the_same_order_from_its_two_ends(self) -> None:
        for sort in Sort:
            up = finding.search(self.ws, self.game, Query(sort=sort)).entries
            down = finding.search(self.ws, self.game, Query(sort=sort, down=True)).entries
            self.assertEqual([e.id for e in up], [e.id for e in reversed(down)])

    def test_what_is_counted_is_what_is_there(self) -> None:
        facets = finding.facets(self.ws, self.game)
        for column, counted in (
            ("kind", facets.kinds),
            ("role", facets.roles),
            ("place", facets.places),
        ):
            for value, count in counted.items():
                there = sum(row[column] == value for row in self.rows)
                self.assertEqual(count, there, (column, value))

    def test_what_comes_later_is_found_and_what_went_is_not(self) -> None:
        game = self.root / "game"
        self.assertEqual(finding.search(self.ws, self.game, Query(words="latecomer")).total, 0)
        (game / "latecomer_c.png").write_bytes(png(np.full((8, 8, 3), 90, np.uint8)))
        catalogued(self.ws, game)
        found = finding.search(self.ws, self.game, Query(words="latecomer"))
        self.assertEqual([e.path for e in found.entries], ["latecomer_c.png"])
        (game / "latecomer_c.png").unlink()
        catalogued(self.ws, game)
        self.assertEqual(finding.search(self.ws, self.game, Query(words="latecomer")).total, 0)


if __name__ == "__main__":
    unittest.main()
