"""``stone-stack``: serve, demo, inspect, convert, tile, seam, bench; and what stands beside.

Exit codes: 0 done, 1 the thing asked for cannot be done, 2 the command line is wrong.
Heavy imports stand inside the commands that need them, so that starting costs little.
"""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

from stonestack import __version__
from stonestack.cli import apply, check, check_maps, convert, deliveries, derive, games, safe
from stonestack.cli.words import one_of, qualities, roles

_BENCHES = (
    "blocks",
    "stages",
    "tile",
    "steps",
    "catalogue",
    "project",
    "trust",
    "maps",
    "checks",
    "made-of",
    "set",
)


def main(arguments: list[str] | None = None) -> int:
    """Run one command and return its exit code."""
    words = sys.argv[1:] if arguments is None else arguments
    options = derive.asked(words[1:]) if words[:1] == ["derive"] else _parser().parse_args(words)
    from stonestack.core.runtime.errors import StoneError

    try:
        code: int = options.run(options)
    except StoneError as error:
        print(f"{error.message} {error.fix}", file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        print("Stopped.", file=sys.stderr)
        return 1
    except Exception as error:
        from stonestack.store.failures import told

        known = told(error)
        if known is not None:
            print(f"{known.message} {known.fix}", file=sys.stderr)
        elif isinstance(error, OSError):
            place = f"{error.filename}: " if error.filename else ""
            print(f"{place}{error.strerror or error}", file=sys.stderr)
        else:
            raise
        return 1
    return code


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="stone-stack", description="From a raw picture to a surface in the game."
    )
    parser.add_argument("--version", action="version", version=f"stone-stack {__version__}")
    commands = parser.add_subparsers(dest="command", required=True)

    serve = commands.add_parser("serve", help="start the application on your own data")
    _serving_options(serve)
    serve.set_defaults(run=_serve)

    demo = commands.add_parser("demo", help="start the application with the demo project")
    _serving_options(demo)
    demo.add_argument("--make-only", action="store_true", help="make the demo and end")
    demo.set_defaults(run=_demo)

    inspect = commands.add_parser("inspect", help="say what a picture or texture file is")
    inspect.add_argument("file", type=Path)
    inspect.add_argument("--json", action="store_true")
    inspect.set_defaults(run=_inspect)

    convert.add(commands)

    _add_tiling(commands)
    apply.add(commands)
    derive.add(commands)

    deliveries.add(commands)
    games.add(commands)
    safe.add(commands)
    check.add(commands)
    check_maps.add(commands)

    paint = commands.add_parser("paint", help="stand in for an image editor: paint on a file")
    paint.add_argument("file", type=Path)
    paint.add_argument("--shade", default="#c43a2f")
    paint.set_defaults(run=_paint)

    bench = commands.add_parser("bench", help="measure speed, or how far figures can be trusted")
    bench.add_argument(
        "what",
        choices=_BENCHES,
    )
    bench.add_argument(
        "--seed",
        type=int,
        action="append",
        help="for trust, maps, checks and made-of: draws the trial",
    )
    of = bench.add_mutually_exclusive_group()
    of.add_argument(
        "--matter", type=one_of(_matters), action="append", help="for trust: only this one"
    )
    of.add_argument(
        "--others",
        action="store_true",
        help="for trust: faults of other matters, on which no bound was set",
    )
    bench.add_argument(
        "--every",
        type=int,
        choices=range(1, 21),
        metavar="N",
        default=1,
        help="for trust and blocks: only one of N tiles or pictures",
    )
    bench.add_argument(
        "--side",
        type=int,
        default=2048,
        help="for tile, steps, set, blocks: pixels each way",
    )
    bench.add_argument(
        "--quality", type=one_of(qualities), action="append", help="for blocks: only this one"
    )
    bench.add_argument("--output", type=Path, help="for blocks: where figures go as JSON")
    bench.add_argument("--files", type=int, default=10_000, help="for catalogue")
    bench.add_argument("--surfaces", type=int, default=1000, help="for project")
    bench.add_argument("--builds", type=int, default=20, help="for project")
    bench.add_argument("--large", action="store_true", help="for catalogue: with a file of 2 GB")
    bench.set_defaults(run=_bench)
    return parser


def _matters() -> list[str]:
    from stonestack.trials.matters import MATTERS
    from stonestack.trials.others import OTHERS

    return [*MATTERS, *OTHERS]


def _methods() -> list[str]:
    from stonestack.core.tools.tiling import METHODS

    return list(METHODS)


