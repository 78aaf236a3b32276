"""``stone-stack safe list|restore``: the originals that are kept, by the safe's own list alone.

No database is opened, so that originals can be given back when that is damaged or lost.

Exit codes: 0 done; 1 something could not be given back, with the reason; 2 the command line is
wrong.
"""

from __future__ import annotations

import argparse
import sys
from pathlib import Path


def add(commands: argparse._SubParsersAction[argparse.ArgumentParser]) -> None:
    """Add the commands."""
    safe = commands.add_parser("safe", help="list the originals that are kept, or give them back")
    parts = safe.add_subparsers(dest="part", required=True)

    def part(name: str, words: str) -> argparse.ArgumentParser:
        parser = parts.add_parser(name, help=words)
        parser.add_argument("data", type=Path, help="the data folder")
        parser.add_argument("--json", action="store_true")
        return parser

    part("list", "say what the safe holds").set_defaults(run=_list)
    restore = part("restore", "give originals back; no database is needed")
    restore.add_argument("name", nargs="*", help="paths below the game folder; all by default")
    restore.add_argument("--into", type=Path, metavar="FOLDER", help="write them there instead")
    restore.add_argument("--even-changed", action="store_true", help="what is not ours, too")
    restore.set_defaults(run=_restore)


def _list(options: argparse.Namespace) -> int:
    from stonestack.store import safe_list
    from stonestack.store.files import FileStore
    from stonestack.store.place import DataFolder

    data = DataFolder(options.data.resolve())
    safe = FileStore(data.safe)
    lost = 0
    for line in safe_list.kept(data):
        whole = safe.whole(line.sha256)
        lost += not whole
        if options.json:
            print(line.model_dump_json())
        else:
            state = "whole" if whole else "LOST"
            version = line.version or "unknown"
            print(f"{state}  {line.sha256[:12]}  {line.root}/{line.path}  version {version}")
    return 1 if lost else 0


def _restore(options: argparse.Namespace) -> int:
    from stonestack.core.runtime.errors import BadRequest
    from stonestack.store import safe_list
    from stonestack.store.place import DataFolder

    data = DataFolder(options.data.resolve())
    lines = safe_list.kept(data)
    wanted = set(options.name)
    missing = wanted - {line.path for line in lines}
    if missing or not lines:
        raise BadRequest(
            "not-in-safe",
            f"The safe's list names no {', '.join(sorted(missing)) or 'original'}.",
            "stone-stack safe list DATA says what it holds.",
        )
    chosen = [line for line in lines if not wanted or line.path in wanted]
    done = safe_list.restore(data, chosen, options.into, options.even_changed)
    if options.json:
        print(done.model_dump_json())
    else:
        for path in done.paths:
            print(f"Given back: {path}")
    for words in done.left:
        print(f"Left alone: {words}", file=sys.stderr)
    return 1 if done.left else 0
