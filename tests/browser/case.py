"""Drive the real interface in headless Chromium, on the demo project."""

from __future__ import annotations

import atexit
import base64
import io
import os
import shutil
import unittest
from collections.abc import Callable
from functools import cache
from pathlib import Path
from typing import Any, ClassVar

import numpy as np
from PIL import Image
from playwright.sync_api import (
    Browser,
    BrowserContext,
    FloatRect,
    Locator,
    Page,
    expect,
    sync_playwright,
)

from stonestack.cli import main
from tests import drawn as demo
from tests.forked import Program

FLAGS = (
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--use-gl=angle",
    "--use-angle=swiftshader",
    "--enable-unsafe-swiftshader",
    "--disable-gpu-compositing",  # Pages are put together by the CPU; only our views use WebGL.
)
UNSHADED, UNLOADED = (
    "for (const name of [" + ", ".join(f"'{name}'" for name in names) + "]) {"
    " WebGL2RenderingContext.prototype[name] = () => {}; }"
    for names in (
        ("drawElements", "drawArrays", "generateMipmap"),
        ("texImage2D", "texSubImage2D", "compressedTexImage2D", "compressedTexSubImage2D"),
    )
)
"""Make a page whose views draw nothing, or hand no texels over: without a GPU both take the
processor from all else."""
SMALL = (1024, 640)
"""Size of a window in which views draw in earnest: without a GPU each pixel takes its time."""
PATIENCE = 60_000
"""Milliseconds that anything on screen may take on a slow shared machine."""


def looks(test: Callable[..., None]) -> Callable[..., None]:
    """Mark a test that looks at what the flat or the light view, or the room, has drawn."""
    test.__dict__["looks"] = True
    return test


@cache
def chromium() -> Browser:
    """Return the browser of this process: to start one takes longer than most tests."""
    named = os.environ.get("STONE_STACK_BROWSER") or shutil.which("chromium-headless-shell")
    if named is None:
        raise unittest.SkipTest("There is no Chromium; name one in STONE_STACK_BROWSER.")
    playwright = sync_playwright().start()
    root = hasattr(os, "geteuid") and os.geteuid() == 0
    flags = [*FLAGS, *(["--no-sandbox"] if root else [])]
    browser = playwright.chromium.launch(executable_path=named, args=flags)

    def end() -> None:
        browser.close()
        playwright.stop()

    # Workers of a pool run no exit handlers; what drives the browser ends it with them.
    atexit.register(end)
    return browser


