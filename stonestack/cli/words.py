"""Checks of words on the command line against registers that are loaded only when needed."""

from __future__ import annotations

import argparse
from collections.abc import Callable


def one_of(names: Callable[[], list[str]]) -> Callable[[str], str]:
    """Return the check of a word against a register, which is loaded only when it is needed."""

    def check(word: str) -> str:
        known = names()
        if word not in known:
            raise argparse.ArgumentTypeError(f"“{word}” is none of: {', '.join(known)}")
        return word

    return check


def roles() -> list[str]:
    """Return the names of all roles."""
    from stonestack.core.tables.roles import Role

    return [str(role) for role in Role]


def formats() -> list[str]:
    """Return the names of all formats."""
    from stonestack.core.files.blocks.formats import BlockFormat

    return [str(format_) for format_ in BlockFormat]


def qualities() -> list[str]:
    """Return the names of all tiers."""
    from stonestack.core.files.blocks.quality import Quality

    return [str(quality) for quality in Quality]
