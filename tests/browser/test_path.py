"""The whole path in the visible interface: from a raw picture to the game's room."""

from __future__ import annotations

import re
import shutil
import tempfile
import unittest
from pathlib import Path

import numpy as np
from playwright.sync_api import APIResponse, Locator, Route, expect

from stonestack.cli import main
from tests.browser.case import PATIENCE, SMALL, BrowserCase, DemoCase, looks
from tests.forked import Program
from tests.sizes import swept
from tests.support import noise, png


def violet_picture(width: int = 531, height: int = 389) -> bytes:
    """Return a raw picture of an odd size, with uneven light, in a hue that no demo surface has."""
    grain = noise(width, height, 21, 8, channels=1)
    light = np.linspace(0.45, 1, width, dtype=np.float32)[np.newaxis, :, np.newaxis]
    tint = np.array([0.62, 0.1, 0.9], np.float32)
    return png(((0.35 + 0.65 * grain) * light * tint * 255).astype(np.uint8))


def violet_share(picture: np.ndarray) -> float:
    red, green, blue = (picture[..., n] for n in range(3))
    return float(((blue > green * 1.6) & (red > green * 1.15) & (blue > 40)).mean())


def placeholder_share(picture: np.ndarray) -> float:
    red, green, blue = (picture[..., n] for n in range(3))
    pink = (red > 240) & (green < 20) & (abs(blue - 160) < 20)
    yellow = (red > 240) & (green > 220) & (blue < 20)
    return float((pink | yellow).mean())


def step_at_centre(picture: np.ndarray) -> float:
    """Return how unusual the step at the middle column is, where two repeats meet."""
    steps = np.diff(picture, axis=1)
    surprise = np.abs(steps[:, 1:-1] - (steps[:, :-2] + steps[:, 2:]) / 2).mean(axis=(0, 2))
    middle = picture.shape[1] // 2
    around = surprise[middle - 4 : middle + 2].max()
    return float(around / np.percentile(surprise, 95))


class PathCase(DemoCase):
    def open_surface(self, title: str) -> None:
        self.page.goto(self.server.address)
        self.page.get_by_role("link", name=title).click()
        expect(self.page.get_by_test_id("light")).to_have_attribute(
            "data-stored", re.compile("BC"), timeout=PATIENCE
        )

    def put_in_the_game(self) -> Locator:
        self.page.get_by_role("button", name="Put in the game").click()
        room = self.page.frame_locator("iframe").locator("canvas#room")
        expect(room).to_have_attribute("data-state", "shown", timeout=PATIENCE)
        return room

    def log_text(self) -> str:
        frame = self.page.frame_locator("iframe")
        frame.get_by_role("button", name="Loader's log").click()
        return frame.locator("#log").inner_text()


