"""``stone-stack apply``: use a recipe on one picture."""

from __future__ import annotations

import argparse
import json
import sys
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from stonestack.core.tables.roles import Role


def add(commands: argparse._SubParsersAction[argparse.ArgumentParser]) -> None:
    """Add the command."""
    apply = commands.add_parser("apply", help="use a recipe on a picture")
    apply.add_argument("recipe", type=Path, nargs="?", help="as the interface puts it out")
    apply.add_argument("input", type=Path, nargs="?")
    apply.add_argument("output", type=Path, nargs="?", help="its kind follows its extension")
    apply.add_argument("--role", help="what the picture is; else what the recipe was made for")
    apply.add_argument(
        "--with",
        dest="others",
        metavar="ROLE=FILE",
        action="append",
        default=[],
        help="another map that the recipe reads; may be given again",
    )
    apply.add_argument(
        "--tiles",
        choices=["yes", "no"],
        help="whether the picture goes on over its edges; else it is looked whether they meet",
    )
    apply.add_argument(
        "--schema", action="store_true", help="print the description of recipe files and end"
    )
    apply.set_defaults(run=_apply)


def _apply(options: argparse.Namespace) -> int:
    from stonestack.core.document.recipe import Recipe
    from stonestack.core.tools.applying import apply_recipe
    from stonestack.store.files import write_atomically

    if options.schema:
        print(json.dumps(Recipe.model_json_schema(), indent=2))
        return 0
    if options.output is None:
        print("Say which recipe, which picture, and where it goes.", file=sys.stderr)
        return 2
    if options.output.resolve() in (options.input.resolve(), options.recipe.resolve()):
        print("The output is the input; originals are never changed.", file=sys.stderr)
        return 2
    data = apply_recipe(
        options.recipe.read_bytes(),
        options.input.read_bytes(),
        options.output.name,
        role=role_named(options.role) if options.role else None,
        others={role_named(r): Path(f).read_bytes() for r, f in map(pair, options.others)},
        tiles=None if options.tiles is None else options.tiles == "yes",
    )
    write_atomically(options.output, data)
    return 0


def role_named(word: str) -> Role:
    """Return the role of a name."""
    from stonestack.core.runtime.errors import BadRequest
    from stonestack.core.tables.roles import Role

    known = [str(role) for role in Role]
    if word not in known:
        raise BadRequest(
            "no-such-role", f"“{word}” is no kind of map.", f"Use one of: {', '.join(known)}."
        )
    return Role(word)


def pair(text: str) -> tuple[str, str]:
    """Part a name from a file."""
    from stonestack.core.runtime.errors import BadRequest

    role, equals, file = text.partition("=")
    if not equals:
        raise BadRequest("bad-with", f"“{text}” names no file.", "Write it as height=wall_h.png.")
    return role, file
