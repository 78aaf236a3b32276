import io
import re
import threading
import time
import unittest
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import numpy as np
from PIL import Image

from stonestack.core.files.blocks.formats import BlockFormat
from stonestack.core.files.codecs import ktx2
from stonestack.core.runtime.errors import BadRequest
from stonestack.services.documents import projects
from stonestack.web.app import STATIC, create_app
from tests.games import small_game
from tests.support import WorkspaceCase, raw_picture


class ApiCase(WorkspaceCase):
    """The real application, spoken to through HTTP."""

    base = "http://127.0.0.1:8431"

    def setUp(self) -> None:
        super().setUp()
        self.project = projects.create(self.ws, "Glasshouse", None)
        app = create_app(self.ws)
        self.guard = app.extensions["guard"]
        self.client = app.test_client()
        self.client.get(f"/?key={self.guard.secret}", base_url=self.base)
        page = self.client.get("/", base_url=self.base).text
        match = re.search(r'name="stone-token" content="([^"]+)"', page)
        assert match
        self.token = {"X-Stone-Token": match[1]}

    def get(self, path: str, **options: Any) -> Any:
        return self.client.get(path, base_url=self.base, **options)

    def post(self, path: str, body: Any = None, **options: Any) -> Any:
        headers = {**self.token, **options.pop("headers", {})}
        return self.client.post(path, base_url=self.base, json=body, headers=headers, **options)

    def upload(self, name: str, data: bytes) -> Any:
        return self.client.post(
            f"/api/projects/{self.project.id}/sources",
            base_url=self.base,
            data={"file": (io.BytesIO(data), name)},
            headers=self.token,
        )

    def surface(self) -> Any:
        body = {"title": "Wall", "name": "wall"}
        made = self.post(f"/api/projects/{self.project.id}/surfaces", body).json
        origin = self.upload("wall.png", raw_picture()).json["origin"]
        change = {"kind": "set_origin", "map": "colour", "origin": origin}
        path = f"/api/surfaces/{made['id']}/edits"
        return self.post(path, {"base": made["revision"], "edit": change}).json


class AtOnce(ApiCase):
    """The same thing asked for several times at once: one result, the others told."""

    def answers(self, count: int, ask: Callable[[Any], Any]) -> list[Any]:
        clients = [self.client.application.test_client() for _ in range(count)]
        for client in clients:
            client.get(f"/?key={self.guard.secret}", base_url=self.base)
        with ThreadPoolExecutor(count) as pool:
            return list(pool.map(ask, clients))

    def test_one_picture_four_times(self) -> None:
        data = raw_picture(80, 60)

        def bring(client: Any) -> Any:
            return client.post(
                f"/api/projects/{self.project.id}/sources",
                base_url=self.base,
                data={"file": (io.BytesIO(data), "wall.png")},
                headers=self.token,
            )

        answers = self.answers(4, bring)
        self.assertEqual({a.status_code for a in answers}, {200})
        self.assertEqual(len({a.json["id"] for a in answers}), 1)
        listed = self.get(f"/api/projects/{self.project.id}/sources").json
        self.assertEqual(len(listed), 1)

    def test_one_folder_six_times(self) -> None:
        game = small_game(self.root / "game")

        def register(client: Any) -> Any:
            body = {"root": str(game)}
            return client.post("/api/games", base_url=self.base, json=body, headers=self.token)

        answers = self.answers(6, register)
        self.assertEqual({a.status_code for a in answers}, {200})
        self.assertEqual(len({a.json["id"] for a in answers}), 1)

    def test_one_surface_name_six_times(self) -> None:
        def start(client: Any) -> Any:
            return client.post(
                f"/api/projects/{self.project.id}/surfaces",
                base_url=self.base,
                json={"title": "Wall", "name": "wall"},
                headers=self.token,
            )

        answers = self.answers(6, start)
        self.assertEqual(sorted(a.status_code for a in answers), [200, *[400] * 5])
        self.assertEqual({a.json["code"] for a in answers if a.status_code == 400}, {"name-taken"})
        self.assertEqual(len(self.get(f"/api/projects/{self.project.id}/surfaces").json), 1)


