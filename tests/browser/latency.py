"""Time from a control's move to its look on screen: ``python -m tests.browser.latency``.

On a source of 2048 x 2048, in a flat view of 1024 pixels with one tile, the first number of each
step is dragged on by its slider. Timed in the page, from the pointer's event to the texels that lie
ready for the GPU, and to the frame that shows them; and from a press that turns a step off or on,
or that undoes or does again, to the view that is drawn in full. Shaders and mipmaps do not run, as
they would take the processor here, and cost a GPU a few milliseconds; all else does.
"""

from __future__ import annotations

import io
import re
import statistics
import sys
from typing import Any, ClassVar

import numpy as np

from tests.browser.case import UNSHADED, DemoCase
from tests.support import noise, png

SIDE, TIMES = 2048, 24
STEPS = (
    "Balance light",
    "Levels",
    "Tone",
    "Exposure",
    "Recolour",
    "Denoise",
    "Blur",
    "Sharpen",
    "High pass",
    "Grain",
    "Lettering",
    "Palette",
    "Low resolution",
)
TURNED = ("Levels", "Grain", "Blur")
WATCH = """
window.looked = [];
const fetched = window.fetch;
addEventListener('pointermove', () => { window.pressed = performance.now(); }, true);
window.fetch = async (...asked) => {
    const from = window.pressed;
    const answer = await fetched(...asked);
    const url = typeof asked[0] === 'string' ? asked[0] : asked[0].url;
    if (!url.endsWith('/look')) return answer;
    const bytes = await answer.arrayBuffer();
    const ready = performance.now() - from;
    const wide = new DataView(bytes).getUint32(20, true);
    requestAnimationFrame(() => requestAnimationFrame(() => {
        window.looked.push([ready, performance.now() - from, wide]);
    }));
    return new Response(bytes, { headers: answer.headers });
};
const press = () => { window.pressed = performance.now(); window.drawn = []; };
for (const kind of ['pointerdown', 'keydown']) addEventListener(kind, press, true);
const watched = () => {
    const canvas = document.querySelector('canvas[data-testid=flat]');
    if (!canvas) return setTimeout(watched, 200);
    const note = () => {
        if (canvas.dataset.drawn !== 'in full') return;
        window.drawn.push(performance.now() - window.pressed);
    };
    const changes = { attributes: true, attributeFilter: ['data-drawn'] };
    new MutationObserver(note).observe(canvas, changes);
};
watched();
"""


class Moving(DemoCase):
    """Moves the first slider of each step, a look at a time."""

    size: ClassVar[tuple[int, int]] = (2420, 1420)
    unlooked: ClassVar[str] = UNSHADED

    def runTest(self) -> None:
        page = self.page
        # Numbers of a step that is taken out at once may still be asked for.
        self.allowed += ("status of 400",)
        page.add_init_script(WATCH)
        page.goto(self.server.address)
        page.get_by_role("link", name="Surfaces").first.click()
        page.get_by_role("button", name="Start empty").click()
        page.get_by_label("Title").fill("Grit")
        page.keyboard.press("Enter")
        grit = np.rint(noise(SIDE, SIDE, 3, 9, wraps=True) * 255).astype(np.uint8)
        page.wait_for_url(re.compile("/bench/"))
        self.drop(self.cell("colour", "source"), "grit.png", png(grit))
        page.wait_for_timeout(30_000)  # What follows from a new colour is made by then.
        self.cell("colour", "steps").click()
        page.get_by_label("Repeat").get_by_text("1", exact=True).click()
        box = page.get_by_test_id("flat").bounding_box()
        assert box
        print(f"Flat view {box['width']:.0f} x {box['height']:.0f}; milliseconds, median and 95th")
        print(f"{'step':24}{'texels there':>16}{'shown':>16}{'side':>8}")
        for title in STEPS:
            self.timed(title)
        for title in TURNED:
            self.turned(title)

    def turned(self, title: str) -> None:
        """Print how long it takes to turn a step off and on, and to undo and do that again."""
        page = self.page
        with page.expect_response(re.compile("/edits$")):
            self.pick("Add a step", title)
        page.wait_for_timeout(12_000)
        card = page.get_by_role("group", name=title, exact=True).last
        switch = card.get_by_role("checkbox").first
        for words, press in (
            ("off and on", lambda _: switch.click()),
            ("undone, done", lambda n: page.keyboard.press(f"Control+{'Shift+' * (n % 2)}z")),
        ):
            took = []
            for n in range(14):
                press(n)
                page.wait_for_timeout(2_500)  # Each state has been seen by the third.
                took += page.evaluate("window.drawn.slice(0, 1)") if n > 1 else []
            most = statistics.quantiles(took, n=20)[-1]
            print(f"{title}, {words:16}{statistics.median(took):9.0f}{most:7.0f}", flush=True)

    def timed(self, title: str) -> None:
        """Print how long the looks at one step take, and take it out again."""
        page = self.page
        with page.expect_response(re.compile("/edits$")):
            self.pick("Add a step", title)
        card = page.get_by_role("group", name=title, exact=True).last
        slider = card.get_by_role("slider").first
        slider.scroll_into_view_if_needed()
        page.wait_for_timeout(12_000)  # All that follows from the new step is made by then.
        box = slider.bounding_box()
        assert box
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        page.mouse.move(x, y)
        page.mouse.down()
        page.evaluate("window.looked = []")
        way = -1 if x > 2350 else 1
        for n in range(TIMES):
            page.mouse.move(x + way * 2 * (n + 1), y)
            for _ in range(100):
                page.wait_for_timeout(20)
                if page.evaluate("window.looked.length") > n:
                    break
        page.mouse.up()
        looked: list[Any] = page.evaluate("window.looked")[3:]
        ready, shown = ([one[k] for one in looked] for k in (0, 1))
        row = "".join(
            f"{statistics.median(t):9.0f}{statistics.quantiles(t, n=20)[-1]:7.0f}"
            for t in (ready, shown)
        )
        print(f"{title:24}{row}{max(one[2] for one in looked):8}", flush=True)
        with page.expect_response(re.compile("/edits$")):
            card.get_by_role("button", name=f"Remove {title}").click()


if __name__ == "__main__":
    import unittest

    result = unittest.TextTestRunner(stream=io.StringIO()).run(unittest.TestSuite([Moving()]))
    for _, words in (*result.errors, *result.failures):
        print(words)
    sys.exit(not result.wasSuccessful())