class BrowserCase(unittest.TestCase):
    """A test with a page; anything that the page complains about fails the test."""

    browser: ClassVar[Browser]
    context: ClassVar[BrowserContext]
    pages: ClassVar[dict[bool, Page]]
    complaints: ClassVar[list[str]]
    size: ClassVar[tuple[int, int]] = (1280, 800)
    unlooked: ClassVar[str] = UNSHADED + UNLOADED
    """What is left out on the page of tests that do not look at what is drawn."""

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.browser = chromium()
        # One context: what may be kept for ever is fetched once, as by a person's browser.
        size = {"width": cls.size[0], "height": cls.size[1]}
        cls.context = cls.browser.new_context(viewport=size, reduced_motion="reduce")
        cls.addClassCleanup(cls.context.close)
        cls.context.set_default_timeout(PATIENCE)
        expect.set_options(timeout=PATIENCE)
        cls.complaints = []
        # One page of each kind: a new one costs more than all that most tests do on it.
        cls.pages = {}

    def setUp(self) -> None:
        super().setUp()
        looks = "looks" in getattr(self, self._testMethodName).__dict__
        if looks not in self.pages:
            self.pages[looks] = self.new_page(looks)
        self.page = self.pages[looks]
        self.complaints.clear()
        # Pictures on their way when a newer change comes are answered with 410: nobody waits.
        self.allowed: tuple[str, ...] = ("410 (GONE)",)
        self.addCleanup(self.leave_page)

    def tearDown(self) -> None:
        left = [c for c in self.complaints if not any(a in c for a in self.allowed)]
        self.assertEqual(left, [], "The page complained")
        super().tearDown()

    def leave_page(self) -> None:
        """Make the page as a new one is."""
        self.page.unroute_all(behavior="wait")
        self.page.evaluate("sessionStorage.clear()")
        self.page.goto("about:blank")

    @classmethod
    def new_page(cls, draws: bool = False) -> Page:
        """Open a page whose complaints are heard; its views draw where somebody looks at them."""
        page = cls.context.new_page()
        if not draws:
            page.add_init_script(cls.unlooked)

        def heard(message: Any) -> None:
            if message.type == "error":
                cls.complaints.append(f"{message.text} {message.location['url']}")

        page.on("console", heard)
        page.on("pageerror", lambda error: cls.complaints.append(str(error)))
        return page

    # ---- what a person does ---------------------------------------------------------------

    def drop(self, target: Locator, name: str, data: bytes) -> None:
        """Drop a file onto an element, as dragging it there from a folder does."""
        transfer = self.page.evaluate_handle(
            """([name, data]) => {
                const bytes = Uint8Array.from(atob(data), (c) => c.charCodeAt(0));
                const transfer = new DataTransfer();
                transfer.items.add(new File([bytes], name));
                return transfer;
            }""",
            [name, base64.b64encode(data).decode()],
        )
        target.dispatch_event("dragover", {"dataTransfer": transfer})
        target.dispatch_event("drop", {"dataTransfer": transfer})

    def pick(self, label: str, title: str) -> None:
        """Take one of a long list by its name."""
        self.page.get_by_role("button", name=label).click()
        found = self.page.get_by_role("combobox", name=f"{label}: find")
        found.fill(title)
        found.press("Enter")

    def cell(self, role: str, stage: str) -> Locator:
        """Return a cell of the course sheet."""
        return self.page.locator(f"[data-cell={role}-{stage}]")

    # ---- what a person sees ---------------------------------------------------------------

    def seen(self, target: Locator) -> np.ndarray:
        """Return what is on screen in an element, 0..255, shape (height, width, 3)."""
        image = Image.open(io.BytesIO(target.screenshot(animations="disabled")))
        return np.asarray(image.convert("RGB")).astype(float)

    def assert_same_picture(self, one: np.ndarray, other: np.ndarray) -> None:
        """Check that two pictures are the same but for stray pixels.

        Shaders that run in software may cover a pixel at an edge one way or the other.
        """
        self.assertEqual(one.shape, other.shape)
        self.assertLess((np.abs(one - other) > 4).mean(), 1e-4)

    def at_rest(self, target: Locator) -> FloatRect:
        """Return where an element lies once it stays there: a page that loads moves its parts."""
        before = target.bounding_box()
        for _ in range(60):
            self.page.wait_for_timeout(100)
            now = target.bounding_box()
            if now is not None and now == before:
                return now
            before = now
        raise AssertionError("The element does not come to rest")

    def eventually(self, target: Locator, wanted: Callable[[np.ndarray], bool]) -> np.ndarray:
        """Return what an element shows as soon as it is as wanted."""
        for _ in range(PATIENCE // 500):
            now = self.seen(target)
            if wanted(now):
                return now
            self.page.wait_for_timeout(500)
        raise AssertionError("The picture did not become as expected")

    def settled(self, target: Locator) -> np.ndarray:
        """Return what an element shows once two looks in a row agree."""
        before = self.seen(target)
        for _ in range(60):
            self.page.wait_for_timeout(400)
            # Our views say whether they have drawn in full yet; the game's room always does. Asked
            # before the look: afterwards it might have been drawn since.
            drawn = target.get_attribute("data-drawn") in (None, "in full")
            now = self.seen(target)
            if drawn and now.shape == before.shape and np.abs(now - before).max() == 0:
                return now
            before = now
        raise AssertionError("The picture does not come to rest")


class DemoCase(BrowserCase):
    """Tests on one demo project, as it is first drawn, in a data folder of their own."""

    needs_demo = True
    shrunk: ClassVar[int] = demo.SHRUNK
    server: ClassVar[Program]
    folder: ClassVar[Path]

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.folder = demo.copied(cls.shrunk)
        cls.addClassCleanup(shutil.rmtree, cls.folder, ignore_errors=True)
        data = cls.folder / "data"
        cls.server = Program(main.main, "demo", "--port", 0, data=data)
        cls.addClassCleanup(cls.server.stop)
        # As a person has a bookmark of it: the address without its secret.
        cls.context.request.get(cls.server.address)
        cls.server.address = cls.server.address.partition("?")[0]