class Shaping(ApiCase):
    """From raw material to a tile."""

    def test_sizes_frames_and_light_are_proposed_for_a_map(self) -> None:
        surface = self.surface()
        at = f"/api/surfaces/{surface['id']}"
        sizes = self.get(f"{at}/sizes?map=colour").json
        self.assertGreater(len(sizes), 1)
        self.assertTrue(all(size["words"] for size in sizes))
        frame = self.get(f"{at}/frame?map=colour").json
        self.assertIsNone(frame["frame"])
        self.assertIn("Nothing recurs", frame["words"])
        light = self.get(f"{at}/light?map=colour").json["key"]
        self.assertEqual(self.get(f"/api/renders/{light}/picture.png").mimetype, "image/png")

    def test_a_frame_that_is_none_is_refused_in_words(self) -> None:
        surface = self.surface()
        crossed = {"top_left": {"x": 1, "y": 1}, "bottom_right": {"x": 0, "y": 0}}
        edit = {"kind": "set_frame", "map": "colour", "frame": crossed}
        path = f"/api/surfaces/{surface['id']}/edits"
        answer = self.post(path, {"base": surface["revision"], "edit": edit})
        self.assertEqual(answer.status_code, 422)
        self.assertTrue(answer.json["fix"])

    def test_what_a_picture_is_comes_with_it_when_it_is_brought(self) -> None:
        facts = self.upload("wall_c.png", raw_picture()).json["facts"]
        self.assertEqual((facts["role"], facts["stem"]), ("colour", "wall"))
        self.assertIn("suffix _c", facts["role_reason"])

    def test_a_project_s_density_is_kept_and_bounded(self) -> None:
        path = f"/api/projects/{self.project.id}/density"

        def put(value: int) -> Any:
            body = {"texels_per_metre": value}
            return self.client.put(path, base_url=self.base, json=body, headers=self.token)

        self.assertEqual(put(256).json["texels_per_metre"], 256)
        self.assertEqual(put(2).status_code, 422)
        self.assertEqual(self.get(f"/api/projects/{self.project.id}").json["texels_per_metre"], 256)


