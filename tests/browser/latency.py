"""Time from a control's move to the next painted picture: ``python -m tests.browser.latency``."""

from __future__ import annotations

import re
import statistics
import time

from playwright.sync_api import expect

from tests.browser.case import PATIENCE, DemoCase

PAINTED = "new Promise((r) => requestAnimationFrame(() => requestAnimationFrame(r)))"


class Dragging(DemoCase):
    """Drags the saturation of the floor and notes when each passing picture was asked and shown."""

    def runTest(self) -> None:
        page = self.page
        page.goto(self.server.address)
        page.get_by_role("link", name="Encaustic floor").click()
        light = page.get_by_test_id("light")
        expect(light).to_have_attribute("data-stored", re.compile("BC"), timeout=PATIENCE)
        page.wait_for_timeout(15_000)  # The background work of the first start is over by then.
        self.cell("colour", "steps").click()
        self.pick("Add a step", "Tone")
        expect(self.cell("colour", "steps")).to_contain_text("3 steps")
        page.wait_for_timeout(8000)  # All that follows from the new step is rendered by then.
        box = page.get_by_role("slider", name="Saturation").bounding_box()
        assert box
        x, y = box["x"] + 3, box["y"] + 8
        page.mouse.move(x, y)
        page.mouse.down()
        taken = []
        for n in range(40):
            with page.expect_response(re.compile(r"picture\.png")) as answer:
                started = time.perf_counter()
                page.mouse.move(x - 30 + n * 1.5, y)  # Each value is a new one.
            answer.value.finished()
            page.evaluate(
                "new Promise((r) => requestAnimationFrame(() => requestAnimationFrame(r)))"
            )
            taken.append(time.perf_counter() - started)
        page.mouse.up()
        ordered = sorted(taken)
        print(f"median {statistics.median(taken) * 1e3:.0f} ms", end=", ")
        print(f"95th percentile {ordered[int(len(ordered) * 0.95)] * 1e3:.0f} ms")


if __name__ == "__main__":
    import unittest

    Dragging.setUpClass()
    try:
        unittest.TextTestRunner().run(Dragging())
    finally:
        Dragging.doClassCleanups()
