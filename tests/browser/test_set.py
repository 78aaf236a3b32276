"""The set that is derived: what a surface is made of, maps added, and where each comes from."""

import io

import numpy as np
from PIL import Image
from playwright.sync_api import Page, expect

from stonestack.core.tables.matters import MATTERS, Matter
from tests.browser.case import PATIENCE, DemoCase
from tests.sizes import swept


class DerivedSet(DemoCase):
    def document(self) -> dict[str, object]:
        """Return the surface as the server has it."""
        return self.page.evaluate(
            "async (id) => (await (await fetch(`/api/surfaces/${id}`)).json()).document",
            self.page.url.split("/bench/")[1].split("?")[0],
        )

    @swept
    def test_what_it_is_made_of_is_chosen_maps_are_added_and_come_from_others(self) -> None:
        page = self.page
        page.goto(self.server.address)
        page.get_by_role("link", name="Limewash plaster").click()
        made_of = page.get_by_label("Made of")
        expect(made_of).to_have_value("plaster")
        self.cell("normal", "steps").click()
        steep = page.get_by_role("textbox", name="Steepness")
        expect(steep).to_have_value(f"{MATTERS[Matter.PLASTER].steepness:.1f}")
        made_of.select_option(label="Brick")
        expect(steep).to_have_value(f"{MATTERS[Matter.BRICK].steepness:.1f}")
        page.get_by_role("button", name="Undo").click()
        expect(made_of).to_have_value("plaster")
        expect(steep).to_have_value(f"{MATTERS[Matter.PLASTER].steepness:.1f}")

        for role in ("occlusion", "gloss"):
            page.get_by_label("Add a map").select_option(role)
            row = page.get_by_role("rowheader", name=role.title())
            expect(row).to_contain_text("from Height" if role == "occlusion" else "from Colour")
            expect(self.cell(role, "steps")).to_contain_text("1 step, seam", timeout=PATIENCE)

        self.cell("occlusion", "steps").click()
        controls = page.get_by_role("complementary", name="Controls")
        expect(controls).to_contain_text("10.2 texels, 12.0 cm")
        self.cell("normal", "source").click()
        page.get_by_label("Comes from").select_option(label="Colour")
        expect(page.get_by_role("rowheader", name="Normal")).to_contain_text("from Colour")
        maps = self.document()["maps"]
        assert isinstance(maps, list)
        kinds = {m["role"]: [s["params"]["kind"] for s in m["steps"]] for m in maps}
        self.assertEqual(kinds["normal"], ["normal_from_colour"])
        self.assertEqual(kinds["occlusion"], ["occlusion_from_height"])
        self.assertEqual(kinds["gloss"], ["gloss_from_colour"])
        expect(self.cell("normal", "compress")).to_contain_text("BC5", timeout=PATIENCE)


def rendered(page: Page, role: str) -> bytes:
    """Return a map of the surface that is open as a file, finished as a tile."""
    key = page.evaluate(
        """async ([id, role]) => {
            const answer = await fetch(`/api/surfaces/${id}`);
            return (await answer.json()).keys[role].steps;
        }""",
        [page.url.split("/bench/")[1].split("?")[0], role],
    )
    server = page.url.split("/p/")[0]
    return page.request.get(f"{server}/api/renders/{key}/picture.png").body()


def grain() -> bytes:
    """Return a picture of nothing but grain."""
    values = np.random.default_rng(5).normal(120, 25, (128, 128, 3))
    held = io.BytesIO()
    Image.fromarray(np.clip(values, 0, 255).astype(np.uint8)).save(held, "PNG")
    return held.getvalue()


class OwnNormals(DemoCase):
    """A normal map of one's own beside a colour that is changed."""

    def setUp(self) -> None:
        super().setUp()
        self.row = self.page.get_by_role("rowheader", name="Normal")
        self.to_look_at = self.page.get_by_role("list", name="To look at")

    def open(self, title: str) -> None:
        """Open a surface, with all that is made of its colour."""
        self.page.goto(self.server.address)
        self.page.get_by_role("link", name=title).click()
        expect(self.cell("height", "size")).to_contain_text("stretch", timeout=PATIENCE)

    def lay(self) -> None:
        """Lay a plain picture over a part of the colour."""
        self.cell("colour", "steps").click()
        self.pick("Add a step", "Lay a picture over")
        self.page.get_by_label("Picture to lay over").set_input_files(
            {"name": "patch.png", "mimeType": "image/png", "buffer": grain()}
        )

    @swept
    def test_own_normals_are_put_in_and_their_old_relief_is_found_and_made_anew(self) -> None:
        page = self.page
        self.open("Encaustic floor")
        self.drop(self.cell("normal", "source"), "own_n.png", rendered(page, "normal"))
        expect(self.row).to_contain_text("own source", timeout=PATIENCE)
        # It was made for the finished tile, and would be cut once more.
        page.get_by_role("button", name="Leave it as it came").click(timeout=PATIENCE)
        expect(self.to_look_at).to_have_count(0, timeout=PATIENCE)
        self.lay()
        expect(self.row).to_contain_text("1 to look at", timeout=PATIENCE)
        all_maps = page.get_by_role("button", name="1 to look at")
        all_maps.click()
        expect(self.cell("normal", "steps")).to_have_attribute("aria-pressed", "true")
        expect(page.locator("[data-found]")).to_have_count(4, timeout=PATIENCE)
        page.get_by_role("button", name="Make that part anew").click()
        expect(self.to_look_at).to_have_count(0, timeout=PATIENCE)
        expect(page.get_by_role("list", name="Masks")).to_contain_text("Old relief")
        expect(self.row).to_contain_text("own source, Colour")
        page.get_by_role("button", name="Undo").click()
        expect(self.row).to_contain_text("1 to look at", timeout=PATIENCE)
        self.cell("normal", "source").click()
        page.get_by_label("Comes from").select_option(label="Height")
        expect(self.row).to_contain_text("from Height", timeout=PATIENCE)
        expect(self.to_look_at).to_have_count(0, timeout=PATIENCE)
        lines = page.locator("[data-from=height] [data-to=normal]")
        expect(lines).to_have_count(1)

    @swept
    def test_a_map_is_frozen_goes_out_of_date_and_follows_again(self) -> None:
        page = self.page
        self.open("Verdigris copper")
        self.cell("normal", "source").click()
        page.get_by_role("button", name="Freeze").click()
        expect(self.row).to_contain_text("frozen", timeout=PATIENCE)
        self.lay()
        expect(self.row).to_contain_text("frozen, out of date", timeout=PATIENCE)
        self.cell("normal", "source").click()
        page.get_by_role("button", name="Let it follow again").click(timeout=PATIENCE)
        expect(self.row).to_contain_text("from Height", timeout=PATIENCE)
        expect(self.to_look_at).to_have_count(0, timeout=PATIENCE)
