"""The whole path in the visible interface: from a raw picture to the game's room."""

from __future__ import annotations

import re
import shutil
import tempfile
import unittest
from pathlib import Path

import numpy as np
from playwright.sync_api import Locator, Route, expect

from stonestack.core import colour
from stonestack.core.image import Picture, Space
from stonestack.core.texels import to_texels
from tests.browser.case import PATIENCE, BrowserCase, Server, demo_server
from tests.support import noise, png

server: Server
folder: Path


def setUpModule() -> None:
    global server, folder
    server, folder = demo_server()


def tearDownModule() -> None:
    server.stop()
    shutil.rmtree(folder, ignore_errors=True)


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


class PathCase(BrowserCase):
    def open_surface(self, title: str) -> None:
        self.page.goto(server.address)
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
        expect(self.cell("normal", "size")).to_be_focused()
        expect(page).to_have_url(re.compile("map=normal&stage=size"))
        page.reload()
        expect(self.cell("normal", "size")).to_have_attribute("aria-pressed", "true")

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

    def test_a_moving_control_shows_a_passing_look_and_settles(self) -> None:
        page = self.page
        self.open_surface("Encaustic floor")
        self.cell("colour", "steps").click()
        flat = page.get_by_test_id("flat")
        before = self.settled(flat)
        page.get_by_label("Add a step").select_option("tone")
        saturation = page.get_by_role("slider", name="Saturation")
        box = saturation.bounding_box()
        assert box
        page.mouse.move(box["x"] + 3, box["y"] + 8)
        page.mouse.down()
        with page.expect_response(re.compile(r"/api/renders/.*/picture.png")):
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
        expect(self.cell("colour", "source")).to_contain_text("1423 × 1291")

    def test_a_surface_starts_from_a_picture(self) -> None:
        page = self.page
        page.goto(server.address)
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

    def test_materials_and_deliveries_show_the_demo(self) -> None:
        page = self.page
        page.goto(server.address)
        page.get_by_role("link", name="Materials").click()
        expect(page.get_by_role("row", name=re.compile("Iron lattice"))).to_contain_text(
            "lattice_iron_a"
        )
        gloss = page.get_by_role("row", name=re.compile("Iron lattice")).get_by_role(
            "textbox", name="Gloss"
        )
        gloss.fill("0.35")
        gloss.press("Enter")
        page.get_by_role("button", name="Iron lattice").click()
        expect(page.get_by_role("complementary", name="Definition")).to_contain_text(
            '"gloss": 0.35'
        )
        page.get_by_role("link", name="Deliveries").click()
        expect(page.get_by_role("table")).to_contain_text("textures/floor_encaustic_c.dds")
        page.get_by_role("button", name="Build", exact=True).click()
        expect(page.get_by_role("listitem").filter(has_text="Build 2")).to_be_visible()


class OwnData(BrowserCase):
    def test_an_empty_data_folder_leads_to_a_project_and_its_first_surface(self) -> None:
        data = tempfile.mkdtemp()
        self.addCleanup(shutil.rmtree, data, ignore_errors=True)
        own = Server("stonestack.cli.main", "serve", "--port", 0, data=Path(data) / "data")
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


# ---- The In light view against the analytic answer ----------------------------------------

SIDE = 256
CAP = 0.85
"""Radius of the cap, in halves of the tile."""
MEAN_TOLERANCE, WORST_TOLERANCE = 1.5, 12.0
"""Grey levels of 255: 8-bit vectors, BC5 and bilinear sampling; the worst is at the cap's rim."""


def cap_normals(size: int) -> np.ndarray:
    """Return unit normals of a spherical cap amid flat ground, y up."""
    place = (np.arange(size) + 0.5) / size * 2 - 1
    x, y = np.meshgrid(place, -place)
    inside = x * x + y * y < CAP * CAP
    flat = np.where(inside, x, 0), np.where(inside, y, 0)
    return np.stack([*flat, np.sqrt(1 - flat[0] ** 2 - flat[1] ** 2)], axis=2)


def cap_png(green_down: bool) -> bytes:
    vectors = cap_normals(SIDE).astype(np.float32)
    if green_down:
        vectors = vectors * np.array([1, -1, 1], np.float32)
    return png(np.ascontiguousarray(to_texels(Picture(vectors, Space.VECTOR))[..., :3]))


