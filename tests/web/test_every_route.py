"""Every route of the API with what is not there or makes no sense: always words, never 500."""

import io
import random
import unittest
from collections.abc import Iterator
from typing import Any

from werkzeug.routing import Rule

from tests.games import catalogued, entry, small_game
from tests.web.test_api import ApiCase

WRITING = ("POST", "PUT", "DELETE", "PATCH")
STRANGE: tuple[Any, ...] = (
    *(None, [], {}, "words", 3, True, {"base": None}, {"base": "x", "edit": {}}),
    *({"base": -1, "edit": {"kind": "nothing"}}, {"base": 10**30, "edit": {"kind": "rename"}}),
    *({"title": "", "name": ""}, {"title": "x" * 10_000, "name": "../../x"}, {"title": "\0"}),
    *({"document": {}}, {"base": 1, "document": {"title": 5}}, {"document": [[[]]], "base": 2}),
    *({"entries": [-1, 2**70]}, {"entries": ["a"]}, {"ids": [9]}, {"paths": ["../../etc/passwd"]}),
    *({"root": "/no/such/folder"}, {"root": "\0"}, {"folder": "../.."}, {"ours": "perhaps"}),
    *({"name": "a", "revision": 2**80}, {"target": "nothing"}, {"targets": []}, {"action": 2**70}),
    *({"texels_per_metre": float("inf")}, {"texels_per_metre": -1}, {"words": ["a", 3]}),
)
"""Bodies that no page sends."""


class EveryRoute(ApiCase):
    def setUp(self) -> None:
        super().setUp()
        self.game = catalogued(self.ws, small_game(self.root / "game"))
        self.entry = entry(self.ws, self.game, "tex/wall_c.dds").id
        self.rules = [
            rule
            for rule in self.client.application.url_map.iter_rules()
            if rule.rule.startswith("/api/")
        ]

    def methods(self, rule: Rule) -> Iterator[str]:
        yield from sorted((rule.methods or set()) - {"HEAD", "OPTIONS"})

    def send(self, method: str, path: str, **options: Any) -> Any:
        headers = self.token if method in WRITING else {}
        return self.client.open(path, method=method, base_url=self.base, headers=headers, **options)

    def assert_said(self, answer: Any, what: str) -> None:
        """Check that a refusal says what is wrong and what to do, and shows nothing from inside."""
        self.assertLess(answer.status_code, 500, f"{what}: {answer.data[:400]!r}")
        if answer.status_code < 400:
            return
        told = answer.get_json(silent=True)
        self.assertIsInstance(told, dict, f"{what}: {answer.text[:200]}")
        for part in ("code", "message", "fix"):
            self.assertTrue(told[part], f"{what} has no {part}")
        for inside in ("Traceback", 'File "', "sqlalchemy", "pydantic"):
            self.assertNotIn(inside, answer.text, what)

    def filled(self, rule: Rule, words: dict[str, Any]) -> str:
        """Return a rule's path with its places filled in."""
        given = {name: words.get(name, words["else"]) for name in rule.arguments}
        for name, converter in rule._converters.items():
            if type(converter).__name__ == "IntegerConverter" and not isinstance(given[name], int):
                given[name] = 987654321
        built = rule.build(given)
        assert built is not None
        return built[1]

    def test_there_are_many_and_all_are_here(self) -> None:
        self.assertGreater(len(self.rules), 60)

    def test_things_that_are_not_there(self) -> None:
        for rule in self.rules:
            for method in self.methods(rule):
                for name in ("nothing", "0" * 40, "é ü", "-1"):
                    path = self.filled(rule, {"else": name})
                    body = {"json": {}} if method in WRITING else {}
                    what = f"{method} {path}"
                    with self.subTest(what):
                        self.assert_said(self.send(method, path, **body), what)

    def test_bodies_that_make_no_sense(self) -> None:
        surface = self.surface()
        words = {
            "else": "nothing",
            "project_id": self.project.id,
            "surface_id": surface["id"],
            "document_id": surface["id"],
            "revision_id": surface["revision"],
            "game_id": self.game,
            "entry_id": self.entry,
        }
        for rule in self.rules:
            for method in self.methods(rule):
                if method not in WRITING:
                    continue
                path = self.filled(rule, words)
                for body in STRANGE:
                    what = f"{method} {path} {str(body)[:60]}"
                    with self.subTest(what):
                        self.assert_said(self.send(method, path, json=body), what)
        # The server goes on, and what was there is there.
        kept = self.get(f"/api/surfaces/{surface['id']}").json["document"]
        self.assertEqual(kept["title"], "Wall")
        listed = self.get(f"/api/projects/{self.project.id}/surfaces").json
        self.assertEqual([one["id"] for one in listed], [surface["id"]])

    def test_bodies_that_are_no_json_and_files_that_are_none(self) -> None:
        chance = random.Random(20)
        rubbish = [b"", b"{", b"\xff\xfe", b"[1,", bytes(chance.randrange(256) for _ in range(300))]
        for rule in self.rules:
            for method in self.methods(rule):
                if method not in WRITING:
                    continue
                words = {"else": "nothing", "project_id": self.project.id, "game_id": self.game}
                path = self.filled(rule, {**words, "entry_id": self.entry})
                for data in rubbish:
                    what = f"{method} {path} {data[:8]!r}"
                    with self.subTest(what):
                        kind = "application/json"
                        self.assert_said(
                            self.send(method, path, data=data, content_type=kind), what
                        )
                strange = (io.BytesIO(rubbish[-1]), "x\0.png")
                for form in ({"file": strange}, {"file": "words"}, {"files": ["a", "b"]}):
                    with self.subTest(f"{method} {path} a form"):
                        self.assert_said(self.send(method, path, data=form), path)

    def test_questions_that_make_no_sense(self) -> None:
        surface = self.surface()
        key = surface["keys"]["colour"]["compress"]
        words = {
            "else": "nothing",
            "key": key,
            "surface_id": surface["id"],
            "project_id": self.project.id,
            "game_id": self.game,
            "entry_id": self.entry,
        }
        asked = "longest=-5&level=99&map=nothing&stage=never&words=%00&sort=up&down=maybe&least=x"
        for rule in self.rules:
            if "GET" not in self.methods(rule):
                continue
            path = self.filled(rule, words)
            for query in (
                asked,
                "longest=999999999999",
                "offset=-1&limit=0",
                "words=" + "a" * 5000,
            ):
                what = f"GET {path}?{query[:40]}"
                with self.subTest(what):
                    self.assert_said(self.send("GET", f"{path}?{query}"), what)


if __name__ == "__main__":
    unittest.main()
