"""One of several programs that edit one surface at once: ``python -m tests.services.writers``.

Prints, as JSON, the revision of each edit that was answered as done, and how many were refused.
"""

from __future__ import annotations

import json
import random
import sys
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from stonestack.core.document import edits
from stonestack.core.runtime.errors import BadRequest, Conflict
from stonestack.services.documents import surfaces
from stonestack.services.workspace import Workspace
from stonestack.store.place import DataFolder


def main() -> None:
    """Edit, and now and then undo."""
    folder, surface_id, name, count, threads = sys.argv[1:6]
    ws = Workspace(DataFolder(Path(folder)))

    def write(thread: int) -> dict[str, object]:
        chance = random.Random(f"{name}{thread}")
        done: list[tuple[int, str]] = []
        refused = undone = 0
        for n in range(int(count) // int(threads)):
            base = surfaces.get(ws, surface_id).revision
            title = f"{name}-{thread}-{n}"
            try:
                if chance.random() < 0.1:
                    surfaces.undo(ws, surface_id, base)
                    undone += 1
                else:
                    change = edits.Rename(title=title)
                    surfaces.edit(ws, surface_id, base, change)
                    done.append((base, title))
            except (Conflict, BadRequest):
                refused += 1
        return {"done": done, "refused": refused, "undone": undone}

    with ThreadPoolExecutor(int(threads)) as pool:
        found = list(pool.map(write, range(int(threads))))
    ws.close()
    print(json.dumps(found))


if __name__ == "__main__":
    main()
