"""What a file's name says: which thing, which map, which size, which variant, or a backup.

Names are evidence, not proof; :mod:`.guess` weighs them against the pixels.
"""

from __future__ import annotations

import re
import unicodedata
from dataclasses import dataclass
from functools import lru_cache

from stonestack.core.picture.normals import Green
from stonestack.core.tables.roles import Role


def _words(text: str) -> frozenset[str]:
    return frozenset(text.split())


SUFFIXES: dict[str, Role] = {word: role for role in Role for word in role.info.words.split()}
"""Last words of names that say what a map is for."""

TIERS: dict[str, str] = {
    "full": "full",
    "hi": "full",
    "half": "half",
    "med": "half",
    "quarter": "quarter",
    "lo": "quarter",
    "low": "quarter",
}
"""Words for copies of one thing in several sizes."""

VARIANTS = _words(
    """
    spring summer autumn winter dry wet flooded day night dark light red blue green yellow
    white black grey old new clean dirty worn east west north south open closed lit unlit
    """
)
"""Words for one thing in another colour, season or state."""

ICONS = _words(
    """
    ico icon icons ui gui hud btn button menu spr sprite sprites thumb
    """
)
"""Words for pictures of things on a screen of the game."""

_FILLERS = _words("map maps tex texture img image")
"""Words behind a role that add nothing to it."""

_GREEN = {
    **dict.fromkeys(("gl", "ogl", "opengl", "normalgl"), Green.UP),
    **dict.fromkeys(("dx", "directx", "normaldx"), Green.DOWN),
}
"""Words of normals that say which way their green points."""

_BACKUP_WORDS = _words(
    """
    bak backup backups orig original originals copy save saved
    """
)
_BACKUP_TAIL = re.compile(
    r"(\.(bak|old|orig|save|backup)$)|(~$)|(\s*[-–]\s*copy( \d+)?$)|(^copy( \d+)? of )|(\(\d+\)$)"
)
_NUMBER = re.compile(r"v?\d{1,3}")
"""Counts and versions behind a role; they belong to the thing."""
_SIZE = re.compile(r"\d{1,2}k|\d{2,5}x\d{2,5}|64|128|256|512|1024|2048|4096")
_LEAST_HUMP = 3
_HUMP = re.compile(r"(?<=[a-z])(?=[A-Z])")
_CHUNK = re.compile(r"[^\s_.\-]+")
_PARTS = re.compile(r"[\s_.\-]+")


@dataclass(frozen=True)
class NameParts:
    """A name taken apart.

    Parameters
    ----------
    stem : str
        What is left when all else is taken off: the thing's own name, small letters.
    role : Role or None
        What the suffix says.
    tier, variant : str
        Size tier and variant words, or empty.
    green : Green or None
        Which way the second channel of normals points, where words say so.
    icon, backup : bool
        Whether words say that it is an icon, or a copy that somebody keeps.
    """

    stem: str
    role: Role | None
    suffix: str
    tier: str
    variant: str
    icon: bool
    backup: bool
    green: Green | None = None


def folded(text: str) -> str:
    """Return text as it is compared: one Unicode form, small letters."""
    return unicodedata.normalize("NFC", text).casefold()


@lru_cache(maxsize=1 << 13)
def _folder_words(place: str) -> frozenset[str]:
    return frozenset(w for part in place.split("/") for w in _PARTS.split(folded(part)) if w)


@lru_cache(maxsize=1 << 16)
def parts(path: str) -> NameParts:
    """Take a path below a game folder apart.

    Parameters
    ----------
    path : str
        With forward slashes; containers stand in it as if they were folders.
    """
    place, _, name = path.rpartition("/")
    folder = _folder_words(place)
    bare = folded(_humped(name))
    backup = bool(_BACKUP_WORDS & folder)
    while (cut := _BACKUP_TAIL.search(bare)) is not None and cut.group():
        backup = True
        bare = (bare[: cut.start()] + bare[cut.end() :]).strip()
    base, dot, extension = bare.rpartition(".")
    if not dot or len(extension) > 5:
        base = bare
    while (cut := _BACKUP_TAIL.search(base)) is not None and cut.group():
        backup = True
        base = (base[: cut.start()] + base[cut.end() :]).strip()
    words = _joined([w for w in _PARTS.split(base) if w])
    kept: list[str] = []
    role, suffix, tier, variant = None, "", "", ""
    green: Green | None = None
    icon = bool(ICONS & folder)
    for i, word in enumerate(words):
        last = i > 0 and all(_is_tail(w) for w in words[i:])
        if word in ICONS:
            icon = True
        elif word in _BACKUP_WORDS and (i > 0 or len(words) > 1):
            backup = True
        elif i > 0 and word in TIERS:
            tier = TIERS[word]
        elif last and _SIZE.fullmatch(word):
            tier = word
        elif last and role is Role.NORMAL and word in _GREEN:
            green = _GREEN[word]
        elif last and word in SUFFIXES:
            role, suffix = SUFFIXES[word], word
            green = _GREEN.get(word) if role is Role.NORMAL else None
        elif last and role is not None and word in _FILLERS:
            continue
        elif i > 0 and word in VARIANTS:
            variant = f"{variant} {word}".strip()
        else:
            kept.append(word)
    for word in folder:
        if not tier and word in TIERS:
            tier = TIERS[word]
    stem = "_".join(kept) or base
    return NameParts(stem, role, suffix, tier, variant, icon, backup, green)


def _humped(name: str) -> str:
    """Part a role from the word before it, where only a capital letter does: ``wallNormal``."""
    return _CHUNK.sub(lambda found: _parted(found.group()), name)


def _parted(chunk: str) -> str:
    pieces = _HUMP.split(chunk)
    for n in range(1, len(pieces)):
        tail = "".join(pieces[n:])
        if len(tail) >= _LEAST_HUMP and tail.casefold() in SUFFIXES:
            return f"{''.join(pieces[:n])}_{tail}"
    return chunk


def _joined(words: list[str]) -> list[str]:
    """Join two words that are one: ``ambient occlusion``, ``base colour``, ``mask map``."""
    out: list[str] = []
    for word in words:
        if len(out) > 1 and len(word) >= _LEAST_HUMP and out[-1] + word in SUFFIXES:
            out[-1] += word
        else:
            out.append(word)
    return out


def _is_tail(word: str) -> bool:
    """Tell whether a word can stand at the end of a name without being the thing's own."""
    tables = (SUFFIXES, TIERS, VARIANTS, _BACKUP_WORDS, _FILLERS, _GREEN)
    shapes = (_SIZE, _NUMBER)
    return any(word in table for table in tables) or any(s.fullmatch(word) for s in shapes)
