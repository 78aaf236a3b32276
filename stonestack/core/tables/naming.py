"""Names that games look up: made, checked and joined in one place."""

from __future__ import annotations

import re

from stonestack.core.runtime.errors import BadRequest

_CODE = re.compile(r"[a-z0-9][a-z0-9_]{0,62}")
_FILE = re.compile(r"[A-Za-z0-9_]([A-Za-z0-9_ .-]{0,98}[A-Za-z0-9_])?")
_RESERVED = {"con", "prn", "aux", "nul"} | {f"{p}{n}" for p in ("com", "lpt") for n in range(10)}


def code_name(title: str) -> str:
    """Make a name a game can look up from a title: ``"Limewash, east"`` to ``limewash_east``."""
    name = re.sub(r"[^a-z0-9]+", "_", title.lower()).strip("_")[:48]
    return name if name and name not in _RESERVED else f"surface_{name}".strip("_")


def check_code_name(name: str) -> str:
    """Return ``name`` if it can be a file name on every system.

    Raises
    ------
    BadRequest
        If it holds anything but small letters, digits and underscores.
    """
    if not is_code_name(name):
        raise BadRequest(
            "bad-name",
            f"“{name[:80]}” cannot be a file name in the game.",
            "Use small letters, digits and underscores, for example floor_encaustic.",
        )
    return name


def is_code_name(name: str) -> bool:
    """Tell whether a name holds nothing but small letters, digits and underscores."""
    return _CODE.fullmatch(name) is not None and name not in _RESERVED


def check_file_name(name: str) -> str:
    """Return ``name`` if it can be a file name, without extension, on every system.

    Raises
    ------
    BadRequest
        If it holds what some system does not take, or some program may trip over.
    """
    if not _FILE.fullmatch(name) or name.lower().split(".")[0] in _RESERVED:
        raise BadRequest(
            "bad-name",
            f"“{name[:80]}” cannot be a file name.",
            "Use letters, digits, spaces and any of _ - . inside; begin and end with a letter, "
            "a digit or an underscore.",
        )
    return name


def filled(pattern: str, **words: str) -> str:
    """Fill the places of a pattern such as ``textures/{name}.dds``."""
    for place, word in words.items():
        pattern = pattern.replace(f"{{{place}}}", word)
    return pattern


def plain_file_name(name: str) -> str:
    """Return the name of a file that came in, without any folder.

    Raises
    ------
    BadRequest
        If the name climbs out of its folder or holds control characters.
    """
    parts = re.split(r"[\\/]", name)
    if ".." in parts or any(ord(c) < 32 for c in name) or not parts[-1].strip():
        raise BadRequest(
            "bad-file-name",
            "The file's name points outside its folder or is not a name.",
            "Rename the file and bring it again.",
        )
    return parts[-1][:200]
