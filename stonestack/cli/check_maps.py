"""``stone-stack check-maps``: what there is to look at in files that are maps of one surface.

Exit codes: 0 nothing; 1 something is found, or a file cannot be read; 2 the command line is wrong.
"""

from __future__ import annotations

import argparse
import json
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from stonestack.core.tables.matters import Matter


def add(commands: argparse._SubParsersAction[argparse.ArgumentParser]) -> None:
    """Add the command."""
    check = commands.add_parser(
        "check-maps", help="say what is wrong with map files, and whether they belong together"
    )
    check.add_argument("maps", metavar="ROLE=FILE", nargs="+", help="for example normal=wall_n.png")
    check.add_argument("--made-of", help="what the surface is made of, for example brick")
    check.add_argument(
        "--green", choices=["up", "down"], default="up", help="which way the file's green points"
    )
    check.add_argument(
        "--tiles",
        choices=["yes", "no"],
        help="whether they go on over their edges; else it is looked whether they meet",
    )
    check.add_argument(
        "--before", type=Path, help="the colour as it was when the other maps belonged to it"
    )
    check.add_argument("--json", action="store_true")
    check.set_defaults(run=_check)


def _check(options: argparse.Namespace) -> int:
    from stonestack.cli.apply import pair, role_named
    from stonestack.core.picture.normals import Green
    from stonestack.core.tools.checking import check_files

    files = {role_named(r): Path(f).read_bytes() for r, f in map(pair, options.maps)}
    found = check_files(
        files,
        matter=_matter(options.made_of),
        green=Green(options.green),
        tiles=None if options.tiles is None else options.tiles == "yes",
        before=options.before.read_bytes() if options.before else None,
    )
    if options.json:
        kept = {"level", "code", "map", "words", "fix", "parts"}
        print(json.dumps([finding.model_dump(mode="json", include=kept) for finding in found]))
    else:
        for finding in found:
            print(f"{finding.map}: {finding.words}. {finding.fix} [{finding.code}]")
        if not found:
            print("Nothing to look at.")
    return 1 if found else 0


def _matter(word: str | None) -> Matter | None:
    from stonestack.core.runtime.errors import BadRequest
    from stonestack.core.tables.matters import Matter

    if word is None:
        return None
    known = [str(matter) for matter in Matter]
    if word not in known:
        raise BadRequest(
            "no-such-matter", f"“{word}” is no matter.", f"Use one of: {', '.join(known)}."
        )
    return Matter(word)