class TheWay(ApiCase):
    def test_from_a_file_to_compressed_levels(self) -> None:
        surface = self.surface()
        key = surface["keys"]["normal"]["compress"]
        texture = self.get(f"/api/renders/{key}/texture.ktx2")
        self.assertEqual(texture.data[:12], b"\xabKTX 20\xbb\r\n\x1a\n")
        self.assertIn("immutable", texture.headers["Cache-Control"])
        facts = self.get(f"/api/renders/{key}/facts?stage=compress").json
        self.assertEqual((facts["format"], facts["width"]), ("bc5", 256))
        picture = self.get(f"/api/renders/{key}/picture.png?longest=96")
        self.assertEqual(picture.mimetype, "image/png")

    def test_a_look_that_passes_has_the_texels_that_its_picture_has(self) -> None:
        surface = self.surface()
        for role in ("colour", "normal", "height"):
            answer = self.get(f"/api/renders/{surface['keys'][role]['size']}/texels.ktx2")
            self.assertEqual(answer.mimetype, "image/ktx2")
            texture = ktx2.read(answer.data)
            self.assertEqual((texture.format, len(texture.levels)), (BlockFormat.RGBA8, 1))
            self.assertEqual(texture.srgb, role == "colour")
            png = self.get(f"/api/renders/{surface['keys'][role]['size']}/picture.png")
            shown = np.asarray(Image.open(io.BytesIO(png.data)).convert("RGB"))
            np.testing.assert_array_equal(texture.texels()[..., :3], shown)

    def test_a_look_at_an_edit_brings_its_texels_and_where_they_are_found_again(self) -> None:
        surface = self.surface()
        path = f"/api/surfaces/{surface['id']}"
        step = {"id": "new", "params": {"kind": "fill", "colour": "#804020"}}
        edit = {"kind": "add_step", "map": "colour", "step": step}
        body = {"edit": edit, "map": "colour", "stage": "steps", "longest": 128}
        answer = self.post(f"{path}/look", body)
        self.assertEqual(answer.status_code, 200)
        self.assertRegex(answer.headers["Server-Timing"], r"^look;dur=\d+\.\d$")
        texels = ktx2.read(answer.data).texels()
        self.assertLessEqual(max(texels.shape[:2]), 128)
        self.assertTrue((texels[..., :3] == [0x80, 0x40, 0x20]).all())
        key = answer.headers["X-Stone-Key"]
        self.assertEqual(self.get(f"/api/renders/{key}/texels.ktx2").data, answer.data)
        self.assertEqual(self.get(path).json["revision"], surface["revision"])
        nothing = self.post(f"{path}/look", {**body, "edit": {**edit, "map": "no"}})
        self.assertEqual(nothing.status_code, 400)

    def test_what_changed_between_two_states_is_said(self) -> None:
        surface = self.surface()
        path = f"/api/surfaces/{surface['id']}"
        before = surface["revision"]
        edit = {"kind": "add_map", "role": "blend"}
        after = self.post(f"{path}/edits", {"base": before, "edit": edit}).json["revision"]
        said = self.get(f"{path}/changed?before={before}").json["lines"]
        self.assertEqual(said, ["Blend added"])
        back = self.get(f"{path}/changed?before={after}&after={before}").json["lines"]
        self.assertEqual(back, ["Blend removed"])
        self.assertEqual(self.get(f"{path}/changed?before=999999").status_code, 400)

    def test_a_render_that_was_left_can_be_asked_for_again(self) -> None:
        key = self.surface()["keys"]["colour"]["size"]
        self.ws.renderer.on_run = lambda node: self.ws.renderer.drop([key])
        left = self.get(f"/api/renders/{key}/facts?stage=size")
        self.assertEqual((left.status_code, left.json["code"]), (410, "not-wanted"))
        # A browser keeps a 410 for ever unless it is told not to.
        self.assertEqual(left.headers["Cache-Control"], "no-store")
        self.ws.renderer.on_run = None
        again = self.get(f"/api/renders/{key}/facts?stage=size")
        self.assertEqual(again.status_code, 200)
        self.assertIn("immutable", again.headers["Cache-Control"])

    def test_a_stale_edit_is_a_conflict_with_words(self) -> None:
        surface = self.surface()
        edit = {"kind": "rename", "title": "New"}
        path = f"/api/surfaces/{surface['id']}/edits"
        base = surface["revision"]
        self.assertEqual(self.post(path, {"base": base, "edit": edit}).status_code, 200)
        late = self.post(path, {"base": base, "edit": edit})
        self.assertEqual((late.status_code, late.json["code"]), (409, "stale-edit"))

    def test_one_press_reports_a_job_to_its_end(self) -> None:
        surface = self.surface()
        job = self.post(f"/api/surfaces/{surface['id']}/deliver").json
        until, pause = time.monotonic() + 60, threading.Event()
        while job["state"] in ("waiting", "running") and time.monotonic() < until:
            job = self.get(f"/api/jobs/{job['id']}").json
            pause.wait(0.05)  # Polling without pause would starve the job itself.
        self.assertEqual(job["state"], "failed")  # No game folder is registered here.
        self.assertEqual(job["problem"]["code"], "no-game-folder")

    def test_parameters_out_of_range_are_refused_with_their_place(self) -> None:
        surface = self.surface()
        step = {"params": {"kind": "levels", "black": 3}}
        edit = {"kind": "add_step", "map": "colour", "step": step}
        answer = self.post(
            f"/api/surfaces/{surface['id']}/edits", {"base": surface["revision"], "edit": edit}
        )
        self.assertEqual(answer.status_code, 422)
        self.assertIn("black", answer.json["message"])

    def test_the_knowledge_describes_every_form(self) -> None:
        steps = {s["name"]: s for s in self.get("/api/knowledge").json["steps"]}
        feather = steps["cut_tile"]["parameters"]["properties"]["feather"]
        self.assertEqual((feather["minimum"], feather["maximum"]), (0, 10))
        self.assertTrue(feather["title"] and feather["description"])


