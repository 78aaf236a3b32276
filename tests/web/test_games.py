"""Game folders through HTTP."""

from __future__ import annotations

import io
import time
import unittest
from typing import Any

from PIL import Image

from stonestack.services.documents import projects
from tests.games import catalogued, colour_dds, entry, painted, small_game, state
from tests.web.test_api import ApiCase


class GamesApi(ApiCase):
    def setUp(self) -> None:
        super().setUp()
        self.game = small_game(self.root / "game")
        self.project = projects.create(self.ws, "Garden", self.game)
        self.id = catalogued(self.ws, self.game)
        self.before = state(self.game)

    def ended(self, job: Any) -> Any:
        for _ in range(400):
            view = self.get(f"/api/jobs/{job['id']}").json
            if view["state"] not in ("waiting", "running"):
                return view
            time.sleep(0.05)
        raise AssertionError("The job does not end")

    def send(self, path: str, data: bytes) -> Any:
        return self.client.post(
            path,
            base_url=self.base,
            data={"file": (io.BytesIO(data), "x.png")},
            headers=self.token,
        )

    def planned(self, begun: Any) -> Any:
        """Return the plan that a job makes."""
        return self.get(f"/api/jobs/{self.ended(begun.json)['id']}/plan").json

    def test_register_read_find_look_plan_put_and_restore(self) -> None:
        view = self.get(f"/api/projects/{self.project.id}/registered-game").json
        self.assertEqual((view["id"], view["containers"], view["version"]), (self.id, 2, "1.0"))
        job = self.post(f"/api/games/{self.id}/catalogue", {"thorough": True}).json
        self.assertEqual(self.ended(job)["state"], "done")
        page = self.get(f"/api/games/{self.id}/entries?words=tex+floor&sort=path_").status_code
        self.assertEqual(page, 422)
        page = self.get(f"/api/games/{self.id}/entries?words=tex/floor").json
        found = page["entries"][0]
        at = f"/api/games/{self.id}/entries/{found['id']}"
        more = self.get(at).json
        self.assertIn("BC1", more["contract"])
        picture = self.get(f"{at}/picture.png?longest=32&sha256={found['sha256']}")
        self.assertIn("immutable", picture.headers["Cache-Control"])
        self.assertEqual(Image.open(io.BytesIO(picture.data)).size, (32, 32))
        plan = self.planned(self.send(f"{at}/plan", painted(colour_dds(2))))
        self.assertEqual(sum(x["ticked"] for x in plan["lines"]), 3)
        done = self.ended(self.send(f"{at}/put?ticked={found['id']}", painted(colour_dds(2))).json)
        self.assertEqual(done["result"]["paths"], ["tex/floor_c.dds"])
        ours = self.get(f"/api/games/{self.id}/ours").json
        self.assertEqual([p["state"] for p in ours["placed"]], ["in place"])
        for which in ("original", "now", "ours"):
            number = ours["placed"][0]["id"]
            seen = self.get(f"/api/games/{self.id}/placed/{number}/{which}.png")
            self.assertEqual(seen.mimetype, "image/png")
        shown = self.post(f"/api/games/{self.id}/shown", {"ours": False}).json
        self.assertEqual(shown["placed"][0]["state"], "original")
        self.ended(self.post(f"/api/games/{self.id}/restore", {}).json)
        self.assertEqual(state(self.game), self.before)

    def test_take_begins_a_surface_and_names_are_put_out(self) -> None:
        wall = entry(self.ws, self.id, "tex/wall_c.dds")
        begun = self.post(f"/api/projects/{self.project.id}/take/{self.id}", {"entries": [wall.id]})
        place = begun.json[0]["document"]["maps"][0]["place"]
        self.assertEqual(place["path"], "tex/wall_c.dds")
        note = {"path": "tex/wall_c.dds", "name": "Damp wall", "note": "", "shown": "world"}
        self.client.put(
            f"/api/games/{self.id}/note", base_url=self.base, json=note, headers=self.token
        )
        self.assertIn("Damp wall", self.get(f"/api/games/{self.id}/names.csv").text)
        marker = self.get(f"/api/games/{self.id}/entries/{wall.id}/marker.png")
        self.assertEqual(Image.open(io.BytesIO(marker.data)).size, (64, 64))

    def test_many_files_are_matched_by_name_in_one_plan(self) -> None:
        def files() -> dict[str, list[tuple[io.BytesIO, str]]]:
            return {
                "files": [
                    (io.BytesIO(painted(colour_dds(1))), "wall_c.png"),
                    (io.BytesIO(painted(colour_dds(2))), "floor_c.png"),
                    (io.BytesIO(b"mine"), "notes.txt"),
                ]
            }

        def send(what: str) -> Any:
            return self.client.post(
                f"/api/games/{self.id}/{what}",
                base_url=self.base,
                data=files(),
                headers=self.token,
            )

        plan = self.planned(send("plan"))
        self.assertEqual(len(plan["unmatched"]), 1)
        done = self.ended(send("put").json)
        self.assertEqual(
            set(done["result"]["paths"]), {x["path"] for x in plan["lines"] if x["ticked"]}
        )
        self.assertIn("tex/wall_c.dds", done["result"]["paths"])

    def test_a_moved_folder_is_pointed_to_and_keeps_its_catalogue(self) -> None:
        self.game.rename(self.root / "moved")
        gone = self.get(f"/api/projects/{self.project.id}/registered-game")
        self.assertEqual(gone.json["code"], "game-folder-gone")
        body = {"root": str(self.root / "moved"), "moved": True}
        now = self.client.put(
            f"/api/projects/{self.project.id}/registered-game",
            base_url=self.base,
            json=body,
            headers=self.token,
        ).json
        self.assertEqual((now["id"], now["entries"]), (self.id, 13))

    def test_writes_without_the_pages_token_are_refused(self) -> None:
        answer = self.client.post(f"/api/games/{self.id}/restore", base_url=self.base, json={})
        self.assertEqual(answer.status_code, 403)


if __name__ == "__main__":
    unittest.main()
