"""A new user with a game of their own: a folder of loose files and one container."""

import re
import shutil
import tempfile
import unittest
from pathlib import Path

from playwright.sync_api import Route, expect

from stonestack.cli import main
from stonestack.core.files import codecs
from tests.browser.case import PATIENCE, BrowserCase
from tests.core.files.test_archives import zipped
from tests.forked import Program
from tests.games import colour_dds, state
from tests.sizes import swept
from tests.support import raw_picture


def harbour(root: Path) -> Path:
    """Write a made-up game: loose textures, a container, and much that is no picture."""
    files = {
        "data/art/ground/cobble_d.dds": colour_dds(11, 128),
        "data/art/walls/brick_d.dds": colour_dds(13),
        "data/art/pack0.hold": zipped([("slate_d.dds", colour_dds(14)), ("note.txt", b"hi")]),
        "bin/engine.dll": b"MZ" + bytes(3000),
        "data/sounds/sea.ogg": b"OggS" + bytes(900),
        "readme.txt": b"Harbour",
    }
    for name, data in files.items():
        path = root / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(data)
    return root


class OwnGame(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        self.root = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, self.root)
        self.game = harbour(self.root / "Harbour")
        self.before = state(self.game)
        server = Program(main.main, "serve", "--port", 0, data=self.root / "data")
        self.addCleanup(server.stop)
        self.page.goto(server.address)
        # The address that lets in leads on; a reload before that is done would be for nothing.
        self.page.wait_for_url(lambda address: "key=" not in address)

    def go(self, view: str) -> None:
        views = self.page.get_by_role("navigation", name="Views")
        views.get_by_role("link", name=view, exact=True).click()

    def start_project(self) -> None:
        page = self.page
        page.get_by_label("Title").fill("Harbour")
        page.get_by_label("Game folder, if there is one yet").fill(str(self.game))
        expect(page.get_by_label("What the game takes")).to_have_value("loose")
        page.get_by_role("button", name="Start").click()
        page.wait_for_url(re.compile("/sources$"))

    def start_surface(self) -> None:
        page = self.page
        self.go("Surfaces")
        with page.expect_file_chooser() as chooser:
            page.get_by_role("button", name="Choose a picture").click()
        picture = self.root / "moss.png"
        picture.write_bytes(raw_picture(300, 200))
        chooser.value.set_files(picture)
        page.get_by_role("dialog").get_by_role("button", name="Start").click()
        page.wait_for_url(re.compile("/bench/"))

    @swept
    def test_it_is_said_while_what_computes_is_prepared_and_pages_work_meanwhile(self) -> None:
        page, state = self.page, {"state": "running"}
        job = {"id": "a", "title": "Prepare", "progress": 0.4, "doing": "Preparing: once"}

        def answer(route: Route) -> None:
            route.fulfill(json={"job": {**job, **state, "result": None, "problem": None}})

        page.route("**/api/preparing", answer)
        page.reload()  # what was asked before is answered by the server
        self.start_project()
        bar = page.get_by_role("progressbar", name="Preparing")
        expect(bar).to_have_attribute("aria-valuenow", "40")
        self.go("Surfaces")
        expect(page.get_by_role("button", name="Choose a picture")).to_be_visible()
        expect(bar).to_be_visible()
        state["state"] = "done"
        expect(bar).to_have_count(0, timeout=PATIENCE)

    def test_from_a_first_start_into_the_game_and_out_byte_for_byte(self) -> None:
        page = self.page
        self.start_project()
        courses = page.get_by_role("table", name="Things in the game")
        expect(courses.get_by_text("cobble", exact=True)).to_be_visible()
        expect(courses.get_by_text("slate", exact=True)).to_be_visible()
        expect(courses.get_by_text("engine", exact=True)).to_have_count(0)
        page.get_by_role("button", name="4 others, not shown").click()
        expect(courses.get_by_text("engine", exact=True)).to_be_visible()

        for view, first in (
            ("Materials", "To the surfaces"),
            ("Your game", "To the surfaces"),
            ("Surfaces", "Take one from the game"),
        ):
            self.go(view)
            expect(page.get_by_role("link", name=first)).to_be_visible()
        self.go("Deliveries")
        expect(page.get_by_role("button", name="Start a delivery")).to_be_visible()

        self.start_surface()
        page.get_by_role("button", name="Put in the game").click()
        plan = page.get_by_role("dialog")
        expect(plan.get_by_text("a new file").first).to_be_visible()
        self.assertEqual(state(self.game), self.before)
        into = plan.get_by_label("Folder inside the game")
        into.fill("data/art/ground")
        into.press("Enter")
        expect(plan.get_by_text("data/art/ground/moss_c.dds")).to_be_visible()
        plan.get_by_role("button", name="files in the game").click()
        page.wait_for_url(re.compile("/game$"))
        expect(page.get_by_text("3 files in data/art/ground")).to_be_visible()
        new = set(state(self.game)) - set(self.before)
        self.assertEqual(new, {f"data/art/ground/moss_{s}.dds" for s in "cns"})
        texture = codecs.dds.read((self.game / "data/art/ground/moss_c.dds").read_bytes())
        self.assertEqual(texture.width & (texture.width - 1), 0)

        self.go("Deliveries")
        page.get_by_role("button", name="Take out").click()
        expect(page.get_by_text("is not installed")).to_be_visible()
        self.assertEqual(state(self.game), self.before)

    @swept
    def test_a_folder_that_leads_out_of_the_game_is_refused_in_words(self) -> None:
        self.allowed += ("400",)
        page = self.page
        self.start_project()
        self.start_surface()
        page.get_by_role("button", name="Put in the game").click()
        into = page.get_by_role("dialog").get_by_label("Folder inside the game")
        into.fill("../elsewhere")
        into.press("Enter")
        expect(page.get_by_role("alert").get_by_text("has to lie inside the game")).to_be_visible()
        self.assertEqual(state(self.game), self.before)

    @swept
    def test_the_project_is_for_a_second_game_and_that_is_undone(self) -> None:
        page = self.page
        self.start_project()
        self.start_surface()
        page.get_by_role("link", name="Harbour", exact=True).click()
        page.get_by_role("checkbox", name="Saltglass").check()
        actions = page.get_by_role("region", name="What was done")
        expect(actions.get_by_text("For A folder of loose files, Saltglass")).to_be_visible()
        expect(actions.get_by_role("link", name="Moss").first).to_be_visible()

        self.go("Bench")
        self.cell("colour", "output").click()
        shown = page.get_by_label("For which game")
        expect(shown).to_have_value("loose")
        shown.select_option("saltglass")
        expect(page.get_by_text("textures/moss_c.dds")).to_be_visible()
        self.go("Deliveries")
        page.get_by_role("button", name="Start a delivery").click()
        page.get_by_label("Moss").check()
        expect(page.get_by_text("materials/moss.json")).to_be_visible()
        page.get_by_role("button", name="Start one for A folder of loose files").click()
        page.get_by_label("Moss").check()
        expect(page.get_by_role("cell", name="moss_c.dds")).to_be_visible()
        expect(page.get_by_text("materials/moss.json")).to_have_count(0)

        page.get_by_role("link", name="Harbour", exact=True).click()
        page.keyboard.press("z")
        expect(
            actions.get_by_role("row", name=re.compile("For Saltglass, A folder"))
        ).to_contain_text("undone")
        page.keyboard.press("z")
        expect(page.get_by_role("checkbox", name="Saltglass")).not_to_be_checked()

    @swept
    def test_a_state_is_named_left_and_returned_to(self) -> None:
        page = self.page
        self.start_project()
        self.start_surface()
        self.cell("colour", "output").click()
        page.get_by_text("What was changed, newest first").click()
        page.get_by_role("button", name=re.compile("^Name “Colour from moss.png")).click()
        field = page.get_by_label("Name of this state")
        field.fill("As it came")
        field.press("Enter")
        expect(page.get_by_text("newest first; 1 named")).to_be_visible()
        name = page.get_by_label("File name, as the game looks it up")
        name.fill("moss_wet")
        name.press("Enter")
        expect(page.get_by_text("moss_wet.dds").first).to_be_visible()
        entry = page.get_by_role("listitem").filter(has_text="As it came")
        entry.get_by_role("button", name="Take back").click()
        expect(name).to_have_value("moss_c")
        page.get_by_role("button", name="Forget the name").click()
        expect(page.get_by_text("As it came")).to_have_count(0)


if __name__ == "__main__":
    unittest.main()