class BadInput(ApiCase):
    def test_each_bad_file_gets_an_answer_and_the_server_goes_on(self) -> None:
        cases = {
            "broken.png": raw_picture()[:900],
            "words.png": b"only words" * 50,
            "empty.png": b"",
            "box.zip": b"PK\x03\x04" + bytes(60),
        }
        for name, data in cases.items():
            with self.subTest(name):
                answer = self.upload(name, data)
                self.assertEqual(answer.status_code, 422)
                self.assertTrue(answer.json["message"] and answer.json["fix"])
        self.assertEqual(self.get(f"/api/projects/{self.project.id}/sources").json, [])
        self.assertEqual(self.upload("good.png", raw_picture()).status_code, 200)

    def test_a_name_that_climbs_is_refused(self) -> None:
        answer = self.upload("../../etc/wall.png", raw_picture())
        self.assertEqual(answer.json["code"], "bad-file-name")
        self.assertEqual(self.get(f"/api/projects/{self.project.id}/sources").json, [])

    def test_an_extension_that_lies_is_said_and_read_right(self) -> None:
        facts = self.upload("wall.jpg", raw_picture()).json["facts"]
        self.assertTrue(facts["extension_lies"])
        self.assertEqual(facts["kind"], "png")

    def test_things_that_are_not_there_are_said_so(self) -> None:
        for path in (
            "/api/surfaces/nothing",
            f"/api/renders/{'0' * 40}/picture.png",
            "/api/jobs/nothing",
            "/api/nothing",
        ):
            answer = self.get(path)
            self.assertEqual(answer.status_code, 404, path)
            self.assertTrue(answer.json["fix"])
        self.assertEqual(self.get("/api/renders/../../etc/picture.png").status_code, 404)

    def test_bodies_that_are_not_json_are_refused(self) -> None:
        path = f"/api/projects/{self.project.id}/surfaces"
        answer = self.client.post(
            path, base_url=self.base, data=b"{", headers=self.token, content_type="application/json"
        )
        self.assertIn(answer.status_code, (400, 422))
        self.assertTrue(answer.json["message"])


class Guards(ApiCase):
    def test_other_hosts_are_refused(self) -> None:
        for host in ("http://stone.example", "http://192.168.0.9:8431"):
            answer = self.client.get("/api/projects", base_url=host)
            self.assertEqual((answer.status_code, answer.json["code"]), (403, "wrong-host"))

    def test_writes_need_the_token_of_this_start(self) -> None:
        path, body = f"/api/projects/{self.project.id}/surfaces", {"title": "A", "name": "a"}
        for headers in ({}, {"X-Stone-Token": "guess"}):
            answer = self.client.post(path, base_url=self.base, json=body, headers=headers)
            self.assertEqual((answer.status_code, answer.json["code"]), (403, "no-token"))

    def test_writes_from_another_page_are_refused_even_with_the_token(self) -> None:
        path, body = f"/api/projects/{self.project.id}/surfaces", {"title": "A", "name": "a"}
        answer = self.post(path, body, headers={"Origin": "http://evil.example"})
        self.assertEqual((answer.status_code, answer.json["code"]), (403, "foreign-page"))
        self.assertEqual(self.get(f"/api/projects/{self.project.id}/surfaces").json, [])

    def test_the_page_has_a_strict_policy(self) -> None:
        policy = self.get("/").headers["Content-Security-Policy"]
        self.assertIn("default-src 'self'", policy)
        self.assertNotIn("unsafe", policy)

    def test_a_fault_of_ours_is_no_traceback(self) -> None:
        from unittest import mock

        with (
            mock.patch.object(projects, "listed", side_effect=RuntimeError("secret detail")),
            self.assertLogs("stonestack.services.jobs", "ERROR"),
        ):
            answer = self.get("/api/projects")
        self.assertEqual((answer.status_code, answer.json["code"]), (500, "our-fault"))
        self.assertNotIn("secret", answer.text)

    def test_the_built_pages_are_there(self) -> None:
        self.assertTrue((STATIC / "index.html").is_file())


class Words(unittest.TestCase):
    def test_an_error_holds_what_is_wrong_and_what_to_do(self) -> None:
        self.assertEqual(
            str(BadRequest("c", "This is wrong.", "Do that.")), "This is wrong. Do that."
        )