def _bench(options: argparse.Namespace) -> int:
    if options.what == "catalogue":
        from stonestack.cli.bench_catalogue import bench_catalogue

        bench_catalogue(options.files, options.large)
        return 0
    if options.what == "project":
        from stonestack.cli.bench_project import bench_project

        bench_project(options.surfaces, options.builds)
        return 0
    if options.what == "trust":
        from stonestack.cli.bench_trust import bench_trust
        from stonestack.trials.others import OTHERS

        matters = list(OTHERS) if options.others else options.matter or []
        bench_trust(options.seed or [1], matters, options.every)
        return 0
    if options.what == "blocks":
        from stonestack.cli.bench_blocks import bench_blocks

        side, quality = min(options.side, 1024), options.quality or qualities()
        bench_blocks(side, quality, options.output, options.every)
        return 0
    if options.what == "set":
        from stonestack.cli.bench_maps import bench_set

        bench_set(options.side)
        return 0
    if options.what == "made-of":
        from stonestack.cli.bench_maps import bench_made_of

        bench_made_of(options.seed or [1])
        return 0
    if options.what == "checks":
        from stonestack.cli.bench_maps import bench_checks

        bench_checks(options.seed or [1])
        return 0
    if options.what == "maps":
        from stonestack.cli.bench_maps import bench_maps

        bench_maps(options.seed or [1])
        return 0
    from stonestack.cli import bench

    if options.what == "steps":
        from stonestack.cli.bench_steps import bench_steps

        bench_steps(options.side)
        return 0
    if options.what == "tile":
        from stonestack.cli.bench_tile import bench_tile

        bench_tile(options.side)
        return 0
    bench.bench_stages()
    return 0


def _add_tiling(commands: argparse._SubParsersAction[argparse.ArgumentParser]) -> None:
    tile = commands.add_parser("tile", help="make a picture tile")
    tile.add_argument("input", type=Path)
    tile.add_argument("output", type=Path, help="its kind follows its extension")
    tile.add_argument(
        "--method", type=one_of(_methods), help="left out, the way that suits best is chosen"
    )
    tile.add_argument("--axes", choices=["x", "y", "both"], default="both")
    tile.add_argument("--size", metavar="WxH", help="texels, for example 1024x1024")
    tile.add_argument("--seed", type=int, help="another number, another tile, where chance draws")
    tile.add_argument("--role", type=one_of(roles), default="colour")
    tile.add_argument(
        "--straighten",
        action="store_true",
        help="of a picture seen at a slant, whose lines run together, take what lies along them",
    )
    tile.set_defaults(run=_tile)

    seam = commands.add_parser("seam", help="measure how well a picture tiles")
    seam.add_argument("input", type=Path)
    seam.add_argument("--json", action="store_true")
    seam.add_argument("--role", type=one_of(roles), default="colour")
    seam.set_defaults(run=_seam)


def _tile(options: argparse.Namespace) -> int:
    from stonestack.core.tables.roles import Role
    from stonestack.core.tools.converting import check_output, parse_size
    from stonestack.core.tools.tiling import choose_method, frame_on_lines, tile_file
    from stonestack.store.files import write_atomically

    if options.input.resolve() == options.output.resolve():
        print("The output is the input; originals are never changed.", file=sys.stderr)
        return 2
    given, method, frame = options.input.read_bytes(), options.method, None
    if options.straighten:
        frame = frame_on_lines(given, Role(options.role))
        print("Straightened by its lines." if frame else "No lines run together: left as it is.")
    if method is None:
        check_output(options.output.name)
        method, choice = choose_method(given, Role(options.role), options.axes, frame)
        print(f"{method}: {choice.reason}")
        if choice.advice:
            print(choice.advice)
    made = tile_file(
        given,
        options.output.name,
        method=method,
        axes=options.axes,
        size=parse_size(options.size) if options.size else None,
        seed=options.seed,
        role=Role(options.role),
        frame=frame,
    )
    write_atomically(options.output, made.data)
    if made.kept:
        print(f"Kept: {made.kept}.")
    return 0


