"""Memory of a busy server: ``python -m tests.loaded MINUTES``.

Four people at once look at every stage of every surface of the demo, at all sizes, and change it.
Prints what the process and those that it started hold, every half minute.
"""

from __future__ import annotations

import os
import random
import sys
import threading
import time

from stonestack.core.document import rebuilt
from stonestack.core.document.edits import SetStep
from stonestack.core.runtime.errors import Conflict, NotWanted
from stonestack.services.documents import projects, surfaces
from stonestack.services.workspace import Workspace
from stonestack.store.place import DataFolder
from tests.drawn import DATA, copied
from tests.readers.measured import held

PEOPLE = 4
SIDES = (96, 512, 1024, None)


def person(ws: Workspace, seed: int, until: float) -> None:
    """Look and change until the time is over."""
    rng = random.Random(seed)
    listed = [s.id for p in projects.listed(ws) for s in surfaces.listed(ws, p.id)]
    while time.monotonic() < until:
        surface = surfaces.get(ws, rng.choice(listed))
        for stages in surface.keys.values():
            for key in stages.values():
                if key is None or time.monotonic() > until:
                    continue
                try:
                    with ws.renderer.asked(key):
                        ws.renderer.png(key, rng.choice(SIDES))
                except (Conflict, NotWanted):
                    continue
        colour = next((m for m in surface.document.maps if m.role == "colour"), None)
        step = next((s for s in colour.steps if s.params.kind == "tone"), None) if colour else None
        if colour is None or step is None:
            continue
        params = rebuilt(step.params, saturation=rng.uniform(0.6, 1.4))
        change = SetStep(map=colour.id, step=rebuilt(step, params=params))
        try:
            surfaces.edit(ws, surface.id, surface.revision, change)
        except Conflict:
            continue


def main() -> None:
    """Run for some minutes."""
    minutes = float(sys.argv[1]) if len(sys.argv) > 1 else 10
    ws = Workspace(DataFolder(copied() / DATA))
    until = time.monotonic() + 60 * minutes
    people = [threading.Thread(target=person, args=(ws, n, until)) for n in range(PEOPLE)]
    for one in people:
        one.start()
    most = 0
    began = time.monotonic()
    shown = began
    while any(one.is_alive() for one in people):
        time.sleep(0.1)
        now = held(os.getpid())
        most = max(most, now)
        if time.monotonic() - shown >= 30:
            shown = time.monotonic()
            print(f"{shown - began:5.0f} s: {now >> 20} MB, at most {most >> 20} MB", flush=True)
    print(f"at most {most >> 20} MB")
    ws.close()


if __name__ == "__main__":
    main()
