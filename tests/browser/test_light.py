"""The view in light against the analytic answer: a cap under a lamp, as Lambert says."""

from __future__ import annotations

import re
import unittest

import numpy as np
from playwright.sync_api import Locator, Route, expect

from stonestack.core.picture import colour
from stonestack.core.picture.image import Picture, Space
from stonestack.core.picture.texels import to_texels
from tests.browser.case import DemoCase, looks
from tests.sizes import swept
from tests.support import png

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


class InLight(DemoCase):
    def set_lamp(self, degrees: int) -> Locator:
        """Set the light, and return the view."""
        page = self.page
        for label, value in (("From", degrees), ("Up", 40), ("Fill", 0)):
            page.get_by_label(label, exact=True).fill(str(value))
        view = page.get_by_test_id("light")
        view.focus()  # So that no field's hint lies over the picture.
        expect(page.get_by_role("tooltip")).to_have_count(0)
        return view

    def lit(self, degrees: int) -> np.ndarray:
        """Set the light and return what is seen, grey 0..255, where the plane is."""
        return self.settled(self.set_lamp(degrees))

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
        self.assertLess(off.mean(), MEAN_TOLERANCE)
        self.assertLess(np.percentile(off, 99.5), WORST_TOLERANCE)

    def begin(self) -> None:
        page = self.page
        page.goto(self.server.address)
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

    @swept
    @looks
    def test_a_cap_with_green_up_is_lit_from_left_and_above_as_lambert_says_up(self) -> None:
        self.begin()
        self.show(green_down=False)
        self.assert_lambert(180)
        self.assert_lambert(90)

    @swept
    @looks
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

    @swept
    @looks
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
        view = self.set_lamp(180)
        expect(view).to_have_attribute("data-drawn", "not yet")
        for route in held:
            route.continue_()
        self.page.unroute("**/texture.ktx2")
        self.assert_lit(self.settled(view), 180)


if __name__ == "__main__":
    unittest.main()
