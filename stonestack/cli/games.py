"""``stone-stack catalogue, find, take, put, restore, verify``: a game folder, unattended.

Exit codes: 0 done and all is well; 1 it cannot be done, with the reason; 2 the command line is
wrong; and of ``verify`` alone 3 something of ours is not in place, 4 the safe has lost an
original, 5 a file of the game or of the safe is not what was told to be done.
"""

from __future__ import annotations

import argparse
import json
import sys
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from stonestack.services.game.finding import Counts, EntryView
    from stonestack.services.game.games import GameFolderView
    from stonestack.services.jobs import Progress
    from stonestack.services.safe.planning import Plan
    from stonestack.services.workspace import Workspace

OURS_MISSING, SAFE_DAMAGED, NOT_AS_TOLD = 3, 4, 5


def add(commands: argparse._SubParsersAction[argparse.ArgumentParser]) -> None:
    """Add the commands."""

    def command(name: str, words: str) -> argparse.ArgumentParser:
        parser = commands.add_parser(name, help=words)
        parser.add_argument("folder", type=Path, help="the game folder")
        parser.add_argument("--json", action="store_true")
        return parser

    catalogue = command("catalogue", "say what lies in a game folder")
    catalogue.add_argument("--thorough", action="store_true", help="trust no time stamp")
    catalogue.add_argument("--entries", action="store_true", help="print each of them")
    catalogue.set_defaults(run=_catalogue)

    find = command("find", "find files of a game by words, or by what they look like")
    find.add_argument("words", nargs="*")
    find.add_argument("--like", type=Path, metavar="IMAGE")
    find.add_argument("--role", default="")
    find.add_argument("--kind", default="")
    find.add_argument("--names", type=Path, metavar="TABLE", help="attach a table of names first")
    find.set_defaults(run=_find)

    take = command("take", "write originals and their contracts to a folder")
    take.add_argument("name", nargs="+")
    take.add_argument("--out", type=Path, required=True)
    take.add_argument(
        "--as",
        dest="kind",
        choices=["png", "tiff", "ora"],
        help="in full colour under the same name, so that any editor opens it",
    )
    take.set_defaults(run=_take)

    put = command("put", "put a picture in a file's place; its original is kept first")
    put.add_argument("name", nargs="?", help="the path below the folder")
    put.add_argument("image", type=Path, nargs="?")
    put.add_argument("--from", dest="source", type=Path, metavar="FOLDER")
    put.add_argument("--all-twins", action="store_true", help="every copy of the same picture")
    put.add_argument("--only", action="store_true", help="no copies at all")
    put.add_argument("--plan", action="store_true", help="only say what would be done")
    put.set_defaults(run=_put)

    restore = command("restore", "give the game its originals back")
    restore.add_argument("name", nargs="*")
    restore.add_argument("--even-changed", action="store_true")
    restore.set_defaults(run=_restore)

    verify = command("verify", "check the safe, and whether ours is still in place")
    verify.set_defaults(run=_verify)


@contextmanager
def opened() -> Iterator[Workspace]:
    """Open the data folder, settle what a crash interrupted, and close it again."""
    from stonestack.services.starting import started
    from stonestack.store.place import default_data_folder

    ws = started(default_data_folder())
    try:
        yield ws
    finally:
        ws.close()


def progress_of(options: argparse.Namespace) -> Progress:
    """Return a progress that is shown on a terminal, unless machines read the output."""
    from stonestack.services.jobs import told

    if options.json or not sys.stderr.isatty():
        return told(lambda _share, _doing: None)
    return told(lambda share, doing: print(f"\r{share:4.0%} {doing:60}", end="", file=sys.stderr))


def _game(ws: Workspace, options: argparse.Namespace, thorough: bool = False) -> GameFolderView:
    """Register the folder and bring its catalogue up to date."""
    from stonestack.services.game import cataloguing, games

    game = games.register(ws, options.folder)
    cataloguing.catalogue(ws, game.id, progress_of(options), thorough)
    return games.get(ws, game.id)


def _print_entries(options: argparse.Namespace, entries: list[EntryView]) -> None:
    if options.json:
        print(json.dumps([e.model_dump(mode="json") for e in entries], ensure_ascii=False))
        return
    named = Counter(e.path for e in entries)
    for e in entries:
        size = f"{e.width}x{e.height}" if e.width else ""
        mark = f"#{e.index}" if named[e.path] > 1 else ""
        known = f"  “{e.human}”" if e.human else ""
        print(f"{e.kind:9} {size:>10} {e.format:6} {e.role:9} {e.path}{mark}{known}")


def _print_summary(found: Counts) -> None:
    """Say how much there is of what, in a few lines."""
    print(f"{found.entries} entries, {found.pictures} of them pictures, of {found.things} things")
    for title, counts in (
        ("Kinds", found.kinds),
        ("Roles", found.roles),
        ("Formats", found.formats),
    ):
        words = ", ".join(f"{name} {count}" for name, count in Counter(counts).most_common(8))
        print(f"{title:8} {words or 'none'}")
    if found.broken:
        print(f"{found.broken} cannot be read; --entries or --json says which")


def _catalogue(options: argparse.Namespace) -> int:
    from stonestack.services.game import finding

    with opened() as ws:
        game = _game(ws, options, options.thorough)
        if options.json or options.entries:
            _print_entries(options, finding.everything(ws, game.id))
        else:
            _print_summary(finding.counts(ws, game.id))
        for left in game.left_out:
            print(f"Left out: {left.path} {left.why}", file=sys.stderr)
    return 0