def _seam(options: argparse.Namespace) -> int:
    from stonestack.core.files import codecs
    from stonestack.core.runtime.errors import BadRequest
    from stonestack.core.tables.roles import ROLES, Role
    from stonestack.core.tile.scores import tile_scores

    picture = codecs.read_picture(options.input.read_bytes(), ROLES[Role(options.role)].space)
    scores = tile_scores(picture)
    if scores is None:
        raise BadRequest(
            "too-small-to-score",
            f"{picture.width} × {picture.height} pixels are too few to measure.",
            "Measure a picture of at least 16 pixels each way.",
        )
    if options.json:
        print(scores.model_dump_json(indent=2))
        return 0
    rows = {
        "Fault": f"{scores.fault:.1f}  (0 nothing to see, 1 just noticeable, 3 seen at once)",
        "Left to right": f"{scores.x:.2f}",
        "Top to bottom": f"{scores.y:.2f}",
        "Detail of joins": f"{scores.detail:.2f}",
        "Structure": f"{scores.structure:.2f}",
        "Repetition": f"{scores.repetition:.2f}",
        "  by spots": f"{scores.spots:.2f}",
        "  by broad light": f"{scores.broad:.2f}",
        "Drift of tone": f"{scores.drift_x:+.0f} % across, {scores.drift_y:+.0f} % down",
        "Mirrored": "yes" if scores.mirrored else "no",
    }
    if scores.period is not None:
        steps = [f"{way.x:.1f}, {way.y:.1f}" for way in scores.period.steps]
        rows["Recurs every"] = " and ".join(steps) + " pixels"
    for name, value in rows.items():
        print(f"{name:16} {value}")
    for fault in scores.faults:
        x, y, width, height = (round(value) for value in fault.box)
        place = "everywhere" if fault.everywhere else f"{width} × {height} at {x}, {y}"
        print(f"  {fault.words.lower()}, {fault.seen} ({fault.strength:.1f}): {place}")
    for spot in scores.culprits:
        print(f"  a {spot.words} spot at {spot.x:.2f}, {spot.y:.2f}, strength {spot.strength:.1f}")
    return 0


def _serving_options(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--port", type=int, default=None)
    parser.add_argument(
        "--memory",
        type=int,
        metavar="MB",
        help="for pictures and lists that may be asked for again; what is beyond lies on disk "
        "(by default a quarter of the machine's memory, 1024 at most)",
    )


def _keep_within(megabytes: int | None) -> None:
    from stonestack.core.runtime.errors import BadRequest
    from stonestack.core.runtime.memory import LEAST, MEMORY

    if megabytes is None:
        return
    if megabytes << 20 < LEAST:
        raise BadRequest(
            "too-little-memory",
            f"{megabytes} MB are too little to work with.",
            f"Give --memory at least {LEAST >> 20}.",
        )
    MEMORY.limit(megabytes << 20)


def _serve(options: argparse.Namespace) -> int:
    from stonestack.services.starting import started
    from stonestack.store.place import default_data_folder
    from stonestack.web.serving import serve

    _keep_within(options.memory)
    return serve(started(default_data_folder()), options.port)


def _demo(options: argparse.Namespace) -> int:
    from stonestack.demo.project import MADE, ensure
    from stonestack.store.place import DataFolder, default_data_folder
    from stonestack.web.serving import serve

    _keep_within(options.memory)
    # The demo never mixes with the user's own data.
    data = DataFolder(default_data_folder().root.with_name(_demo_name()))
    if not (data.root / MADE).is_file():
        print("Making the demo project: drawing its pictures takes some seconds.", flush=True)
    workspace = ensure(data)
    if options.make_only:
        workspace.close()
        print(f"The demo project lies in {data.root}")
        return 0
    return serve(workspace, options.port)


def _demo_name() -> str:
    from stonestack.store.place import default_data_folder

    return f"{default_data_folder().root.name}-demo"


def _inspect(options: argparse.Namespace) -> int:
    from stonestack.core.catalogue.sources import examine

    facts = examine(options.file.name, options.file.read_bytes()).facts
    if options.json:
        print(facts.model_dump_json(indent=2))
        return 0
    lies = "  (its extension lies)" if facts.extension_lies else ""
    rows = {
        "Kind": f"{facts.kind}, called {facts.kind_by_extension}{lies}",
        "Size": f"{facts.width} × {facts.height}, {facts.mips} level(s)",
        "Format": f"{facts.block_format or facts.mode}, worked on in {facts.bits} bits",
        "Colour space": facts.colour_space,
        "Alpha": facts.alpha,
        "Bytes": str(facts.bytes),
        "Profile": facts.profile or "none",
    }
    if facts.role is not None:
        sure = f"{facts.role_confidence:.0%} sure: {facts.role_reason}"
        rows["Likely"] = f"{facts.role.value} ({sure})"
    if facts.green is not None:
        rows["Green"] = f"{facts.green} ({facts.green_confidence:.0%} sure, by its slopes)"
    for words in facts.unusual:
        rows[f"Unusual {len(rows)}"] = words
    for name, value in rows.items():
        print(f"{name:13} {value}")
    return 0


def _paint(options: argparse.Namespace) -> int:
    from stonestack.demo.editor import paint

    paint(options.file, options.shade)
    return 0


if __name__ == "__main__":
    sys.exit(main())
