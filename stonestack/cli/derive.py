"""``stone-stack derive``: make one map of another."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import Any, Literal, get_args, get_origin

_OWN = frozenset(
    (
        "others",
        "tiles",
        "green_in",
        "green_out",
        "bits",
        "density",
        "kind",
        "input",
        "output",
        "run",
    )
)
"""What is no parameter of a step."""


def add(commands: argparse._SubParsersAction[argparse.ArgumentParser]) -> None:
    """Add the command to the list; :func:`asked` reads what it takes."""
    commands.add_parser("derive", help="make one map of another", add_help=False)


def asked(words: list[str]) -> argparse.Namespace:
    """Read the words after the command; which kinds there are is looked up only now."""
    return _parser().parse_args(words)


def _derive(given: argparse.Namespace) -> int:
    from stonestack.core.picture.normals import Green
    from stonestack.core.tools.deriving import derive_file
    from stonestack.store.files import write_atomically

    if given.input.resolve() == given.output.resolve():
        print("The output is the input; originals are never changed.", file=sys.stderr)
        return 2
    data = given.input.read_bytes()
    values = {name: value for name, value in vars(given).items() if name not in _OWN}
    values = {name: value for name, value in values.items() if value is not None}
    if "radius" in values:
        values["radius"] = _radius(str(values["radius"]), data, given.density)
    made = derive_file(
        given.kind,
        data,
        given.output.name,
        values,
        others={name: Path(file).read_bytes() for name, file in map(_pair, given.others)},
        tiles=None if given.tiles is None else given.tiles == "yes",
        green=Green(given.green_in),
        green_out=Green(given.green_out),
        bits=given.bits,
    )
    write_atomically(given.output, made)
    return 0


def _parser() -> argparse.ArgumentParser:
    from stonestack.core.kinds.references import fields_read
    from stonestack.core.tools.deriving import derivations, usual

    parser = argparse.ArgumentParser(
        prog="stone-stack derive", description="Make one map of another."
    )
    kinds = parser.add_subparsers(dest="kind", required=True, metavar="KIND")
    for name, step in derivations().items():
        short = [role for role, usually in usual().items() if usually == name]
        one = kinds.add_parser(
            name, aliases=short, allow_abbrev=False, help=step.hint[:1].lower() + step.hint[1:]
        )
        one.set_defaults(run=_derive)
        one.add_argument("input", type=Path)
        one.add_argument("output", type=Path, help="its kind follows its extension")
        reads = fields_read(step.params)
        for field, info in step.params.model_fields.items():
            if field != "kind" and field not in reads:
                _add_field(one, field, info.annotation, info.title or field, info.default)
        one.add_argument(
            "--with",
            dest="others",
            metavar="NAME=FILE",
            action="append",
            default=[],
            help=f"what it reads besides: {', '.join(reads)}" if reads else argparse.SUPPRESS,
        )
        one.add_argument(
            "--tiles",
            choices=["yes", "no"],
            help="whether it goes on over its edges; else it is looked whether they meet",
        )
        one.add_argument(
            "--green-in", choices=["up", "down"], default="up", help="of normals that come in"
        )
        one.add_argument(
            "--green-out", choices=["up", "down"], default="up", help="of normals that are written"
        )
        one.add_argument("--bits", type=int, choices=[8, 16], help="depth of what is written")
        one.add_argument(
            "--density",
            type=float,
            help="texels a metre, for a radius in metres"
            if "radius" in step.params.model_fields
            else argparse.SUPPRESS,
        )
    return parser


def _add_field(
    parser: argparse.ArgumentParser, name: str, annotation: Any, title: str, default: object
) -> None:
    """Add the option of one of a step's parameters."""
    flag = f"--{name.replace('_', '-')}"
    words = f"{title}; {str(default).lower() if isinstance(default, bool) else default}"
    if name == "radius":
        parser.add_argument(flag, help=f"{words} hundredths of the width; or 12px, or 0.05m")
    elif annotation is bool:
        parser.add_argument(flag, action=argparse.BooleanOptionalAction, help=words)
    elif get_origin(annotation) is Literal:
        parser.add_argument(flag, choices=get_args(annotation), help=words)
    elif annotation in (int, float):
        parser.add_argument(flag, type=annotation, help=words.replace("%", "%%"))
    else:
        parser.add_argument(flag, help=words.replace("%", "%%"))


def _radius(text: str, data: bytes, density: float | None) -> float:
    """Return a radius in hundredths of the width: given so, in texels, or in metres."""
    from stonestack.core.runtime.errors import BadRequest
    from stonestack.core.tools.deriving import sides_of

    number, unit = (text[:-2], "px") if text.endswith("px") else (text.rstrip("m"), text[-1:])
    try:
        size = float(number)
    except ValueError as error:
        raise BadRequest(
            "bad-radius", f"“{text}” is no radius.", "Write it as 5, 12px or 0.05m."
        ) from error
    if unit not in ("px", "m"):
        return size
    if unit == "m":
        if not density or density <= 0:
            raise BadRequest(
                "bad-radius", "A radius in metres needs a density.", "Add --density TEXELS."
            )
        size *= density
    return size / sides_of(data)[0] * 100


def _pair(text: str) -> tuple[str, str]:
    from stonestack.core.runtime.errors import BadRequest

    name, equals, file = text.partition("=")
    if not equals:
        raise BadRequest("bad-with", f"“{text}” names no file.", "Write it as specular=wall_s.png.")
    return name.replace("-", "_"), file