class InLight(PathCase):
    def lit(self, degrees: int) -> np.ndarray:
        """Set the light and return what is seen, grey 0..255, where the plane is."""
        page = self.page
        for label, value in (("From", degrees), ("Up", 40), ("Fill", 0)):
            page.get_by_label(label, exact=True).fill(str(value))
        view = page.get_by_test_id("light")
        view.focus()  # So that no field's hint lies over the picture.
        expect(page.get_by_role("tooltip")).to_have_count(0)
        return self.settled(view)

    def expected(self, shape: tuple[int, ...], degrees: int) -> tuple[np.ndarray, np.ndarray]:
        """Return the analytic Lambert shading at each pixel, and where it is to be compared."""
        height, width = shape[:2]
        half = min(height, width) / 2
        x = (np.arange(width) + 0.5 - width / 2) / half
        y = -(np.arange(height) + 0.5 - height / 2) / half
        x, y = np.meshgrid(x, y)
        away = np.hypot(x, y)
        inside = away < CAP
        nx, ny = np.where(inside, x, 0), np.where(inside, y, 0)
        nz = np.sqrt(1 - nx**2 - ny**2)
        up, turn = np.radians(40), np.radians(degrees)
        light = np.cos(turn) * np.cos(up), np.sin(turn) * np.cos(up), np.sin(up)
        lambert = np.maximum(nx * light[0] + ny * light[1] + nz * light[2], 0)
        stored = colour.to_srgb(lambert.astype(np.float32)) * 255
        # The rim is a crease that eight texels share; marks lie over the lowest part.
        compared = (np.abs(away - CAP) > 0.03) & (np.maximum(abs(x), abs(y)) < 0.98)
        compared &= (y > -0.82) & ~((y < -0.65) & (x < -0.6))
        return stored, compared

    def assert_lambert(self, degrees: int) -> None:
        self.assert_lit(self.lit(degrees), degrees)

    def assert_lit(self, seen: np.ndarray, degrees: int) -> None:
        wanted, compared = self.expected(seen.shape, degrees)
        off = np.abs(seen - wanted[..., np.newaxis]).max(axis=2)[compared]
        for _ in range(20):
            if off.mean() < MEAN_TOLERANCE:
                break
            # The map may still be on its way to the view.
            self.page.wait_for_timeout(500)
            seen = self.settled(self.page.get_by_test_id("light"))
            off = np.abs(seen - wanted[..., np.newaxis]).max(axis=2)[compared]
        self.assertLess(off.mean(), MEAN_TOLERANCE)
        self.assertLess(np.percentile(off, 99.5), WORST_TOLERANCE)

    def begin(self) -> None:
        page = self.page
        page.goto(server.address)
        page.get_by_role("button", name="Start empty").click()
        page.get_by_label("Title").fill(self.id().rsplit("_", 1)[1])
        page.get_by_role("button", name="Start", exact=True).click()
        expect(self.cell("colour", "source")).to_contain_text("Drop a picture")
        white = png(np.full((SIDE, SIDE, 3), 255, np.uint8))
        black = png(np.zeros((SIDE, SIDE), np.uint8))
        self.drop(self.cell("colour", "source"), "white.png", white)
        expect(self.cell("colour", "compress")).to_contain_text("BC1")
        self.drop(self.cell("specular", "source"), "black.png", black)
        expect(self.cell("specular", "compress")).to_contain_text("exact")

    def show(self, green_down: bool) -> None:
        page = self.page
        self.drop(self.cell("normal", "source"), "cap.png", cap_png(green_down))
        expect(self.cell("normal", "source")).to_contain_text("256²")
        self.cell("normal", "source").click()
        # The cap is made for the whole tile; the colour's cut is not for it.
        follows = page.get_by_label("Follows the colour's frame and cut")
        follows.click()
        expect(follows).not_to_be_checked()
        if green_down:
            down = page.get_by_role("radio", name="Down")
            down.click()
            expect(down).to_have_attribute("aria-checked", "true")
        expect(self.cell("normal", "compress")).to_contain_text("BC5")
        page.get_by_role("radio", name="Plane").click()
        expect(page.get_by_test_id("light")).to_have_attribute("data-stored", re.compile("BC5"))

    def test_a_cap_with_green_up_is_lit_from_left_and_above_as_lambert_says_up(self) -> None:
        self.begin()
        self.show(green_down=False)
        self.assert_lambert(180)
        self.assert_lambert(90)

    def test_a_cap_with_green_down_in_file_and_game_is_lit_the_same_down(self) -> None:
        self.begin()
        self.show(green_down=True)
        self.cell("normal", "compress").click()
        self.page.get_by_role("radio", name="Down").click()
        expect(self.page.get_by_role("radio", name="Down")).to_have_attribute(
            "aria-checked", "true"
        )
        self.assert_lambert(180)
        self.assert_lambert(90)

    def test_a_lamp_that_moves_while_a_map_is_on_its_way_stays_where_it_was_put_late(self) -> None:
        self.begin()
        self.show(green_down=False)
        self.lit(90)
        self.cell("normal", "compress").click()
        held: list[Route] = []
        self.page.route("**/texture.ktx2", lambda route: held.append(route))
        self.page.get_by_role("radio", name="Down").click()
        while not held:
            self.page.wait_for_timeout(50)
        self.lit(180)
        for route in held:
            route.continue_()
        self.page.unroute("**/texture.ktx2")
        self.assert_lit(self.settled(self.page.get_by_test_id("light")), 180)


if __name__ == "__main__":
    unittest.main()