def _find(options: argparse.Namespace) -> int:
    from stonestack.services.game import finding
    from stonestack.services.game.finding import Query

    with opened() as ws:
        game = _game(ws, options)
        if options.names:
            from stonestack.services.game import naming

            naming.attach(ws, game.id, options.names)
        query = Query(
            words=" ".join(options.words), role=options.role, kind=options.kind, limit=2000
        )
        if options.like is not None:
            from stonestack.services.game import alike

            data = options.like.read_bytes()
            found = alike.like(ws, [game.id], data, progress_of(options))
            if options.words or options.role or options.kind:
                within = {e.id for e in finding.search(ws, game.id, query).entries}
                found = [e for e in found if e.id in within]
        else:
            found = finding.search(ws, game.id, query).entries
        _print_entries(options, found)
    return 0 if found else 1


def _take(options: argparse.Namespace) -> int:
    from stonestack.core.files.workfiles.passing import WorkKind
    from stonestack.services.game import taking
    from stonestack.services.safe import planning

    kind = WorkKind(options.kind) if options.kind else None
    with opened() as ws:
        game = _game(ws, options)
        with ws.session() as session:
            entries = [planning.entry_at(session, game.id, name) for name in options.name]
        taken = taking.take_out(ws, game.id, entries, options.out, kind)
    if options.json:
        print(json.dumps([t.model_dump(mode="json") for t in taken], ensure_ascii=False))
    else:
        for t in taken:
            print(f"{t.path}: {t.contract}")
            for file in t.files:
                print(f"  {options.out / file}")
            if t.refusal:
                print(f"  It cannot be put back changed: {t.refusal}")
    return 0


def _put(options: argparse.Namespace) -> int:
    from stonestack.core.runtime.errors import BadRequest
    from stonestack.services.safe import matching, planning, putting

    if (options.source is None) == (options.name is None or options.image is None):
        print("Name a file and a picture, or --from a folder.", file=sys.stderr)
        return 2
    with opened() as ws:
        game = _game(ws, options)
        unmatched: list[str] = []
        if options.source is not None:
            wanted, unmatched = matching.from_folder(ws, game.id, options.source)
        else:
            with ws.session() as session:
                entry = planning.entry_at(session, game.id, options.name)
            wanted = [planning.from_file(entry.id or 0, options.image.read_bytes())]
        plan, _ = planning.plan(ws, game.id, wanted, progress=progress_of(options))
        ticked = {
            x.entry_id
            for x in plan.lines
            if x.entry_id is not None
            and (x.ticked or (options.all_twins and not x.problem))
            and not (options.only and x.copy_of)
        }
        lines = [x.model_copy(update={"ticked": x.entry_id in ticked}) for x in plan.lines]
        plan = plan.model_copy(update={"lines": lines, "unmatched": unmatched})
        if options.plan:
            print_plan(options, plan)
            return 0 if plan.ready else 1
        if not wanted:
            raise BadRequest(
                "nothing-matched",
                f"No picture in {options.source} fits a file of the game.",
                "Call each like the file that it replaces.",
            )
        done = putting.put(ws, game.id, wanted, ticked, progress_of(options))
    if options.json:
        print(json.dumps({**done.model_dump(mode="json"), "unmatched": unmatched}))
    else:
        for path in done.paths:
            print(f"Replaced {path}")
        for line in unmatched:
            print(f"Not matched: {line}", file=sys.stderr)
    return 0


def print_plan(options: argparse.Namespace, plan: Plan) -> None:
    """Print what putting would do."""
    if options.json:
        print(plan.model_dump_json())
        return
    for line in plan.lines:
        tick = "x" if line.ticked else " "
        change = f"{line.before} -> {line.after} bytes, {line.made_anew:.0%} made anew"
        print(f"[{tick}] {line.path}  {line.problem or change}  ({line.why})")
    for keep in plan.keeps:
        state = "in the safe already" if keep.already else f"{keep.bytes} bytes into the safe"
        print(f"    {keep.file}: {state}")
    for text in plan.unmatched:
        print(f"    Not matched: {text}")


def _restore(options: argparse.Namespace) -> int:
    from stonestack.services.game import games
    from stonestack.services.safe import returning

    with opened() as ws:
        game = games.at(ws, options.folder)
        paths = options.name or None
        done = returning.restore(ws, game.id, paths, progress_of(options), options.even_changed)
    if options.json:
        print(done.model_dump_json())
    else:
        for path in done.paths:
            print(f"Restored {path}")
        for line in done.left:
            print(f"Left alone: {line}", file=sys.stderr)
    return 1 if done.left else 0


def _verify(options: argparse.Namespace) -> int:
    from stonestack.services.game import games
    from stonestack.services.safe import keeping

    with opened() as ws:
        found = keeping.verify(ws, games.at(ws, options.folder).id)
    if options.json:
        print(found.model_dump_json())
    else:
        for kept in found.kept:
            state = "whole" if kept.whole else "LOST"
            print(f"Safe: {kept.path} from version {kept.version or 'unknown'}: {state}")
        for placed in found.placed:
            print(f"Ours: {placed.path}: {placed.words}")
        for stray in found.strays:
            print(f"NOT AS TOLD: {stray.path}: {stray.words}")
    if not found.safe_whole:
        return SAFE_DAMAGED
    if not found.as_told:
        return NOT_AS_TOLD
    return 0 if found.all_in_place else OURS_MISSING