class WholePath(PathCase):
    size = SMALL

    @looks
    def test_a_dropped_picture_tiles_is_derived_lit_and_seen_in_the_room(self) -> None:
        page = self.page
        self.open_surface("Limewash plaster")
        self.drop(self.cell("colour", "source"), "violet raw.png", violet_picture())
        expect(self.cell("colour", "source")).to_contain_text("531 × 389")
        expect(self.cell("colour", "source")).to_contain_text("uneven light")
        # Its raw edges show where the repeats meet; after the steps they do not.
        flat = page.get_by_test_id("flat")
        self.cell("colour", "source").click()
        self.assertGreater(step_at_centre(self.settled(flat)), 2.0)
        self.cell("colour", "steps").click()
        expect(self.cell("colour", "steps")).to_contain_text("tiles both ways")
        self.assertLess(step_at_centre(self.settled(flat)), 1.4)
        # The other maps follow from it, down to their compressed blocks.
        for role, format_ in (("colour", "BC1"), ("normal", "BC5"), ("specular", "BC4")):
            expect(self.cell(role, "compress")).to_contain_text(format_)
            expect(self.cell(role, "compress")).to_contain_text(re.compile(r"\d (KB|MB)"))
        expect(self.cell("specular", "steps")).to_contain_text("seam")
        light = page.get_by_test_id("light")
        expect(light).to_have_attribute("data-stored", "BC1 BC5 BC4")
        self.assertGreater(violet_share(self.settled(light)), 0.3)
        # One press, and the room shows it.
        room = self.put_in_the_game()
        seen = self.settled(room)
        self.assertGreater(violet_share(seen), 0.1)
        self.assertEqual(placeholder_share(seen), 0)
        frame = page.frame_locator("iframe")
        frame.get_by_role("button", name="As it came").click()
        self.assertLess(violet_share(self.settled(room)), 0.01)
        self.assertIn("wall_limewash_c.dds", self.log_text())

    @swept
    @looks
    def test_a_name_one_letter_off_leaves_the_original_on_screen(self) -> None:
        page = self.page
        self.open_surface("Bottle glass")
        self.drop(self.cell("colour", "source"), "violet.png", violet_picture(400, 300))
        expect(self.cell("colour", "source")).to_contain_text("400 × 300")
        # Only its colour goes out, so that nothing else of ours is on the plinth.
        for role in ("normal", "specular"):
            self.cell(role, "output").click()
            page.get_by_label("Goes into the delivery").uncheck()
            expect(self.cell(role, "output")).to_contain_text("not delivered")
        self.cell("colour", "output").click()
        field = page.get_by_label("File name, as the game looks it up")
        field.fill("glass_botle_c")
        field.press("Enter")
        expect(self.cell("colour", "output")).to_contain_text("glass_botle_c.dds")
        room = self.put_in_the_game()
        frame = page.frame_locator("iframe")
        ours = self.settled(room)
        frame.get_by_role("button", name="As it came").click()
        original = self.settled(room)
        frame.get_by_role("button", name="As it came").click()
        # Where the plinth stands, nothing differs from the game as it came.
        height, width = ours.shape[:2]
        rows, columns = slice(height // 2, height * 3 // 5), slice(width * 17 // 50, width * 2 // 5)
        place = rows, columns
        self.assert_same_picture(ours[place], original[place])
        self.assertEqual(placeholder_share(ours), 0)
        told = self.log_text()
        self.assertIn("glass_botle_c.dds", told)
        self.assertIn("there is textures/glass_bottle_c.dds", told)


def door(picture: np.ndarray) -> np.ndarray:
    """Return the part of the room's picture where the door stands."""
    height, width = picture.shape[:2]
    return picture[height * 36 // 100 : height * 52 // 100, width * 46 // 100 : width * 52 // 100]


def tint(picture: np.ndarray) -> float:
    """Return how far from grey a picture is."""
    return float(np.abs(picture[..., 0] - picture[..., 2]).mean())


class Working(PathCase):
    def test_undo_and_redo_by_key_outlive_a_reload(self) -> None:
        page = self.page
        self.open_surface("Peat and moss")
        self.cell("normal", "steps").click()
        field = page.get_by_role("textbox", name="Relief")
        field.fill("4.2")
        field.press("Enter")
        expect(page.get_by_role("textbox", name="Relief")).to_have_value("4.2")
        expect(page.get_by_role("button", name="Undo")).to_be_enabled()
        self.cell("normal", "steps").focus()
        page.keyboard.press("z")
        expect(page.get_by_role("textbox", name="Relief")).to_have_value("1.6")
        page.reload()
        expect(page.get_by_role("textbox", name="Relief")).to_have_value("1.6")
        page.get_by_role("button", name="Redo").click()
        expect(page.get_by_role("textbox", name="Relief")).to_have_value("4.2")
        page.keyboard.press("z")
        expect(page.get_by_role("textbox", name="Relief")).to_have_value("1.6")

    @swept
    def test_a_field_that_is_left_by_pressing_on_another_control_keeps_what_was_typed(self) -> None:
        page = self.page
        self.open_surface("Peat and moss")

        def slowly(route: Route) -> None:
            page.wait_for_timeout(500)
            route.continue_()

        page.route("**/edits", slowly)
        self.cell("specular", "output").click()
        page.get_by_label("File name, as the game looks it up").fill("moss_wet_s")
        page.get_by_label("Goes into the delivery").uncheck()
        expect(self.cell("specular", "output")).to_contain_text("not delivered")
        page.get_by_label("Goes into the delivery").check()
        expect(self.cell("specular", "output")).to_contain_text("moss_wet_s.dds")
        self.cell("colour", "steps").click()
        self.pick("Add a step", "Tone")
        saturation = page.get_by_role("textbox", name="Saturation")
        saturation.fill("0.4")
        tone = page.get_by_role("checkbox", name="Tone")
        tone.uncheck()
        expect(saturation).to_have_count(0)
        tone.check()
        expect(saturation).to_have_value("0.40")
        for _ in range(7):
            page.keyboard.press("z")
        expect(self.cell("colour", "steps")).to_contain_text("2 steps")
        expect(self.cell("specular", "output")).to_contain_text("bed_peat_s.dds")

    @swept
    def test_a_job_is_followed_over_a_reload(self) -> None:
        page = self.page
        self.open_surface("Iron lattice")
        with page.expect_response(re.compile("/deliver$")):
            page.get_by_role("button", name="Put in the game").click()
        # The page has to have heard the job's name, or to have seen it end already.
        heard = (
            "location.pathname.endsWith('/game') ||"
            " Object.keys(sessionStorage).some((k) => k.startsWith('stone-job-'))"
        )
        while not page.evaluate(heard):
            page.wait_for_timeout(20)
        page.reload()
        room = page.frame_locator("iframe").locator("canvas#room")
        expect(room).to_have_attribute("data-state", "shown")

    def test_the_course_sheet_is_walked_by_keys_and_the_address_follows(self) -> None:
        page = self.page
        self.open_surface("Iron lattice")
        self.cell("colour", "compress").focus()
        page.keyboard.press("ArrowDown")
        page.keyboard.press("ArrowLeft")
        expect(self.cell("normal", "finish")).to_be_focused()
        expect(page).to_have_url(re.compile("map=normal&stage=finish"))
        page.reload()
        expect(self.cell("normal", "finish")).to_have_attribute("aria-pressed", "true")

    @swept
    @looks
    def test_single_keys_work_after_a_tick_and_space_still_presses_buttons(self) -> None:
        page = self.page
        self.open_surface("Iron lattice")
        seams = page.get_by_label("Seams and spots")
        seams.focus()
        page.keyboard.press("Space")
        expect(seams).to_be_checked()
        page.keyboard.press("4")
        expect(page.get_by_role("radio", name="4 × 4")).to_have_attribute("aria-checked", "true")
        page.get_by_role("button", name="All keys").focus()
        page.keyboard.press("Space")
        expect(page.get_by_role("dialog")).to_contain_text("Undo")
        page.keyboard.press("Escape")
        # On the sheet, Space holds the source beside the result.
        self.cell("colour", "steps").click()
        flat = page.get_by_test_id("flat")
        # The marks of seams and spots come with the scores.
        expect(self.cell("colour", "steps")).to_contain_text("seam")
        result = self.settled(flat)
        page.keyboard.down("Space")
        self.eventually(flat, lambda seen: np.abs(seen - result).mean() > 3)
        page.keyboard.up("Space")
        self.eventually(flat, lambda seen: np.abs(seen - result).mean() < 0.5)

    @swept
    @looks
    def test_a_moving_control_shows_a_passing_look_and_settles(self) -> None:
        page = self.page
        self.open_surface("Encaustic floor")
        self.cell("colour", "steps").click()
        flat = page.get_by_test_id("flat")
        before = self.settled(flat)
        self.pick("Add a step", "Tone")
        saturation = page.get_by_role("slider", name="Saturation")
        saturation.hover()
        box = saturation.bounding_box()
        assert box
        page.mouse.move(box["x"] + 3, box["y"] + 8)
        page.mouse.down()
        with page.expect_response(re.compile("/look$")):
            page.mouse.move(box["x"] - 60, box["y"] + 8, steps=4)
        page.mouse.up()
        expect(self.cell("colour", "steps")).to_contain_text("3 steps")
        self.eventually(flat, lambda seen: tint(seen) < tint(before) * 0.5)
        for _ in range(2):
            page.get_by_role("button", name="Undo").click()
        expect(self.cell("colour", "steps")).to_contain_text("2 steps")

    def test_a_broken_file_is_said_where_it_was_dropped_and_changes_nothing(self) -> None:
        self.allowed += ("status of 422",)
        self.open_surface("Encaustic floor")
        self.drop(self.cell("colour", "source"), "broken.png", violet_picture()[:700])
        note = self.page.get_by_role("alert")
        expect(note).to_contain_text("damaged or cut short")
        expect(note).to_contain_text("save it again")
        expect(self.cell("colour", "source")).to_contain_text("356 × 323")

    @swept
    @looks
    def test_a_surface_starts_from_a_picture(self) -> None:
        page = self.page
        page.goto(self.server.address)
        page.get_by_label("Picture for a new surface").set_input_files(
            {"name": "Shed door.png", "mimeType": "image/png", "buffer": violet_picture(420, 300)}
        )
        expect(page.get_by_label("Title")).to_have_value("Shed door")
        expect(page.get_by_label("Name in the game")).to_have_value("shed_door")
        page.get_by_role("button", name="door_planks").click()
        expect(page.get_by_label("Name in the game")).to_have_value("door_planks")
        page.get_by_role("button", name="Start", exact=True).click()
        expect(self.cell("colour", "steps")).to_contain_text("tiles both ways")
        room = self.put_in_the_game()
        self.assertGreater(violet_share(door(self.settled(room))), 0.5)
        page.frame_locator("iframe").get_by_role("button", name="As it came").click()
        self.eventually(room, lambda seen: violet_share(door(seen)) < 0.02)
        self.assertIn("materials/door_planks.json", self.log_text())

    def test_an_answer_that_was_asked_for_before_a_change_does_not_hide_it(self) -> None:
        page = self.page
        page.goto(self.server.address)
        held: list[tuple[Route, APIResponse]] = []

        def late(route: Route) -> None:
            # The first answer is as things are now, but comes when they are otherwise.
            if held:
                route.continue_()
            else:
                held.append((route, route.fetch()))

        page.route("**/actions*", late)
        page.get_by_role("link", name="Saltglass", exact=True).click()
        loose = page.get_by_role("checkbox", name="A folder of loose files")
        while not held:
            page.wait_for_timeout(50)
        with page.expect_response(lambda answer: answer.request.method == "PUT"):
            loose.check()
        route, answer = held[0]
        route.fulfill(response=answer)
        done = page.get_by_role("region", name="What was done")
        expect(done.get_by_text("For Saltglass, A folder of loose files")).to_be_visible()
        loose.uncheck()
        expect(loose).not_to_be_checked()

    @swept
    def test_materials_and_deliveries_take_changes_as_fast_as_they_are_made(self) -> None:
        page = self.page

        def slowly(route: Route) -> None:
            page.wait_for_timeout(400)
            route.continue_()

        # Lists come later than the next change is made.
        page.route(re.compile("/projects/[^/]*/(materials|deliveries)$"), slowly)
        page.goto(self.server.address)
        page.get_by_role("link", name="Materials").click()
        row = page.get_by_role("row", name=re.compile("Iron lattice"))
        expect(row).to_contain_text("lattice_iron_a")
        page.get_by_role("button", name="Iron lattice").click()
        gloss, cut_out = row.get_by_role("textbox", name="Gloss"), row.get_by_label("Cut out")
        was = gloss.input_value()
        expect(cut_out).to_be_checked()
        gloss.fill("0.35")
        gloss.press("Enter")
        row.get_by_text("Cut out").click()
        told = page.get_by_role("complementary", name="Definition")
        expect(told).to_contain_text('"cutout": false')
        expect(told).to_contain_text('"gloss": 0.35')
        page.keyboard.press("z")
        page.keyboard.press("z")
        expect(cut_out).to_be_checked()
        expect(gloss).to_have_value(was)
        page.get_by_role("button", name="Redo").click()
        expect(gloss).to_have_value("0.35")
        expect(page.get_by_role("button", name="Redo")).to_be_enabled()
        page.get_by_role("link", name="Deliveries").click()
        expect(page.get_by_role("table")).to_contain_text("textures/floor_encaustic_c.dds")
        inside = page.get_by_role("complementary", name="Surfaces in it").get_by_role("listitem")
        files = page.get_by_role("table").get_by_role("row")
        titles = [inside.nth(place).inner_text().splitlines()[0] for place in range(2)]
        for place in range(2):
            inside.nth(place).get_by_role("checkbox").click()
        for title in titles:
            expect(files.filter(has_text=title)).to_have_count(0)
        page.keyboard.press("z")
        page.keyboard.press("z")
        for title in titles:
            expect(files.filter(has_text=title)).not_to_have_count(0)
        page.get_by_role("button", name="Build", exact=True).click()
        expect(page.get_by_role("listitem").filter(has_text="Build 2")).to_be_visible()

    def test_a_refused_change_is_told_and_the_one_that_waits_behind_it_counts(self) -> None:
        page = self.page
        self.allowed += ("status of 4",)
        page.goto(self.server.address)
        page.get_by_role("link", name="Materials").click()
        row = page.get_by_role("row", name=re.compile("Iron lattice"))
        page.get_by_role("button", name="Iron lattice").click()
        gloss, cut_out = row.get_by_role("textbox", name="Gloss"), row.get_by_label("Cut out")
        was = gloss.input_value()
        expect(cut_out).to_be_checked()
        changes: list[Route] = []

        def spoilt(route: Route) -> None:
            # The first change arrives as the server must refuse it, and late.
            if route.request.method == "GET":
                route.fallback()
                return
            changes.append(route)
            if len(changes) > 1:
                route.continue_()
                return
            page.wait_for_timeout(600)
            body = route.request.post_data or ""
            route.continue_(post_data=body.replace("0.35", "35"))

        page.route("**/materials/*", spoilt)
        gloss.fill("0.35")
        gloss.press("Enter")
        row.get_by_text("Cut out").click()
        expect(page.get_by_role("alert")).to_contain_text("less than or equal to 1")
        expect(gloss).to_have_value(was)
        told = page.get_by_role("complementary", name="Definition")
        expect(told).to_contain_text('"cutout": false')
        expect(cut_out).not_to_be_checked()
        self.assertEqual(len(changes), 2)
        page.keyboard.press("z")
        expect(cut_out).to_be_checked()


class OwnData(BrowserCase):
    @swept
    def test_an_empty_data_folder_leads_to_a_project_and_its_first_surface(self) -> None:
        data = tempfile.mkdtemp()
        self.addCleanup(shutil.rmtree, data, ignore_errors=True)
        own = Program(main.main, "serve", "--port", 0, data=Path(data) / "data")
        self.addCleanup(own.stop)
        self.allowed += ("status of 400",)
        page = self.page
        page.goto(own.address)
        page.get_by_label("Title").fill("Boathouse")
        page.get_by_label("Game folder, if there is one yet").fill("/no/such/folder")
        page.get_by_role("button", name="Start").click()
        expect(page.get_by_role("alert")).to_contain_text("is not a folder")
        page.get_by_label("Game folder, if there is one yet").fill("")
        page.get_by_role("button", name="Start").click()
        expect(page.get_by_role("heading", name="No surface yet")).to_be_visible()
        self.drop(page.locator("main > div"), "hull planks.png", violet_picture(300, 220))
        page.get_by_role("button", name="Start", exact=True).click()
        expect(self.cell("colour", "steps")).to_contain_text("tiles both ways")
        page.get_by_role("button", name="Put in the game").click()
        expect(page.get_by_role("alert")).to_contain_text("No game folder is registered")


if __name__ == "__main__":
    unittest.main()
